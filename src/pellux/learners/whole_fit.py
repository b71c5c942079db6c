"""Fits outside the folds: on all rows, or on all but the holdout, as a scikit-learn pipeline that can be taken away."""

from __future__ import annotations

import warnings
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pellux.core.judging import Brief
from pellux.learners.building import estimator, plain
from pellux.learners.catalogue import learner
from pellux.learners.fitting import predict
from pellux.learners.preparation import category_columns, feature_matrix, transformer
from pellux.learners.settings import Circumstances
from pellux.learners.table import Table
from pellux.learners.target import target_array

Array = NDArray[Any]


@dataclass(frozen=True)
class Ground:
    """A problem's rows, opened: where they lie, and which fold each is in."""

    table_folder: Path
    folds_file: Path
    brief: Brief

    @cached_property
    def table(self) -> Table:
        return Table.open(self.table_folder)

    @cached_property
    def assigned(self) -> NDArray[np.int16]:
        """The fold of every row; -1 holdout, -2 without a target."""
        return np.asarray(np.load(self.folds_file))

    @cached_property
    def target(self) -> Array:
        return target_array(self.table, self.brief)[0]

    @cached_property
    def matrix(self) -> NDArray[np.float64]:
        """Feature columns of all rows: numbers first, then category codes."""
        return feature_matrix(self.table, self.brief.features)[0]

    @cached_property
    def categories(self) -> tuple[int, ...]:
        return feature_matrix(self.table, self.brief.features)[1]

    @property
    def columns(self) -> list[str]:
        """Names of the matrix's columns."""
        return [*self.numbers, *self.labels]

    @property
    def numbers(self) -> list[str]:
        return [f for f in self.brief.features if self.table.column(f).type == "number"]

    @property
    def labels(self) -> list[str]:
        return [f for f in self.brief.features if self.table.column(f).type == "category"]


def unfitted(key: str, settings: Mapping[str, Any], ground: Ground) -> Any:
    """The pipeline of a learner and its preparation, as plain scikit-learn."""
    from sklearn.pipeline import Pipeline

    brief, width = ground.brief, len(ground.columns)
    chosen = learner(key, brief.task)
    around = Circumstances(brief.task, brief.seed, category_columns(width, ground.categories))
    model = estimator(chosen, settings, around)
    ready = transformer(chosen.preparation, width, ground.categories)
    return Pipeline([("learn", model)] if ready is None else [("prepare", ready), ("learn", model)])


def fitted(key: str, settings: Mapping[str, Any], ground: Ground, rows: NDArray[np.bool_]) -> Any:
    """The pipeline, fitted on some rows."""
    pipeline = unfitted(key, settings, ground)
    with quiet():
        pipeline.fit(ground.matrix[rows], ground.target[rows])
    pipeline.steps[-1] = ("learn", plain(pipeline.named_steps["learn"]))
    return pipeline


def score(pipeline: Any, ground: Ground, rows: NDArray[np.bool_] | NDArray[np.intp]) -> tuple[float, Array]:
    """The metric on some rows, and what was predicted for them."""
    brief = ground.brief
    with quiet():
        predicted = predict(pipeline, ground.matrix[rows], brief)
    return brief.judged_by.compute(ground.target[rows], predicted, len(brief.classes)), predicted


@contextmanager
def quiet() -> Iterator[None]:
    with warnings.catch_warnings():
        # A category that the training rows do not hold is encoded as none of the known ones: meant so.
        warnings.filterwarnings("ignore", message="Found unknown categories")
        warnings.filterwarnings("ignore", message=".*failed to converge")
        yield
