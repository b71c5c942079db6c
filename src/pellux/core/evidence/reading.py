"""A reading of trials: what a model of their scores holds likely over the space, as functions that differ where the trials say little.

Whatever is said of a search is computed of each function; how far the answers differ says how sure it is. Scores are turned so that
larger is better, and are told in standard deviations of the trials; `in_scores` turns them back.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import scipy
from numpy.random import Generator
from numpy.typing import NDArray

from pellux.core.evidence.functions import Functions, Near
from pellux.core.space import Configuration, Space
from pellux.core.surrogates.coding import Coding
from pellux.core.surrogates.doubt import allowed
from pellux.core.surrogates.gaussian_process import Posterior, telling

Array = NDArray[np.float64]
FEWEST = 8  # scored trials below which nothing is said
MOST = 600  # trials that the model is made of: the best third and an even share of the rest
MODELS = 8  # sets of hyperparameters that the trials allow for
DRAWS = 48  # functions, of all of them
BLOCKS, POINTS = 8, 128  # scrambled samples of the space, and the points of each
TAIL = 5.0  # robust standard deviations behind the median: a score that is further behind counts as just that far
FAR = 0.1  # share of the trials that may be so far behind: where more are, a search crowded around its winner, and the rest is no tail
BAND = 1.2816  # standard deviations between which four of five normal values lie


@dataclass(frozen=True)
class Reading:
    """Of the scored trials of a search.

    Attributes
    ----------
    trials : int
        How many it rests on.
    configurations, scores : the trials themselves
        Scores as they were given, shape (trials,).
    centre, unit : float
        A score is `centre + unit * value` of a function's value.
    standard : array, shape (trials,)
        The scores as functions have them.
    posteriors : tuple of Posterior
        The likeliest first.
    functions : tuple of Functions
        A share of `DRAWS` from each posterior.
    first, second : arrays, shape (BLOCKS * POINTS, dimension)
        Two samples of the unit cube that do not depend on each other, each even by itself.
    explained : float
        Share of the variance of the scores that the model foretells of trials it did not see, from 0 to 1.
    covered : float
        Share of the trials whose score lies within the model's 80 % band when it did not see them.
    """

    space: Space
    configurations: tuple[Configuration, ...]
    scores: Array
    centre: float
    unit: float
    standard: Array
    posteriors: tuple[Posterior, ...]
    functions: tuple[Functions, ...]
    first: Array
    second: Array
    explained: float
    covered: float

    @property
    def trials(self) -> int:
        return len(self.scores)

    @cached_property
    def coding(self) -> Coding:
        return Coding.of(self.space)

    @cached_property
    def at_first(self) -> Array:
        return self.at(self.first)

    @cached_property
    def at_second(self) -> Array:
        return self.at(self.second)

    @cached_property
    def points(self) -> Array:
        """Both samples, snapped, NaN where a parameter is inactive; shape (2 * BLOCKS * POINTS, dimension)."""
        return self.space.snap(np.concatenate([self.first, self.second]))

    @cached_property
    def values(self) -> Array:
        """Functions at `points`, shape (2 * BLOCKS * POINTS, DRAWS)."""
        return np.concatenate([self.at_first, self.at_second])

    @cached_property
    def known(self) -> Array:
        """The trials as points of the unit cube, NaN where inactive; shape (trials, dimension)."""
        return np.array([self.space.encode(c) for c in self.configurations])

    @cached_property
    def crowding(self) -> float:
        """How much further the points of the space lie from the nearest trial than from the nearest of as many evenly spread points, from 1 to 2."""
        count = min(self.trials, len(self.second))
        tried = self.coding.features(self.known[np.linspace(0, self.trials - 1, count).astype(np.intp)])
        here, even = self._features(self.first), self._features(self.second[:count])
        far, usual = (scipy.spatial.KDTree(points).query(here)[0].mean() for points in (tried, even))
        return float(np.clip(far / max(usual, 1e-12), 1.0, 2.0))

    @cached_property
    def order(self) -> NDArray[np.intp]:
        """Places of the trials, the best by what the model makes of it first: a lucky score alone does not lead."""
        found: NDArray[np.intp] = np.argsort(-self.posteriors[0].expected(self.coding.features(self.known)), kind="stable")
        return found

    @property
    def best(self) -> Array:
        """The point of the trial that the model holds best."""
        found: Array = self.known[self.order[0]]
        return found

    def at(self, points: Array) -> Array:
        """Functions at points of the unit cube, shape (m, DRAWS); positions of inactive parameters do not matter."""
        features = self._features(points)
        return np.concatenate([functions(features) for functions in self.functions], axis=1)

    def at_swapped(self, places: Sequence[int]) -> Array:
        """Functions at the first sample with the coordinates at `places` from the second, shape (BLOCKS * POINTS, DRAWS)."""
        mixed = self.first.copy()
        mixed[:, list(places)] = self.second[:, list(places)]
        features = self._features(mixed)
        return np.concatenate([f(features, near) for f, near in zip(self.functions, self._near_first, strict=True)], axis=1)

    @cached_property
    def _near_first(self) -> list[Near]:
        features = self._features(self.first)
        return [functions.near(features) for functions in self.functions]

    def _features(self, points: Array) -> Array:
        return self.coding.features(self.space.snap(points))

    def in_scores(self, values: Array) -> Array:
        found: Array = self.centre + self.unit * values
        return found

    @cached_property
    def noise(self) -> float:
        """Standard deviation of a trial's score about the model, in units of `standard`."""
        return float(np.sqrt(self.posteriors[0].hyperparameters.noise))


def read(space: Space, configurations: Sequence[Configuration], scores: Array, rng: Generator) -> Reading | None:
    """Of trials and their scores (larger is better, shape (n,)); None where they are too few or say nothing.

    Requirements of the space are not looked at: what is said is of all that its parameters can be.
    """
    finite = np.isfinite(scores)
    kept, scores = [c for c, good in zip(configurations, finite, strict=True) if good], scores[finite]
    if len(scores) < FEWEST or not space.searched or np.ptp(scores) == 0:
        return None
    chosen = telling(scores, MOST)
    centre, unit, standard = _standard(scores)
    straight = standard[chosen]
    coding, even = Coding.of(space), np.ones(len(chosen))
    features = coding.features(np.array([space.encode(kept[i]) for i in chosen]))
    posteriors = tuple(
        Posterior(h, features, straight, even, coding.groups) for h in allowed(features, straight, even, coding.groups, MODELS, rng)
    )
    functions = tuple(Functions(posterior, straight, even, DRAWS // MODELS, rng) for posterior in posteriors)
    missed, spread = posteriors[0].left_out(straight)
    explained = float(np.clip(1 - (missed**2).mean() / max(straight.var(), 1e-12), 0.0, 1.0))
    covered = float((np.abs(missed) <= BAND * spread).mean())
    d = space.dimension
    sample = np.concatenate([scipy.stats.qmc.Sobol(2 * d, rng=rng).random(POINTS) for _ in range(BLOCKS)])
    return Reading(
        space, tuple(kept), scores, centre, unit, standard, posteriors, functions, sample[:, :d], sample[:, d:], explained, covered
    )  # fmt: skip


def _standard(scores: Array) -> tuple[float, float, Array]:
    """In standard deviations, without the far end of a bad tail: else one run that diverged would be all there is to explain."""
    middle = float(np.median(scores))
    spread = 1.4826 * float(np.median(np.abs(scores - middle)))
    end = min(middle - TAIL * spread, float(np.quantile(scores, FAR)))
    held = np.maximum(scores, end) if spread > 0 else scores
    centre, deviation = float(held.mean()), float(held.std()) or 1.0
    return centre, deviation, (held - centre) / deviation
