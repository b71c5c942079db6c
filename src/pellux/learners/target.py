"""From a target column to a task, its classes and the array that is learnt."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from pellux.core.errors import InvalidBrief
from pellux.core.judging import BINARY, MULTICLASS, REGRESSION, Brief
from pellux.learners.table import CATEGORY, Column, Table

MOST_CLASSES = 200
POSITIVE_WORDS = ("yes", "true", "1", "positive", "y", "t")


def infer_task(table: Table, target: str) -> str:
    """Binary, multiclass or regression, read off the column: numbers with more than two values are a regression."""
    column = table.column(target)
    if column.type == CATEGORY or column.distinct <= 2:
        return BINARY if column.distinct <= 2 else MULTICLASS
    return REGRESSION


def labels_of(column: Column, values: NDArray[Any]) -> list[str]:
    """The labels that occur, in order of their codes or numbers."""
    if column.type == CATEGORY:
        return [column.categories[code] for code in np.unique(values[values >= 0])]
    return [f"{number:.12g}" for number in np.unique(values[~np.isnan(values)])]


def classes_of(table: Table, target: str, positive: str | None = None) -> tuple[str, ...]:
    """The labels of a classification target; with two of them the positive one comes second.

    Without a wish the positive class is the one called yes/true/1, else the rarer.
    """
    column, values = table.column(target), table.values(target)
    labels = labels_of(column, values)
    if len(labels) < 2:
        only = f" It is '{labels[0]}' in every row." if labels else " It is missing in every row."
        raise InvalidBrief(f"{target} has fewer than two classes.{only}", at="target")
    if len(labels) > MOST_CLASSES:
        raise InvalidBrief(
            f"{target} has {len(labels)} classes, more than {MOST_CLASSES}. Is it a number to predict, or an id?", at="target"
        )
    if len(labels) > 2:
        return tuple(labels)
    if positive is not None and positive not in labels:
        raise InvalidBrief(f"'{positive}' is not a class of {target}. Its classes: {', '.join(labels)}.", at="positive")
    named = [label for label in labels if label.lower() in POSITIVE_WORDS]
    chosen = positive or (named[0] if len(named) == 1 else _rarer(column, values, labels))
    return tuple(sorted(labels, key=lambda label: label == chosen))


def _rarer(column: Column, values: NDArray[Any], labels: list[str]) -> str:
    known = values[values >= 0] if column.type == CATEGORY else values[~np.isnan(values)]
    counts = np.unique(known, return_counts=True)[1]
    return labels[1] if counts[1] <= counts[0] else labels[0]


def target_array(table: Table, brief: Brief) -> tuple[NDArray[Any], NDArray[np.bool_]]:
    """What is learnt: class codes (int64) or numbers, shape (rows,), and which rows have a target at all."""
    column, values = table.column(brief.target), np.asarray(table.values(brief.target))
    if column.type == CATEGORY:
        if brief.task == REGRESSION:
            raise InvalidBrief(f"{brief.target} holds categories; a regression needs numbers.", at="target")
        codes = {label: code for code, label in enumerate(brief.classes)}
        recode = np.array([codes.get(label, -1) for label in column.categories] + [-1], dtype=np.int64)
        return recode[values], values >= 0
    known = ~np.isnan(values)
    if not known.any():
        raise InvalidBrief(f"{brief.target} is missing in every row.", at="target")
    if brief.task == REGRESSION:
        return values, known
    codes = {label: code for code, label in enumerate(brief.classes)}
    found = np.full(len(values), -1, dtype=np.int64)
    numbers, inverse = np.unique(values[known], return_inverse=True)
    found[known] = np.array([codes[f"{number:.12g}"] for number in numbers], dtype=np.int64)[inverse]
    return found, known
