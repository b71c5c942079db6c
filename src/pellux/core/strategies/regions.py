"""Where the next proposal may lie: everywhere, around one of several tops, or beside hills that were climbed already."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from pellux.core.surrogates.coding import Coding
from pellux.core.surrogates.gaussian_process import Posterior

Array = NDArray[np.float64]
Mask = NDArray[np.bool_]
APART = 0.8  # prior correlation from which on a place belongs to a hill, whatever its slope
WAY = 1 / 3  # how far toward a top it is looked whether the ground rises
LEVELS = 10  # a number with no more than so many has no rim: each of its values is a good part of it
RISE = 0.1  # of the height still to climb: ground that rises by so much on that way is the hill's slope


class Region(Protocol):
    """A part of the space, and the model that is asked in it."""

    @property
    def posterior(self) -> Posterior: ...

    @property
    def coding(self) -> Coding: ...

    def holds(self, points: Array) -> Mask:
        """Which points of the unit cube lie in it; shapes (n, dimension) and (n,)."""
        ...


@dataclass(frozen=True)
class Everywhere:
    """The whole space, with one model."""

    posterior: Posterior
    coding: Coding

    def holds(self, points: Array) -> Mask:
        return np.ones(len(points), dtype=bool)


@dataclass(frozen=True)
class Surroundings:
    """Nearer to the first of some tops than to the others. Where options are chosen as at some top, only tops with these
    options count: a model that has not yet seen what a choice matters thinks all of them near.

    Attributes
    ----------
    tops : array, shape (k, columns)
        Features of the tops.
    """

    posterior: Posterior
    coding: Coding
    tops: Array

    def holds(self, points: Array) -> Mask:
        features = self.coding.features(points)
        near = np.stack([self.posterior.correlation(features, top) for top in self.tops])
        alike = np.stack([_same_options(self.coding, features, top) for top in self.tops])
        near[alike.any(0) & ~alike] = -np.inf
        found: Mask = near[0] >= near.max(0)
        return found


@dataclass(frozen=True)
class Inside:
    """A region without the rim of its numbers. What a model of few trials knows least is corners, so it is sent there
    first, corner by corner (Siivola et al., MLSP 2018); people put ranges around what they believe in.

    Attributes
    ----------
    rim : float
        Width that is left out at both ends of a number, in the unit cube; below 0.5.
    """

    whole: Region
    rim: float

    @property
    def posterior(self) -> Posterior:
        return self.whole.posterior

    @property
    def coding(self) -> Coding:
        return self.whole.coding

    def holds(self, points: Array) -> Mask:
        searched = self.coding.space.searched
        wide = [place for place in self.coding.numbers if (searched[place].count or LEVELS + 1) > LEVELS]
        positions = np.nan_to_num(points[:, wide], nan=0.5)  # inactive ones are nowhere
        found: Mask = self.whole.holds(points) & (np.abs(positions - 0.5) <= 0.5 - self.rim).all(1)
        return found


@dataclass(frozen=True)
class OutsideBasins:
    """What is neither near the tops of some hills nor on their slopes, with the same options chosen as there.

    Attributes
    ----------
    judge : Posterior
        The model that knows the hills; `posterior` may have been fitted without them.
    tops : array, shape (k, columns)
        Features of the hills' tops.
    """

    posterior: Posterior
    coding: Coding
    judge: Posterior
    tops: Array

    def holds(self, points: Array) -> Mask:
        if not len(points):
            return np.ones(0, dtype=bool)
        features = self.coding.features(points)
        return self.holds_features(features, self.judge.expected(features))

    def holds_features(self, features: Array, mean: Array) -> Mask:
        """The same of places whose features are known, shape (n, columns), and what the judge expects there, shape (n,)."""
        found: Mask = np.logical_and.reduce([self._outside_basins(top, features, mean) for top in self.tops])
        return found

    def _outside_basins(self, top: Array, features: Array, mean: Array) -> Mask:
        toward = self.judge.expected(features + WAY * (top - features))
        height = self.judge.expected(top[None])
        flat = (toward < mean + RISE * (height - mean)) & (self.judge.correlation(features, top) < APART)
        found: Mask = flat & _same_options(self.coding, features, top)
        return found


def _same_options(coding: Coding, features: Array, top: Array) -> Mask:
    numbers = len(coding.numbers)
    found: Mask = (features[:, numbers:] == top[numbers:]).all(1)
    return found
