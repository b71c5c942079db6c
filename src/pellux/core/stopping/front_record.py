"""What is known of trials that several metrics decide between: rungs are ranked by fronts, races are run in every metric."""

from __future__ import annotations

from bisect import bisect_right
from collections import defaultdict
from collections.abc import Hashable, Sequence

import numpy as np
from numpy.typing import NDArray

from pellux.core.judging.fronts import on_front, standing
from pellux.core.stopping.record import Record


class _Ranking:
    """Trials at one place, each with its values; ordered anew when one has come or gone since it was asked."""

    def __init__(self) -> None:
        self.values: dict[int, tuple[float, ...]] = {}
        self._places: dict[int, float] | None = None
        self._sorted: list[float] = []

    def put(self, number: int, values: tuple[float, ...]) -> None:
        self.values[number] = values
        self._places = None

    def drop(self, number: int) -> None:
        if self.values.pop(number, None) is not None:
            self._places = None

    def place(self, number: int) -> float:
        """By layers of fronts, within one the lonely ones first."""
        if self._places is None:
            numbers = sorted(self.values)  # equals are told apart by their order: it must not be that in which they came
            found = standing(np.array([self.values[one] for one in numbers]))
            self._places = dict(zip(numbers, found.tolist(), strict=True))
            self._sorted = sorted(self._places.values())
        return self._places[number]

    def rank(self, number: int) -> int:
        place = self.place(number)
        return len(self._sorted) - bisect_right(self._sorted, place)


class FrontRecord(Record):
    """The same questions as of one score; what is better is said by fronts, and changes with every result that comes."""

    moves = True

    def __init__(self, folds: int, trials: int, sign: int, aims: int) -> None:
        super().__init__(folds, trials, sign=sign)
        self._rankings: dict[Hashable, _Ranking] = defaultdict(_Ranking)
        self._each = [Record(folds, trials, sign=sign), *(Record(folds, trials) for _ in range(aims))]
        self._whole_trials = _Ranking()
        self._where: dict[tuple[int, int], int] = {}

    def note_rung(
        self, number: int, bracket: int, cohort: int, rung: int, score: float, beside: Sequence[float] = ()
    ) -> None:  # fmt: skip
        values = (score, *beside)
        self._at[number, rung] = score
        self._rankings["rung", bracket, rung].put(number, values)
        self._rankings["cohort", cohort, rung].put(number, values)
        self._where[number, rung] = bracket

    def forget_rungs(self, number: int, bracket: int, cohort: int, last: int) -> None:
        for rung in range(last + 1):
            self._at.pop((number, rung), None)
            self._rankings["rung", bracket, rung].drop(number)
            self._rankings["cohort", cohort, rung].drop(number)

    def score(self, number: int, rung: int) -> float:
        """Its place among those of its rung, larger is better: not its score."""
        return self._rankings["rung", self._where[number, rung], rung].place(number)

    def count(self, bracket: int, rung: int) -> int:
        return len(self._rankings["rung", bracket, rung].values)

    def rank(self, number: int, bracket: int, rung: int) -> int:
        return self._rankings["rung", bracket, rung].rank(number)

    def cohort_count(self, cohort: int, rung: int) -> int:
        return len(self._rankings["cohort", cohort, rung].values)

    def cohort_rank(self, number: int, cohort: int, rung: int) -> int:
        return self._rankings["cohort", cohort, rung].rank(number)

    def note_folds(self, number: int, scores: tuple[float, ...], beside: Sequence[tuple[float, ...]] = ()) -> None:
        tables = (scores, *beside)
        for record, told in zip(self._each, tables, strict=True):
            record.note_folds(number, told)
        if len(scores) == self.folds:
            self._whole_trials.put(number, tuple(float(np.mean(told)) for told in tables))

    def note_ended(self, number: int) -> None:
        for record in self._each:
            record.note_ended(number)

    @property
    def rivals(self) -> list[int]:
        """The trials with all folds that are on the front."""
        known = self._whole_trials.values
        if not known:
            return []
        return [number for number, on in zip(known, on_front(np.array(list(known.values()))), strict=True) if on]

    @property
    def each(self) -> Sequence[Record]:
        return self._each

    def fold_scores(self, number: int) -> NDArray[np.float64]:
        return self._each[0].fold_scores(number)
