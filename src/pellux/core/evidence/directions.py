"""Which way the score goes with a parameter: ranks of the trials, with an interval, and the same with the other parameters taken out."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from pellux.core.evidence.curves import Along
from pellux.core.evidence.importance import Importance
from pellux.core.evidence.reading import Reading
from pellux.core.space import Choice, Value

Array = NDArray[np.float64]
MORE, LESS, BETWEEN, NONE = "more is better", "less is better", "best between", "no trend"
FEWEST = 8  # trials in which it is active
STEADY, SURE = 0.8, 0.9
FLAT = 0.05  # of what a curve spans: from here on it gains no more


@dataclass(frozen=True)
class Direction:
    """Of a number.

    Attributes
    ----------
    trend : str
        'more is better', 'less is better', 'best between' or 'no trend'.
    until : value or None
        Where it gains no more, before the end of the range; where the best is, of 'best between'.
    rank, low, high : float
        Spearman's rank correlation with the score and its 90 % interval.
    partial : float
        The same with the ranks of all other numbers taken out.
    trials : int
        In which it is active.
    """

    trend: str
    until: Value | None
    rank: float
    low: float
    high: float
    partial: float
    trials: int


def directions(reading: Reading, curves: tuple[Along, ...], singles: tuple[Importance, ...]) -> dict[str, Direction]:
    """Of every searched number that enough trials have; choices have no direction."""
    matters = {one.name: one for one in singles}
    found = {}
    for place, parameter in enumerate(reading.space.searched):
        active = ~np.isnan(reading.known[:, place])
        if isinstance(parameter, Choice) or active.sum() < FEWEST or np.ptp(reading.known[active, place]) == 0:
            continue
        rank = _correlation(scipy.stats.rankdata(reading.known[active, place]), scipy.stats.rankdata(reading.scores[active]))
        low, high = _interval(rank, int(active.sum()))
        trend, until = _trend(curves[place], matters[parameter.name])
        found[parameter.name] = Direction(trend, until, rank, low, high, _partial(reading, place, active), int(active.sum()))
    return found


def _trend(curve: Along, matters: Importance) -> tuple[str, Value | None]:
    drawn, count = curve.drawn, len(curve.positions)
    if matters.total.share < 0.02 or count < 2:
        return NONE, None
    ahead = np.arange(count) - (count - 1) / 2
    moved = drawn - drawn.mean(0)
    steady = (ahead @ moved) / np.maximum(np.sqrt((ahead**2).sum() * (moved**2).sum(0)), 1e-12)
    mean = drawn.mean(1)
    tops = drawn.argmax(0)
    margin = max(1, round(0.1 * count))
    inside = ((tops >= margin) & (tops < count - margin)).mean()
    for sign, word in ((1, MORE), (-1, LESS)):
        if np.median(sign * steady) > STEADY and (sign * steady > 0).mean() >= SURE:
            path = np.arange(count)[::sign]
            enough = next(i for i in path if mean[i] >= mean.max() - FLAT * np.ptp(mean))
            return word, None if enough in path[-2:] else curve.values[enough]
    if inside >= SURE:
        return BETWEEN, curve.values[int(mean.argmax())]
    return NONE, None


def _correlation(a: Array, b: Array) -> float:
    a, b = a - a.mean(), b - b.mean()
    scale = float(np.sqrt((a @ a) * (b @ b)))
    return float(a @ b) / scale if scale > 0 else 0.0


def _interval(rank: float, count: int) -> tuple[float, float]:
    """Fisher's transform with the error of Bonett & Wright (Psychometrika 65, 2000)."""
    error = np.sqrt((1 + rank**2 / 2) / max(count - 3, 1)) * scipy.stats.norm.ppf(0.95)
    middle = np.arctanh(np.clip(rank, -0.999999, 0.999999))
    return float(np.tanh(middle - error)), float(np.tanh(middle + error))


def _partial(reading: Reading, place: int, active: NDArray[np.bool_]) -> float:
    others = [
        scipy.stats.rankdata(np.where(np.isnan(column), 0.5, column))
        for i, p in enumerate(reading.space.searched)
        if i != place and not isinstance(p, Choice) and np.ptp(column := reading.known[active, i]) > 0
    ]
    by = np.column_stack([np.ones(int(active.sum())), *others])
    if len(by) <= by.shape[1] + 2:
        return 0.0

    def left(values: Array) -> Array:
        found: Array = values - by @ np.linalg.lstsq(by, values, rcond=None)[0]
        return found

    return _correlation(
        left(scipy.stats.rankdata(reading.known[active, place])), left(scipy.stats.rankdata(reading.scores[active]))
    )
