"""The score over any two parameters, with how sure that is: mean and standard deviation of the model, the others near the best or averaged;
for each option or level of a third in turn."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from pellux.core.errors import InvalidPlan
from pellux.core.evidence.curves import OVER, near, steps, swept
from pellux.core.evidence.reading import Reading
from pellux.core.space import Choice, Space, Value

Array = NDArray[np.float64]
ACROSS = 25  # positions along a number
MOST_PANELS = 6
LEVELS = (1 / 6, 1 / 2, 5 / 6)  # of a number that goes in turn
NEAR, AVERAGED = "near the best", "averaged"


@dataclass(frozen=True)
class Axis:
    """A parameter along one side: positions in the unit interval and what stands there."""

    name: str
    options: bool
    positions: Array
    values: tuple[Value, ...]


@dataclass(frozen=True)
class Surface:
    """`mean` and `deviation` in scores, shape (len(down.positions), len(across.positions))."""

    across: Axis
    down: Axis
    mean: Array
    deviation: Array


@dataclass(frozen=True)
class Panel:
    """The surface where a third parameter has one value; `position` is where that stands in the unit interval."""

    position: float
    value: Value
    surface: Surface


def surface(reading: Reading, across: str, down: str, others: str = NEAR, held: Mapping[str, float] | None = None) -> Surface:
    """Of two parameters that are searched; InvalidPlan for any other name, and for twice the same.

    Parameters
    ----------
    held : mapping of str to float
        Positions in the unit interval of further parameters that are to stand there.
    """
    check_pair(reading.space, across, down)
    sides = [_axis(reading, name) for name in (across, down)]
    places = [reading.space.place[name] for name in (across, down)]
    grid = [axis.ravel() for axis in np.meshgrid(*(side.positions for side in sides))]
    spread = np.concatenate([reading.first, reading.second])
    bases = near(reading, *places)[:1] if others == NEAR else spread[: OVER // 2]
    fixed = {reading.space.place[name]: np.full(len(grid[0]), position) for name, position in (held or {}).items()}
    drawn = swept(reading, bases, {**fixed, **dict(zip(places, grid, strict=True))}).mean(0)
    shape = len(sides[1].positions), len(sides[0].positions)
    return Surface(
        sides[0], sides[1], reading.in_scores(drawn.mean(1)).reshape(shape), (reading.unit * drawn.std(1, ddof=1)).reshape(shape)
    )  # fmt: skip


def panels(reading: Reading, across: str, down: str, by: str, others: str = NEAR) -> tuple[Panel, ...]:
    """Small multiples: the surface for each option of a third parameter, or each of a few levels, or low, middle and high of a number."""
    check_third(reading.space, across, down, by)
    parameter = reading.space.by_name[by]
    found = steps(parameter, MOST_PANELS)[:MOST_PANELS]
    levels = found if isinstance(parameter, Choice) or (parameter.count or MOST_PANELS + 1) <= MOST_PANELS else np.array(LEVELS)
    return tuple(
        Panel(float(at), parameter.decode(float(at)), surface(reading, across, down, others, {by: float(at)})) for at in levels
    )


def check_third(space: Space, across: str, down: str, by: str) -> None:
    """InvalidPlan unless this is a third setting that the space searches."""
    check_pair(space, across, down)
    if by not in space.place:
        raise InvalidPlan(f"'{by}' is no searched setting of this space.", at="by")
    if by in (across, down):
        raise InvalidPlan(f"{by} lies along a side already; in turn goes a third setting.", at="by")


def check_pair(space: Space, across: str, down: str) -> None:
    """InvalidPlan unless these are two settings that the space searches."""
    if across == down:
        raise InvalidPlan("A surface lies over two settings; these are one.", at="down")
    for name, at in ((across, "across"), (down, "down")):
        if name not in space.place:
            raise InvalidPlan(f"'{name}' is no searched setting of this space.", at=at)


def _axis(reading: Reading, name: str) -> Axis:
    parameter = reading.space.by_name[name]
    positions = steps(parameter, ACROSS)
    return Axis(name, isinstance(parameter, Choice), positions, tuple(parameter.decode(float(at)) for at in positions))
