"""The prepared rows of each fold, made once in a worker and kept within a memory budget."""

from __future__ import annotations

import warnings
from collections import OrderedDict
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pellux.core.judging import Brief
from pellux.learners.preparation import category_columns, feature_matrix, transformer
from pellux.learners.row_samples import nested_order
from pellux.learners.table import Table
from pellux.learners.target import target_array

BUDGET = 512 * 2**20


@dataclass(frozen=True)
class PreparedFold:
    """Rows to learn from and rows to judge on, ready for the learner."""

    train: NDArray[np.float64]
    train_target: NDArray[Any]
    test: NDArray[np.float64]
    test_target: NDArray[Any]
    category_columns: tuple[int, ...]

    @property
    def size(self) -> int:
        return self.train.nbytes + self.test.nbytes + self.train_target.nbytes + self.test_target.nbytes


class FoldData:
    """Gives prepared folds; the preparation sees a fold's training rows only, so keeping it changes no score.

    `assigned` has the fold of each row, or one such line a repeat: then fold f is fold `f % k` of repeat `f // k`.
    """

    def __init__(self, table: Table, brief: Brief, assigned: NDArray[np.int16], budget: int = BUDGET) -> None:
        self._matrix, self._categories = feature_matrix(table, brief.features)
        self._target, _ = target_array(table, brief)
        self._assigned = np.atleast_2d(assigned)
        self._per_repeat = brief.split.folds
        self._kept: OrderedDict[tuple[int, str, float], PreparedFold] = OrderedDict()
        self._budget = budget
        self._classes, self._seed = bool(brief.classes), brief.seed

    def prepared(self, fold: int, preparation: str, share: float = 1.0) -> PreparedFold:
        """A fold ready for a learner; with a share below 1, of a stratified sample of its training rows."""
        key = (fold, preparation, share)
        if key in self._kept:
            self._kept.move_to_end(key)
            return self._kept[key]
        made = self._kept[key] = self._prepare(fold, preparation, share)
        while len(self._kept) > 1 and sum(f.size for f in self._kept.values()) > self._budget:
            self._kept.popitem(last=False)
        return made

    def _prepare(self, fold: int, preparation: str, share: float) -> PreparedFold:
        assigned = self._assigned[fold // self._per_repeat]
        place = fold % self._per_repeat
        learning = np.flatnonzero((assigned >= 0) & (assigned != place))
        if share < 1:
            order = nested_order(self._target[learning], classes=self._classes, seed=self._seed)
            learning = np.sort(learning[order[: max(int(np.ceil(share * len(order))), 2)]])
        judging = assigned == place
        train, test = self._matrix[learning], self._matrix[judging]
        width = train.shape[1]
        native = category_columns(width, self._categories)
        ready = transformer(preparation, width, self._categories)
        if ready is not None:
            with warnings.catch_warnings():
                # A category that a fold's training rows do not hold is encoded as none of the known ones: meant so.
                warnings.filterwarnings("ignore", message="Found unknown categories")
                train, test = ready.fit_transform(train), ready.transform(test)
        return PreparedFold(train, self._target[learning], test, self._target[judging], native)
