"""What lessons say about a space: where to begin, how far settings reach, and where good trials may lie.

Each lesson is a Gaussian process of its own scores, read from what is usual there to its best, so that problems with other metrics can
be compared. First trials are chosen together, each the one that adds most to the best that every lesson has among them (Wistuba,
Schilling & Schmidt-Thieme, DSAA 2015). The hyperparameters of the lessons are what is believed of the search's own. To foretell scores from the lessons themselves was tried and is
worse: what differs between two problems is rougher than either.

Where several metrics decide, a lesson has a Gaussian process for each of them, and a first trial is what adds most to the volume that the
front of every lesson would cover (of a single metric that is its best).

Lessons are asked whether they foretell each other before they are believed. Where the best settings are others on every data set, as with
the number of neighbours, they would lead away from them.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property, lru_cache

import numpy as np
from numpy.typing import NDArray

from pellux.core.judging.fronts import boxes, hypervolume, on_front, reference_point, standing
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
FIRST = 3  # trials that are chosen by lessons, at least
ADDS = 0.05  # of the way from usual to best in every metric, over all lessons: what adds less is left to an even spread
TRIPLES = 200  # draws of as many even places, which lessons have to beat for each other
AGREE = 0.75  # of these draws, on average, from which on lessons are believed
ALIKE = 4  # power of its likeness by which a lesson counts there: earlier problems of another task may contradict each other
ALONE = 0.5  # likeness from which on a single lesson, which nothing confirms, is believed
NARROWEST = 0.3  # deviation of what is believed of the logarithm of a hyperparameter


class Told:
    """A lesson as functions over the space, one for each metric."""

    def __init__(self, coding: Coding, lesson: Lesson) -> None:
        points, values = np.array([coding.space.encode(c) for c in lesson.configurations]), lesson.values
        self.likeness, features = lesson.likeness, coding.features(points)
        self._varied = np.ptp(features, axis=0) > 1e-9  # of what never changed it says nothing
        several = values.shape[1] > 1
        order = np.argsort(-(standing(values) if several else values[:, 0]), kind="stable")
        best = order[: max(FEWEST_GOOD, int(GOOD * len(values)))]
        self.good, self.good_points = features[best], points[best]
        self.tops = points[on_front(values)] if several else points[order[:1]]
        features, noise = features * self._varied, np.ones(len(points))
        self._models = [self._model(features, warped(column), noise, coding.groups) for column in values.T]

    @staticmethod
    def _model(features: Array, scores: Array, noise: Array, groups: NDArray[np.intp]) -> Posterior:
        return Posterior(fit(features, scores, noise, groups, kinds=(False,)), features, scores, noise, groups)

    def expected(self, features: Array) -> Array:
        """Of each metric, shape (metrics, n)."""
        return np.array([model.expected(features * self._varied) for model in self._models])

    def hyperparameters(self, metric: int, groups: NDArray[np.intp]) -> Array:
        """Logarithms as in `Hyperparameters`, NaN for the length scales of what never changed."""
        silent = np.array([not self._varied[groups == g].any() for g in range(int(groups[-1]) + 1)])
        return np.where(np.concatenate([silent, silent, [False] * 3]), np.nan, self._models[metric].hyperparameters.theta)


class Recall:
    """All lessons about a space."""

    def __init__(self, space: Space, lessons: Sequence[Lesson]) -> None:
        self._coding = coding = Coding.of(space)
        self._told = [Told(coding, lesson) for lesson in lessons]
        self._metrics = lessons[0].values.shape[1]
        self.firsts = max(FIRST, self._metrics + 1)
        """How many trials are chosen by lessons: where several metrics decide, the ends of a front and one between them."""
        even = space.snap(sobol(space.dimension, PLACES, np.random.default_rng(0)))
        self._places = np.concatenate([even, *(one.tops for one in self._told)])
        alike = np.array([one.likeness for one in self._told])
        self._shares: Array = alike / alike.sum()

    @cached_property
    def _reads(self) -> tuple[Array, Array]:
        """Where each lesson is read from, and how far its best lies above; shapes (lessons, metrics). Of one metric that is its median
        place, of several just beyond the ends of its front, which may be poor in all but one of them."""
        values = self._expected(self._places)
        low = np.median(values, axis=2) if self._metrics == 1 else np.array([reference_point(one.T) for one in values])
        return low, np.maximum(values.max(2) - low, 1e-9)

    def _expected(self, points: Array) -> Array:
        """Of every lesson at points of the unit cube, shape (lessons, metrics, n)."""
        features = self._coding.features(points)
        return np.array([one.expected(features) for one in self._told])

    def _worth(self, points: Array) -> Array:
        """From 0, where a lesson is read from, to 1, its best; shape (lessons, metrics, n)."""
        low, span = self._reads
        found: Array = (self._expected(points) - low[..., None]) / span[..., None]
        return found

    @cached_property
    def _worths(self) -> Array:
        return self._worth(self._places)

    def _adds(self, among: NDArray[np.intp], chosen: Array) -> Array:
        """What each place adds to what some lessons' fronts cover among those chosen, shape (places,).

        `chosen` : array, shape (lessons, metrics, n)
            What they are worth to all lessons.
        """
        gained = [_gained(self._worths[lesson].T, chosen[lesson].T) for lesson in among]
        found: Array = self._shares[among] @ np.array(gained)
        return found

    @cached_property
    def believable(self) -> bool:
        """Whether what the other lessons would try first is better for each lesson than most of what chance would try; what holds for
        those of problems like this one counts most."""
        if len(self._told) == 1:
            return self._told[0].likeness >= ALONE
        drawn = np.random.default_rng(0).integers(0, len(self._places), (TRIPLES, self.firsts))
        beaten = []
        for left_out, own in enumerate(self._worths):
            others, places = np.delete(np.arange(len(self._told)), left_out), list[int]()
            for _ in range(self.firsts):
                places.append(int(np.argmax(self._adds(others, self._worths[..., places]))))
            found = _covered(own[:, places].T)
            beaten.append(float(np.mean([_covered(own[:, by_chance].T) < found for by_chance in drawn])))
        return float(np.average(beaten, weights=self._shares**ALIKE)) >= AGREE

    def first(self, before: Sequence[Configuration], tried: Taken) -> dict[str, Value] | None:
        """The untried place that adds most to what each lesson has among those before; None where none adds much."""
        space = self._coding.space
        chosen = self._worth(np.array([space.encode(c) for c in before])) if before else self._worths[..., :0]
        gains = self._adds(np.arange(len(self._told)), chosen)
        for place in np.argsort(-gains, kind="stable").tolist():
            if gains[place] < ADDS**self._metrics:
                return None
            found = space.decode(self._places[place])
            if identity(found) not in tried and space.fulfils(found):
                return found
        return None

    @cached_property
    def beliefs(self) -> tuple[Beliefs, ...]:
        """What the lessons' hyperparameters say of those of each metric's model, the score's first, beside what is usually believed."""
        return tuple(self._believed(metric) for metric in range(self._metrics))

    def _believed(self, metric: int) -> Beliefs:
        groups = self._coding.groups
        usual = Beliefs.usual(int(groups[-1]) + 1)
        theta = np.array([one.hyperparameters(metric, groups) for one in self._told])
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


def _gained(values: Array, front: Array) -> Array:
    """What each point adds to what a front covers from 0 on, shape (n,); of one metric, to its best."""
    if values.shape[1] == 1:
        return np.asarray(np.maximum(values[:, 0] - front[:, 0].max(initial=0.0), 0.0))
    low, high = boxes(front, np.zeros(values.shape[1]))
    found: Array = np.prod(np.maximum(np.minimum(values[:, None], high) - low, 0.0), axis=2).sum(1)
    return found


def _covered(values: Array) -> float:
    """What points cover together from 0 on; of one metric, the best of them."""
    return float(values.max()) if values.shape[1] == 1 else hypervolume(values, np.zeros(values.shape[1]))


def recall(space: Space, lessons: Sequence[Lesson]) -> Recall | None:
    """What lessons say, remembered from one proposal to the next; None where there are none or they contradict each other."""
    found = _remembered(space, tuple(lessons)) if lessons else None
    return found if found is not None and found.believable else None


@lru_cache(maxsize=4)
def _remembered(space: Space, lessons: tuple[Lesson, ...]) -> Recall:
    return Recall(space, lessons)
