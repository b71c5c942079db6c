"""What is known of a search's trials when a verdict is asked for; kept up to date result by result.

Every question a rule may ask is answered in logarithmic or constant time, so that a verdict costs the same at the tenth
and at the ten-thousandth trial.
"""

from __future__ import annotations

from bisect import bisect_right, insort
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

Rung = tuple[int, int]  # bracket and rung


@dataclass
class Curve:
    """A fold's scores along its iterations, turned so that larger is better; `best` and `total` up to each point."""

    iterations: list[int] = field(default_factory=list)
    scores: list[float] = field(default_factory=list)
    best: list[float] = field(default_factory=list)
    total: list[float] = field(default_factory=list)

    def add(self, iteration: int, score: float) -> bool:
        """Take the next point; False when it is known already or is no number."""
        if self.iterations and iteration <= self.iterations[-1]:
            return False
        if not np.isfinite(score):
            return False
        self.iterations.append(iteration)
        self.scores.append(score)
        self.best.append(max(score, self.best[-1]) if self.best else score)
        self.total.append(score + (self.total[-1] if self.total else 0.0))
        return True

    def cut(self, iteration: int) -> None:
        """Forget what came after an iteration."""
        keep = bisect_right(self.iterations, iteration)
        for part in (self.iterations, self.scores, self.best, self.total):
            del part[keep:]


def best_common(curves: list[Curve]) -> tuple[int, tuple[float, ...]] | None:
    """The iteration at which the mean over folds was best (the first of equals), and each fold's score there.

    One iteration for all folds: picking each fold's own best would flatter the score. None when the curves have no
    iteration in common.
    """
    common = set(curves[0].iterations).intersection(*(c.iterations for c in curves[1:])) if curves else set()
    if not common:
        return None
    at = [dict(zip(c.iterations, c.scores, strict=True)) for c in curves]
    best = max(sorted(common), key=lambda i: sum(scores[i] for scores in at))
    return best, tuple(scores[best] for scores in at)


@dataclass
class Record:
    """The results of a search as its rule sees them.

    Attributes
    ----------
    folds : int
        Folds of a whole trial.
    trials : int
        How many trials the budget allows: no rung can ever hold more.
    closing : bool
        No further trial will begin.
    sign : int
        By which scores were turned; reasons tell them in the metric's own direction.
    """

    folds: int
    trials: int
    closing: bool = False
    sign: int = 1
    moves: ClassVar[bool] = False  # whether what comes changes how the others stand
    _rungs: dict[Rung, list[float]] = field(default_factory=lambda: defaultdict(list))
    _at: dict[tuple[int, int], float] = field(default_factory=dict)
    _cohorts: dict[tuple[int, int], list[float]] = field(default_factory=lambda: defaultdict(list))
    _waiting: dict[int, int] = field(default_factory=lambda: defaultdict(int))
    _sizes: dict[int, int] = field(default_factory=lambda: defaultdict(int))
    _expected: dict[int, int] = field(default_factory=dict)
    _tables: dict[int, NDArray[np.float64]] = field(default_factory=dict)
    _prefixes: dict[int, list[float]] = field(default_factory=lambda: defaultdict(list))
    _incumbent: tuple[float, int] | None = None
    _whole: NDArray[np.float64] | None = None
    _count: int = 0
    _squares: float = 0.0
    _freedom: int = 0
    _curves: dict[tuple[int, int], Curve] = field(default_factory=dict)
    _averages: dict[tuple[int, int], list[float]] = field(default_factory=lambda: defaultdict(list))

    # Rungs

    def note_rung(self, number: int, bracket: int, cohort: int, rung: int, score: float, beside: Sequence[float] = ()) -> None:
        """A trial has all its results at a rung; `score` is their mean, `beside` what it is weighed against."""
        insort(self._rungs[bracket, rung], score)
        if cohort in self._expected:  # nobody asks for the order of one that was never joined
            insort(self._cohorts[cohort, rung], score)
        self._at[number, rung] = score

    def forget_rungs(self, number: int, bracket: int, cohort: int, last: int) -> None:
        """A trial is not what others are measured against any more: its scores up to its last rung are taken out."""
        for rung in range(last + 1):
            score = self._at.pop((number, rung), None)
            if score is not None:
                self._rungs[bracket, rung].remove(score)
                if cohort in self._expected:
                    self._cohorts[cohort, rung].remove(score)

    def score(self, number: int, rung: int) -> float:
        return self._at[number, rung]

    def count(self, bracket: int, rung: int) -> int:
        """How many trials have results at a rung."""
        return len(self._rungs[bracket, rung])

    def rank(self, number: int, bracket: int, rung: int) -> int:
        """How many trials are strictly better at a rung."""
        found = self._rungs[bracket, rung]
        return len(found) - bisect_right(found, self._at[number, rung])

    def cohort_count(self, cohort: int, rung: int) -> int:
        return len(self._cohorts[cohort, rung])

    def cohort_rank(self, number: int, cohort: int, rung: int) -> int:
        """How many trials of its cohort are strictly better at a rung."""
        found = self._cohorts[cohort, rung]
        return len(found) - bisect_right(found, self._at[number, rung])

    def enter(self, cohort: int) -> None:
        """A trial of a cohort begins to work."""
        self._waiting[cohort] += 1

    def leave(self, cohort: int) -> None:
        """A trial of a cohort works no more: it is parked or has ended."""
        self._waiting[cohort] -= 1

    def join(self, cohort: int, expected: int) -> None:
        """A trial becomes part of a cohort that is to have `expected` members."""
        self._sizes[cohort] += 1
        self._expected[cohort] = expected

    def expected(self, cohort: int) -> int:
        """How many trials a cohort is to have."""
        return self._expected[cohort]

    def size(self, cohort: int) -> int:
        """How many trials have ever joined a cohort."""
        return self._sizes[cohort]

    def working(self, cohort: int) -> int:
        """How many trials of a cohort are being fitted."""
        return self._waiting[cohort]

    # Folds

    def note_folds(self, number: int, scores: tuple[float, ...], beside: Sequence[tuple[float, ...]] = ()) -> None:
        """The scores of a trial's first folds, and of the same folds what they are weighed against."""
        table = np.asarray(scores, dtype=float)
        self._tables[number] = table
        insort(self._prefixes[len(table)], float(table.mean()))
        if len(table) == self.folds:
            self._note_whole(number, table)

    def _note_whole(self, number: int, table: NDArray[np.float64]) -> None:
        if self._incumbent is None or table.mean() > self._incumbent[0]:
            self._incumbent = (float(table.mean()), number)
        self._count += 1
        if self._whole is None:
            self._whole = np.zeros(self.folds)
        # Residuals against the fold effects known before: the first complete trial has none to be measured against.
        if self._count > 1:
            self._add_residuals(table)
        self._whole += (table - table.mean() - self._whole) / self._count

    def _add_residuals(self, table: NDArray[np.float64]) -> None:
        effects = self.effects[: len(table)]
        left = table - effects
        left = left - left.mean()
        # The effects are themselves estimated from `count` trials: their share of the residual is taken off.
        known = max(self._count - 1, 1)
        self._squares += float(left @ left) / (1 + 1 / known)
        self._freedom += len(table) - 1

    def note_ended(self, number: int) -> None:
        """A trial ended before its last fold: its scatter still tells how folds differ."""
        table = self._tables.get(number)
        if table is not None and 1 < len(table) < self.folds and self._count:
            self._add_residuals(table)

    @property
    def effects(self) -> NDArray[np.float64]:
        """Fold effects, shape (folds,): by how much each fold lies above a trial's mean (two-way additive fit)."""
        return np.zeros(self.folds) if self._whole is None else self._whole

    @property
    def scatter(self) -> tuple[float, int]:
        """Variance of a fold score after trial and fold effects, and its degrees of freedom (0: unknown)."""
        return (self._squares / self._freedom if self._freedom else 0.0, self._freedom)

    @property
    def rivals(self) -> list[int]:
        """The trials with all folds that a race is run against."""
        return [] if self._incumbent is None else [self._incumbent[1]]

    @property
    def each(self) -> Sequence[Record]:
        """What is known of fold scores, a record for each metric that decides."""
        return (self,)

    def fold_scores(self, number: int) -> NDArray[np.float64]:
        return self._tables[number]

    def median_of_folds(self, folds: int) -> tuple[float, int]:
        """The median over trials of the mean of the first folds, and over how many trials."""
        return _median(self._prefixes[folds])

    # Curves

    def note_point(self, number: int, fold: int, iteration: int, score: float) -> bool:
        """The next point of a fold's curve; False when it tells nothing new."""
        return self._curves.setdefault((number, fold), Curve()).add(iteration, score)

    def curve(self, number: int, fold: int) -> Curve:
        return self._curves.setdefault((number, fold), Curve())

    def note_finished_curve(self, number: int, fold: int) -> None:
        """A fit has reached its end: from now on others are compared with it."""
        curve = self.curve(number, fold)
        for place, iteration in enumerate(curve.iterations):
            insort(self._averages[fold, iteration], curve.total[place] / (place + 1))

    def median_of_averages(self, fold: int, iteration: int) -> tuple[float, int]:
        """The median of the finished curves' running averages up to an iteration, and of how many."""
        return _median(self._averages[fold, iteration])

    def forget_curves(self, number: int) -> None:
        for fold in range(self.folds):
            self._curves.pop((number, fold), None)


def _median(ordered: list[float]) -> tuple[float, int]:
    n = len(ordered)
    if n == 0:
        return 0.0, 0
    return (ordered[n // 2] if n % 2 else (ordered[n // 2 - 1] + ordered[n // 2]) / 2), n
