"""The prepared rows of each fold: every step is computed once, and kept within a memory budget."""

from __future__ import annotations

import warnings
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pellux.core.judging import Brief, Folds
from pellux.objectives.tabular.prefixes import Pair, Prefixes
from pellux.objectives.tabular.preparation import Steps, feature_matrix, native_columns, reducer, transformer, without_empty
from pellux.objectives.tabular.row_samples import nested_order
from pellux.objectives.tabular.target import target_array, telling, weight_array
from pellux.tables.table import Table

FALSE_ALARM = "categorical_feature keyword has been found"  # LightGBM, of how it was told which columns are categories
# Meant so: a category that a fold's training rows do not hold is encoded as none of the known ones, a column that is the
# same in all of them tells nothing, and the classes are too many for some to be sure of.
EXPECTED = (
    FALSE_ALARM,
    "Found unknown categories", "Features .* are constant", "invalid value encountered in divide", "divide by zero encountered in divide",
)  # fmt: skip


@dataclass(frozen=True)
class PreparedFold:
    """Rows to learn from and rows to judge on, ready for the learner. Weights are None when all rows count the same."""

    train: NDArray[np.float64]
    train_target: NDArray[Any]
    test: NDArray[np.float64]
    test_target: NDArray[Any]
    category_columns: tuple[int, ...]
    train_weight: NDArray[np.float64] | None = None
    test_weight: NDArray[np.float64] | None = None


class FoldData:
    """Gives prepared folds; the preparation sees a fold's training rows only, so keeping it changes no score.

    `assigned` are the folds as they are kept (core/judging/split_plans.py).
    """

    def __init__(self, table: Table, brief: Brief, assigned: NDArray[np.int16], prefixes: Prefixes | None = None) -> None:
        self._matrix, self._categories = feature_matrix(table, brief.features)
        self._target, _ = target_array(table, brief)
        self._weight = weight_array(table, brief)
        self._folds = Folds.of(assigned, brief.split)
        self._prefixes = Prefixes() if prefixes is None else prefixes
        self._brief = brief
        self._rows: dict[tuple[int, float], tuple[NDArray[np.intp], NDArray[np.intp]]] = {}

    def prepared(self, fold: int, steps: Steps, share: float = 1.0) -> PreparedFold:
        """A fold ready for a learner; with a share below 1, of a stratified sample of its training rows."""
        learning, judging = self._rows_of(fold, share)
        train, test = self._reduced(fold, steps, share)
        native = native_columns(steps, self._matrix.shape[1], self._categories)
        weight = self._weight
        return PreparedFold(
            train, self._target[learning], test, self._target[judging], native,
            None if weight is None else telling(weight[learning]), None if weight is None else weight[judging],
        )  # fmt: skip

    def _rows_of(self, fold: int, share: float) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
        if (fold, share) not in self._rows:
            learning = np.flatnonzero(self._folds.train(fold))
            if share < 1:
                order = nested_order(self._target[learning], classes=bool(self._brief.classes), seed=self._brief.seed)
                learning = np.sort(learning[order[: max(int(np.ceil(share * len(order))), 2)]])
            self._rows[fold, share] = learning, np.flatnonzero(self._folds.test(fold))
        return self._rows[fold, share]

    def _reduced(self, fold: int, steps: Steps, share: float) -> Pair:
        if steps.reduce == "none":
            return self._columns(fold, steps, share)
        return self._prefixes.get((fold, share, steps), lambda: self._reduce(fold, steps, share))

    def _columns(self, fold: int, steps: Steps, share: float) -> Pair:
        made = (fold, share, steps.columns)
        return self._prefixes.get(made, lambda: self._prepare(fold, steps.columns, share), share=not steps.columns.untouched)

    def _prepare(self, fold: int, steps: Steps, share: float) -> Pair:
        learning, judging = self._rows_of(fold, share)
        train, test = without_empty(self._matrix[learning], self._matrix[judging])
        ready = transformer(steps, self._matrix.shape[1], self._categories, self._brief.task, self._brief.seed)
        return (train, test) if ready is None else _fitted(ready, train, self._target[learning], test)

    def _reduce(self, fold: int, steps: Steps, share: float) -> Pair:
        train, test = self._columns(fold, steps, share)
        return _fitted(reducer(steps, self._brief.task), train, self._target[self._rows_of(fold, share)[0]], test)


def _fitted(transformer: Any, train: NDArray[np.float64], target: NDArray[Any], test: NDArray[np.float64]) -> Pair:
    with warnings.catch_warnings():
        for message in EXPECTED:
            warnings.filterwarnings("ignore", message=message)
        return transformer.fit_transform(train, target), transformer.transform(test)
