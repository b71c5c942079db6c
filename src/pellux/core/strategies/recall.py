"""What lessons say about a space: where to begin, how far settings reach, and where good trials may lie.

Each lesson is a Gaussian process of its own scores, read from what is usual there to its best, so that problems with other metrics can
be compared. First trials are chosen together, each the one that adds most to the best that every lesson has among them (Wistuba,
Schilling & Schmidt-Thieme, DSAA 2015). The hyperparameters of the lessons are what is believed of the search's own. To foretell scores from the lessons themselves was tried and is
worse: what differs between two problems is rougher than either.

Lessons are asked whether they foretell each other before they are believed. Where the best settings are others on every data set, as with
the number of neighbours, they would lead away from them.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property, lru_cache

import numpy as np
from numpy.typing import NDArray

from pellux.core.space import Configuration, Space, Value, identity
from pellux.core.strategies.even_spread import sobol
from pellux.core.strategies.fresh import Taken
from pellux.core.strategies.leaning import Leaning
from pellux.core.strategies.lessons import Lesson
from pellux.core.surrogates.coding import Coding
from pellux.core.surrogates.gaussian_process import Beliefs, Posterior, fit
from pellux.core.surrogates.warp import warped

Array = NDArray[np.float64]
PLACES = 512  # of the space, at which lessons are compared
GOOD, FEWEST_GOOD = 0.15, 3  # share of a lesson's trials that were good, and how many at least
DOUBT = 0.5  # of a lesson that is as alike as can be: by so much the usual beliefs count beside the lessons
FIRST = 3  # trials that are chosen by lessons
ADDS = 0.05  # of the way from usual to best, over all lessons: a first trial that adds less is left to an even spread
TRIPLES = 200  # draws of as many even places, which lessons have to beat for each other
AGREE = 2 / 3  # of these draws, on average, from which on lessons are believed
ALONE = 0.5  # likeness from which on a single lesson, which nothing confirms, is believed
NARROWEST = 0.3  # deviation of what is believed of the logarithm of a hyperparameter


class Told:
    """A lesson as a function over the space."""

    def __init__(self, coding: Coding, lesson: Lesson) -> None:
        points = np.array([coding.space.encode(c) for c in lesson.configurations])
        self.likeness, features = lesson.likeness, coding.features(points)
        self._varied = np.ptp(features, axis=0) > 1e-9  # of what never changed it says nothing
        scores, noise = warped(np.array(lesson.scores)), np.ones(len(points))
        best = np.argsort(-scores, kind="stable")[: max(FEWEST_GOOD, int(GOOD * len(scores)))]
        self.good, self.good_points = features[best], points[best]
        features = features * self._varied
        self._h = fit(features, scores, noise, coding.groups, kinds=(False,))
        self._posterior = Posterior(self._h, features, scores, noise, coding.groups)

    def expected(self, features: Array) -> Array:
        return self._posterior.expected(features * self._varied)

    def hyperparameters(self, groups: NDArray[np.intp]) -> Array:
        """Logarithms as in `Hyperparameters`, NaN for the length scales of what never changed."""
        silent = np.array([not self._varied[groups == g].any() for g in range(int(groups[-1]) + 1)])
        return np.where(np.concatenate([silent, silent, [False] * 3]), np.nan, self._h.theta)


class Recall:
    """All lessons about a space."""

    def __init__(self, space: Space, lessons: Sequence[Lesson]) -> None:
        self._coding = coding = Coding.of(space)
        self._told = [Told(coding, lesson) for lesson in lessons]
        tops = [space.encode(lesson.configurations[int(np.argmax(lesson.scores))]) for lesson in lessons]
        even = space.snap(sobol(space.dimension, PLACES, np.random.default_rng(0)))
        self._places = np.concatenate([even, tops])
        alike = np.array([one.likeness for one in self._told])
        self._shares: Array = alike / alike.sum()

    @cached_property
    def _reads(self) -> tuple[Array, Array]:
        """What each lesson's median place comes to, and how far its best lies above; shapes (lessons,)."""
        values = self._expected(self._places)
        middle = np.median(values, axis=1)
        return middle, np.maximum(values.max(1) - middle, 1e-9)

    def _expected(self, points: Array) -> Array:
        """Of every lesson at points of the unit cube, shape (lessons, n)."""
        features = self._coding.features(points)
        return np.array([one.expected(features) for one in self._told])

    def _worth(self, points: Array) -> Array:
        """From 0, what is usual for a lesson, to 1, its best; shape (lessons, n)."""
        middle, span = self._reads
        found: Array = (self._expected(points) - middle[:, None]) / span[:, None]
        return found

    @cached_property
    def _worths(self) -> Array:
        return self._worth(self._places)

    def _adds(self, among: NDArray[np.intp], best: Array) -> Array:
        """What each place adds to the best that some lessons have, shape (places,)."""
        found: Array = self._shares[among] @ np.maximum(self._worths[among] - best[:, None], 0.0)
        return found

    @cached_property
    def believable(self) -> bool:
        """Whether what the other lessons would try first is better for each lesson than most of what chance would try."""
        if len(self._told) == 1:
            return self._told[0].likeness >= ALONE
        drawn = np.random.default_rng(0).integers(0, len(self._places), (TRIPLES, FIRST))
        beaten = []
        for left_out, own in enumerate(self._worths):
            others = np.delete(np.arange(len(self._told)), left_out)
            best, found = np.zeros(len(others)), -np.inf
            for _ in range(FIRST):
                place = int(np.argmax(self._adds(others, best)))
                best, found = np.maximum(best, self._worths[others, place]), max(found, own[place])
            beaten.append(float((own[drawn].max(1) < found).mean()))
        return float(np.mean(beaten)) >= AGREE

    def first(self, before: Sequence[Configuration], tried: Taken) -> dict[str, Value] | None:
        """The untried place that adds most to the best that each lesson has among those before; None where none adds much."""
        space = self._coding.space
        best = np.zeros(len(self._told))
        if before:
            best = np.maximum(best, self._worth(np.array([space.encode(c) for c in before])).max(1))
        gains = self._adds(np.arange(len(self._told)), best)
        for place in np.argsort(-gains, kind="stable").tolist():
            if gains[place] < ADDS:
                return None
            found = space.decode(self._places[place])
            if identity(found) not in tried and space.fulfils(found):
                return found
        return None

    @cached_property
    def beliefs(self) -> Beliefs:
        """What the lessons' hyperparameters say of the search's own, beside what is usually believed of them."""
        groups = self._coding.groups
        usual = Beliefs.usual(int(groups[-1]) + 1)
        theta = np.array([one.hyperparameters(groups) for one in self._told])
        weights = np.where(np.isnan(theta), 0.0, np.array([one.likeness for one in self._told])[:, None])
        theta, total = np.nan_to_num(theta), weights.sum(0) + DOUBT
        mean = ((weights * theta).sum(0) + DOUBT * usual.mean) / total
        spread = (weights * (theta - mean) ** 2).sum(0) + DOUBT * (usual.deviation**2 + (usual.mean - mean) ** 2)
        return Beliefs(mean, np.maximum(np.sqrt(spread / total), NARROWEST))

    def leaning(self, trials: int) -> Leaning:
        """Toward where the lessons' good trials lie, after so many trials of the search."""
        return Leaning(np.concatenate([one.good for one in self._told]), self._good_shares, trials)

    @property
    def good(self) -> tuple[Array, Array]:
        """The lessons' good trials as points of the unit cube, shape (k, dimension), and how much each counts; 1 together."""
        return np.concatenate([one.good_points for one in self._told]), self._good_shares

    @cached_property
    def _good_shares(self) -> Array:
        return np.concatenate(
            [np.full(len(one.good), share / len(one.good)) for one, share in zip(self._told, self._shares, strict=True)]
        )


def recall(space: Space, lessons: Sequence[Lesson]) -> Recall | None:
    """What lessons say, remembered from one proposal to the next; None where there are none or they contradict each other."""
    found = _remembered(space, tuple(lessons)) if lessons else None
    return found if found is not None and found.believable else None


@lru_cache(maxsize=4)
def _remembered(space: Space, lessons: tuple[Lesson, ...]) -> Recall:
    return Recall(space, lessons)
