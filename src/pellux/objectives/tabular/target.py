"""From a target column to a task, its classes and the array that is learnt."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from pellux.core.errors import InvalidBrief
from pellux.core.judging import BINARY, HOLDOUT, MULTICLASS, REGRESSION, UNUSED, Brief, Rows
from pellux.tables.table import Column, Table

MOST_CLASSES = 200
POSITIVE_WORDS = ("yes", "true", "1", "positive", "y", "t")


def infer_task(table: Table, target: str) -> str:
    """Binary, multiclass or regression, read off the column: numbers with more than two values are a regression."""
    column = table.column(target)
    if column.coded or column.distinct <= 2:
        return BINARY if column.distinct <= 2 else MULTICLASS
    return REGRESSION


def labels_of(column: Column, values: NDArray[Any]) -> list[str]:
    """The labels that occur, in order of their codes or numbers."""
    if column.coded:
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
    known = values[values >= 0] if column.coded else values[~np.isnan(values)]
    counts = np.unique(known, return_counts=True)[1]
    return labels[1] if counts[1] <= counts[0] else labels[0]


def target_array(table: Table, brief: Brief) -> tuple[NDArray[Any], NDArray[np.bool_]]:
    """What is learnt: class codes (int64) or numbers, shape (rows,), and which rows have a target at all."""
    column, values = table.column(brief.target), np.asarray(table.values(brief.target))
    if column.coded:
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


def weight_array(table: Table, brief: Brief) -> NDArray[np.float64] | None:
    """How much each row counts, shape (rows,), in learning and in judging; None when the brief names no weights."""
    if not brief.weight:
        return None
    column = table.column(brief.weight, at="weight")
    if not column.numeric:
        raise InvalidBrief(f"{brief.weight} holds no numbers and cannot weigh rows.", at="weight")
    found = np.asarray(table.values(brief.weight, at="weight"), dtype=float)
    if np.isnan(found).any():
        raise InvalidBrief(
            f"{brief.weight} is missing in {int(np.isnan(found).sum())} rows; a weight is needed in all.", at="weight"
        )
    if (found < 0).any() or not (found > 0).any():
        raise InvalidBrief(f"Weights are 0 or more, and some above 0. {brief.weight} has others.", at="weight")
    return found


def telling(weight: NDArray[np.float64] | None) -> NDArray[np.float64] | None:
    """Weights to learn with; None where all are the same, which says nothing and costs some learners ten times the work."""
    return None if weight is None or len(weight) == 0 or weight.min() == weight.max() else weight


def split_rows(table: Table, brief: Brief) -> Rows:
    """What the split plan of a brief looks at."""
    target, known = target_array(table, brief)
    weight = weight_array(table, brief)
    if weight is not None:
        known = known & (weight > 0)
    group = _codes_of(table, brief.group, "group") if brief.group else None
    time = _times_of(table, brief.time) if brief.time else None
    own = own_folds(table, brief.fold)[0] if brief.fold else None
    return Rows(target, known, group, time, own)


def _codes_of(table: Table, name: str, role: str) -> NDArray[Any]:
    """A whole number for each distinct value of a column; -1 where it is missing."""
    column, values = table.column(name, at=role), np.asarray(table.values(name, at=role))
    if column.coded:
        return values
    found = np.full(len(values), -1, dtype=np.int64)
    known = ~np.isnan(values)
    found[known] = np.unique(values[known], return_inverse=True)[1]
    return found


def _times_of(table: Table, name: str) -> NDArray[np.float64]:
    if not table.column(name, at="time").numeric:
        raise InvalidBrief(
            f"{name} holds neither dates nor numbers: it does not say when. Correct its type, if it can be.", at="time"
        )
    return np.asarray(table.values(name, at="time"), dtype=float)


def own_folds(table: Table, name: str) -> tuple[NDArray[np.int16], int]:
    """The fold of every row as a column says it, and how many folds there are.

    Its values in order are the folds; a row that says 'holdout' is held out, one that says nothing is only learnt from.
    """
    column, codes = table.column(name, at="fold"), _codes_of(table, name, "fold")
    held = -1
    if column.coded:
        words = [label.strip().lower() for label in column.categories]
        held = words.index("holdout") if "holdout" in words else -1
    found = np.full(len(codes), UNUSED, dtype=np.int16)
    values = [int(c) for c in np.unique(codes[codes >= 0]) if c != held]
    if not 2 <= len(values) <= 50:
        raise InvalidBrief(f"{name} has {len(values)} different values; a fold column has 2 to 50.", at="fold")
    for fold, value in enumerate(values):
        found[codes == value] = fold
    if held >= 0:
        found[codes == held] = HOLDOUT
    return found, len(values)
