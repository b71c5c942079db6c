"""How much a model leans on each column: the score it loses when the column's values are shuffled among the test rows.

References
----------
Breiman, Random forests, Machine Learning 45, 2001, section 10; on the raw columns, outside the training rows.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from pellux.objectives.tabular.fitting import predict
from pellux.objectives.tabular.whole_fit import Ground, fitted, quiet

REPEATS = 3


@dataclass(frozen=True)
class ColumnImportance:
    """`drop` is the mean loss of score over folds, turned so that more means more important; `error` its standard error."""

    column: str
    drop: float
    error: float


def column_importance(
    ground: Ground, key: str, settings: Mapping[str, Any], repeats: int = REPEATS, folds: int | None = None
) -> list[ColumnImportance]:
    """Every column, the most important first. Fits once a fold (at most `folds` of them) and predicts columns × repeats times."""
    brief = ground.brief
    metric, classes = brief.judged_by, len(brief.classes)
    numbers = range(min(folds or brief.split.folds, brief.split.folds))
    drops = np.empty((len(numbers), len(ground.columns)))
    for fold in numbers:
        rng = np.random.default_rng([brief.seed, fold])
        pipeline = fitted(key, settings, ground, ground.folds.train(fold))
        test = ground.folds.test(fold)
        truth, rows, weight = ground.target[test], ground.matrix[test], ground.weight_of(test)
        with quiet():
            whole = metric.compute(truth, predict(pipeline, rows, brief), classes, weight)
            for place in range(rows.shape[1]):
                shuffled = np.tile(rows, (repeats, 1))  # one call for all repeats: many small ones cost more
                shuffled[:, place] = np.concatenate([rng.permutation(rows[:, place]) for _ in range(repeats)])
                parts = np.split(predict(pipeline, shuffled, brief), repeats)
                drops[fold, place] = metric.sign * np.mean([whole - metric.compute(truth, part, classes, weight) for part in parts])
    errors = drops.std(axis=0, ddof=1) / np.sqrt(len(numbers)) if len(numbers) > 1 else np.zeros(drops.shape[1])
    found = [
        ColumnImportance(column, float(drop), float(error))
        for column, drop, error in zip(ground.columns, drops.mean(axis=0), errors, strict=True)
    ]
    return sorted(found, key=lambda c: -c.drop)
