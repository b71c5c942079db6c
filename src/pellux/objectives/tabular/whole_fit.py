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

from pellux.core.judging import Brief, Folds
from pellux.objectives.tabular.fitting import predict
from pellux.objectives.tabular.fold_data import EXPECTED
from pellux.objectives.tabular.learners.building import estimator, plain
from pellux.objectives.tabular.learners.catalogue import Catalogue
from pellux.objectives.tabular.learners.settings import Circumstances
from pellux.objectives.tabular.own.declared import catalogue_of
from pellux.objectives.tabular.preparation import (
    emptied,
    empty_columns,
    feature_matrix,
    native_columns,
    reducer,
    steps_of,
    transformer,
)
from pellux.objectives.tabular.target import target_array, telling, weight_array
from pellux.tables.files import FOLDS, array
from pellux.tables.table import Table

Array = NDArray[Any]


@dataclass(frozen=True)
class Ground:
    """A problem's rows, opened: where they lie, which fold each is in, and where people's own code is."""

    table_folder: Path
    folds_file: Path
    brief: Brief
    own: Path | None = None

    def __getstate__(self) -> dict[str, Any]:
        """To another process goes what it needs to look people's own learners and metrics up there."""
        return {
            "table_folder": self.table_folder, "folds_file": self.folds_file, "brief": self.brief.to_json(), "own": self.own,
        }  # fmt: skip

    def __setstate__(self, state: dict[str, Any]) -> None:
        self.__dict__.update(state)
        self.__dict__["brief"] = Brief.from_json(state["brief"], self.catalogue.metrics)

    @cached_property
    def catalogue(self) -> Catalogue:
        return catalogue_of(self.own)

    @cached_property
    def table(self) -> Table:
        return Table.open(self.table_folder)

    @cached_property
    def folds(self) -> Folds:
        return Folds.of(array(self.folds_file, FOLDS), self.brief.split)

    @property
    def assigned(self) -> NDArray[np.int16]:
        """The fold of every row in the first repeat; see core/judging/split_plans.py."""
        return self.folds.first

    @cached_property
    def target(self) -> Array:
        return target_array(self.table, self.brief)[0]

    @cached_property
    def known(self) -> NDArray[np.bool_]:
        """Rows that a model to take away learns from: all whose target is known and that count, whether a fold tests them or not."""
        known = target_array(self.table, self.brief)[1]
        return known if self.weight is None else known & (self.weight > 0)

    @cached_property
    def weight(self) -> NDArray[np.float64] | None:
        """How much each row counts; None when all count the same."""
        return weight_array(self.table, self.brief)

    def weight_of(self, rows: NDArray[np.bool_] | NDArray[np.intp]) -> NDArray[np.float64] | None:
        return None if self.weight is None else self.weight[rows]

    def matching(self, parts: Mapping[int, bytes]) -> Mapping[int, bytes]:
        """A trial's predictions: those of a problem are all of its own rows."""
        return parts

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
        return [f for f in self.brief.features if self.table.column(f).numeric]

    @property
    def labels(self) -> list[str]:
        return [f for f in self.brief.features if self.table.column(f).coded]


def unfitted(key: str, settings: Mapping[str, Any], ground: Ground, rows: NDArray[np.bool_]) -> Any:
    """The pipeline of a learner and its preparation, as plain scikit-learn, to be fitted on some rows."""
    from sklearn.pipeline import Pipeline

    brief, width = ground.brief, len(ground.columns)
    chosen, own = ground.catalogue.learner(key, brief.task).settle(settings)
    steps = steps_of(chosen, own)
    around = Circumstances(brief.task, brief.seed, native_columns(steps, width, ground.categories))
    parts = [
        ("empty", emptied(width, empty_columns(ground.matrix[rows]))),
        ("prepare", transformer(steps, width, ground.categories, brief.task, brief.seed)),
        ("reduce", reducer(steps, brief.task)),
        ("learn", estimator(chosen, own, around)),
    ]
    return Pipeline([(name, part) for name, part in parts if part is not None])


def fitted(key: str, settings: Mapping[str, Any], ground: Ground, rows: NDArray[np.bool_]) -> Any:
    """The pipeline, fitted on some rows."""
    pipeline = unfitted(key, settings, ground, rows)
    with quiet():
        weight = telling(ground.weight_of(rows))
        given = {} if weight is None else {"learn__sample_weight": weight}
        pipeline.fit(ground.matrix[rows], ground.target[rows], **given)
    pipeline.steps[-1] = ("learn", plain(pipeline.named_steps["learn"]))
    return pipeline


def score(pipeline: Any, ground: Ground, rows: NDArray[np.bool_] | NDArray[np.intp]) -> tuple[float, Array]:
    """The metric on some rows, and what was predicted for them."""
    brief = ground.brief
    with quiet():
        predicted = predict(pipeline, ground.matrix[rows], brief)
    return brief.judged_by.compute(ground.target[rows], predicted, len(brief.classes), ground.weight_of(rows)), predicted


@contextmanager
def quiet() -> Iterator[None]:
    with warnings.catch_warnings():
        for message in EXPECTED:
            warnings.filterwarnings("ignore", message=message)
        warnings.filterwarnings("ignore", message=".*failed to converge")
        yield
