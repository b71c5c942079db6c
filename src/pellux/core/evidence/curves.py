"""The score along one parameter: on average over the rest of the space, and near the best, where the next trials will be.

Both are taken of every function of the reading, so that each curve has a band. The averaged one is the main effect of a functional ANOVA
(Hooker 2007); the other is a slice through the trials that the model holds best.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from pellux.core.evidence.reading import Reading
from pellux.core.space import Choice, Parameter, Value

Array = NDArray[np.float64]
STEPS = 21  # positions along a number with more values
OVER = 24  # points of the rest that a curve is averaged over
NEAR = 6  # trials that a slice is averaged over
BAND = (0.1, 0.9)


@dataclass(frozen=True)
class Line:
    """Along positions: mean and the ends of an 80 % band, in scores; shapes (m,)."""

    mean: Array
    low: Array
    high: Array


@dataclass(frozen=True)
class Along:
    """One parameter's curves.

    Attributes
    ----------
    positions : array, shape (m,)
        In the unit interval.
    values : tuple of m values
        What stands there.
    average, near : Line
        Over the rest of the space; with the rest as in the trials that the model holds best.
    drawn, drawn_near : arrays, shape (m, DRAWS)
        The same curve of each function, in standard deviations of the trials: what findings are made of.
    """

    name: str
    positions: Array
    values: tuple[Value, ...]
    average: Line
    near: Line
    drawn: Array
    drawn_near: Array


def along(reading: Reading) -> tuple[Along, ...]:
    """Curves of every searched parameter, in the order of the space."""
    return tuple(_along(reading, place, parameter) for place, parameter in enumerate(reading.space.searched))


def _along(reading: Reading, place: int, parameter: Parameter) -> Along:
    positions = steps(parameter)
    active = np.flatnonzero(~np.isnan(reading.points[:, place]))
    spread = np.concatenate([reading.first, reading.second])
    bases = spread[active[np.linspace(0, len(active) - 1, min(OVER, len(active))).astype(int)]] if len(active) else spread[:1]
    drawn = swept(reading, bases, {place: positions}).mean(0)
    drawn_near = swept(reading, near(reading, place), {place: positions}).mean(0)
    values = tuple(parameter.decode(float(position)) for position in positions)
    return Along(parameter.name, positions, values, _line(reading, drawn), _line(reading, drawn_near), drawn, drawn_near)


def steps(parameter: Parameter, most: int = STEPS) -> Array:
    """Positions along a parameter: the middle of each option, every level of few, or even steps from end to end."""
    if isinstance(parameter, Choice) or (parameter.count is not None and parameter.count <= most):
        return np.array([parameter.encode(value) for value in parameter.values()])
    return np.linspace(0.0, 1.0, most)


def near(reading: Reading, *places: int) -> Array:
    """Points of the best trials in which the parameters at `places` are active, at most `NEAR`; shape (k, dimension).

    Where no trial has them active, the middle of the space stands in.
    """
    ordered = reading.known[reading.order[: max(NEAR, reading.trials // 10)]]
    usable = ordered[~np.isnan(ordered[:, list(places)]).any(1)][:NEAR]
    if len(usable) == 0:
        everywhere = reading.known[reading.order]
        usable = everywhere[~np.isnan(everywhere[:, list(places)]).any(1)][:NEAR]
    found: Array = np.where(np.isnan(usable), 0.5, usable) if len(usable) else np.full((1, reading.space.dimension), 0.5)
    return found


def swept(reading: Reading, bases: Array, along_: dict[int, Array]) -> Array:
    """Functions where coordinates take the given positions, others as in each of the bases: shape (bases, m, DRAWS)."""
    count = len(next(iter(along_.values())))
    points = np.repeat(bases[:, None], count, axis=1)
    for place, positions in along_.items():
        points[:, :, place] = positions
    return reading.at(points.reshape(-1, points.shape[2])).reshape(len(bases), count, -1)


def _line(reading: Reading, drawn: Array) -> Line:
    low, high = np.quantile(drawn, BAND, axis=1)
    return Line(*(reading.in_scores(values) for values in (drawn.mean(1), low, high)))
