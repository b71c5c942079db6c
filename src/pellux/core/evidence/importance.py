"""Which parameters the score depends on: shares of its variance over the space, each with its doubt.

The shares are Sobol' indices (Sobol' 1993), what a functional ANOVA of the score over the space gives: of a parameter by itself, with all it
does together with others (its total), and of a pair beyond its two parts. They are taken from functions drawn from a Gaussian process's
posterior (Le Gratiet, Cannamela & Iooss 2014), so that few trials, noise, and stretches that nobody tried show as doubt; a search that
crowded around its winner says little of the rest, and the doubt says so. Points are those of the space's own priors, and a parameter that is inactive at a point
does nothing there: what it does counts for as much of the space as it is active in.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np
from numpy.random import Generator
from numpy.typing import NDArray

from pellux.core.evidence.reading import BLOCKS, POINTS, Reading

Array = NDArray[np.float64]
ROUNDING = 0.005  # shares are told in whole per cent
QUARTER = 0.75
PAIRED = 5  # parameters of whose pairs the joint share is told: those that do most with others
SPREAD = 40  # draws of the sampling's error beside each function
# Share of what is drawn between `low` and `high`, for the truth to lie there nine times out of ten: no model is quite right (measured on
# functions with other seeds than those of benchmarks/evidence).
DRAWN = 0.95
# And how much wider, by how crowded the trials are: where they lie close together, the model is too sure of the rest (likewise).
STRETCH = 0.5


@dataclass(frozen=True)
class Share:
    """A share of the variance, from 0 to 1, and the ends between which it lies nine times out of ten."""

    share: float
    low: float
    high: float


@dataclass(frozen=True)
class Importance:
    """Of one parameter.

    Attributes
    ----------
    alone : Share
        By itself.
    total : Share
        With all that it does together with others.
    among_good : Share
        By itself, as long as the score is within its best quarter: what matters among good configurations.
    total_among_good : Share
        The same with all that it does together with others.
    """

    name: str
    alone: Share
    total: Share
    among_good: Share
    total_among_good: Share


@dataclass(frozen=True)
class Together:
    """What two parameters do together beyond what each does; `among_good` as above."""

    names: tuple[str, str]
    beyond: Share
    among_good: Share


@dataclass(frozen=True)
class Importances:
    """Singles by total share, pairs by share, the largest first.

    Attributes
    ----------
    trials : int
        That it rests on.
    explained : float
        Share of the variance of the scores that the model explains of trials it did not see (leave one out), from 0 to 1.
    """

    singles: tuple[Importance, ...]
    pairs: tuple[Together, ...]
    trials: int
    explained: float


def importances(reading: Reading, rng: Generator) -> Importances:
    """Shares of every searched parameter, and of the pairs among those that do most with others."""
    singles, pairs = _Crossed(reading, rng).read()
    return Importances(singles, pairs, reading.trials, reading.explained)


class _Crossed:
    """Two samples of the space, and what functions are where one coordinate, or two, of the first come from the second.

    Values have the shape (blocks, points, functions): how far blocks differ says how far the sampling is off.
    """

    def __init__(self, reading: Reading, rng: Generator) -> None:
        self._reading, self._rng = reading, rng
        self._wider = 1 + STRETCH * (reading.crowding - 1)
        self._quarter = float(np.quantile(reading.standard, QUARTER))
        self._whole = _Sampled(_blocks(reading.at_first), _blocks(reading.at_second))
        self._good = self._whole.behind(self._quarter)

    def _swapped(self, places: Sequence[int]) -> Array:
        return _blocks(self._reading.at_swapped(places))

    def read(self) -> tuple[tuple[Importance, ...], tuple[Together, ...]]:
        """Singles and pairs, the largest first."""
        names = [p.name for p in self._reading.space.searched]
        swapped = [self._swapped([i]) for i in range(len(names))]
        alone, total = [self._whole.closed(one) for one in swapped], [self._whole.total(one) for one in swapped]
        behind = [np.maximum(one, self._quarter) for one in swapped]
        among = [self._good.closed(one) for one in behind]
        singles = [
            Importance(name, self._share(a), self._share(t), self._share(g), self._share(self._good.total(b)))
            for name, a, t, g, b in zip(names, alone, total, among, behind, strict=True)
        ]
        shared = sorted(range(len(names)), key=lambda i: float(alone[i].mean() - total[i].mean()))[:PAIRED]
        pairs = []
        for i, j in combinations(sorted(shared), 2):
            both = self._swapped([i, j])
            beyond = self._share(self._whole.closed(both) - alone[i] - alone[j])
            near = self._share(self._good.closed(np.maximum(both, self._quarter)) - among[i] - among[j])
            pairs.append(Together((names[i], names[j]), beyond, near))
        return (
            tuple(sorted(singles, key=lambda one: -one.total.share)),
            tuple(sorted(pairs, key=lambda one: -one.beyond.share)),
        )

    def _share(self, drawn: Array) -> Share:
        """The spread of functions, and that of the sampling with it; `drawn` has the shape (blocks, functions)."""
        off = drawn.std(0, ddof=1) / np.sqrt(BLOCKS)
        each = drawn.mean(0)
        spread = each[:, None] + off[:, None] * self._rng.standard_normal((len(each), SPREAD))
        share = each.mean()
        low, high = share + self._wider * (np.quantile(spread, [(1 - DRAWN) / 2, (1 + DRAWN) / 2]) - share)
        return Share(*(float(np.clip(value, 0.0, 1.0)) for value in (share, low - ROUNDING, high + ROUNDING)))


def _blocks(values: Array) -> Array:
    return values.reshape(BLOCKS, POINTS, -1)


class _Sampled:
    """Functions at both samples, and what their variance is shared among."""

    def __init__(self, a: Array, b: Array) -> None:
        self._a, self._b = a, b
        both = np.concatenate([a, b], axis=1)
        self._centre = both.mean((0, 1))
        self._variance = np.maximum(both.var((0, 1)), 1e-12)

    def behind(self, quarter: float) -> _Sampled:
        """Scores behind the best quarter count as its edge (Hutter, Hoos & Leyton-Brown 2014)."""
        return _Sampled(np.maximum(self._a, quarter), np.maximum(self._b, quarter))

    def closed(self, mixed: Array) -> Array:
        """The share of what was swapped, by itself (Saltelli et al. 2010, table 2 b)."""
        found: Array = ((self._b - self._centre) * (mixed - self._a)).mean(1) / self._variance
        return found

    def total(self, mixed: Array) -> Array:
        """The share of what was swapped, with all that it does together with others (Jansen 1999)."""
        found: Array = ((self._a - mixed) ** 2).mean(1) / (2 * self._variance)
        return found
