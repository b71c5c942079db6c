"""Warnings about a brief: what in the data would make scores look better than the model is."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from pellux.core.judging import BINARY, HOLDOUT, REGRESSION, Brief, Folds, Rows
from pellux.core.judging.leaks import copies, determination, same
from pellux.core.judging.split_plans import BY_GROUP, ORDERED
from pellux.objectives.tabular.preparation import feature_matrix
from pellux.tables.table import Column, Table

LOOKED_AT = 20_000  # rows
GIVEN_AWAY = 0.97
SUSPICIOUS = 0.9
ID_SHARE = 0.98  # of different values among the rows
FEWEST_GROUPS = 10
MOSTLY_MISSING = 0.95
COPIES = 0.01


@dataclass(frozen=True)
class Finding:
    """A warning: the column it is about ('' when it is the whole), what was seen, what to do."""

    kind: str
    column: str
    words: str


def leak_check(table: Table, brief: Brief, rows: Rows, folds: Folds) -> list[Finding]:
    """All findings, the gravest first."""
    inside = np.flatnonzero(folds.outside)
    if len(inside) > LOOKED_AT:
        inside = np.sort(np.random.default_rng(0).choice(inside, LOOKED_AT, replace=False))
    found: list[Finding] = []
    target = rows.target[inside]
    for name in brief.features:
        column = table.column(name)
        finding = _of_column(column, np.asarray(table.values(name))[inside].astype(float), target, len(brief.classes), table.rows)
        if finding:
            found.append(finding)
    order = ("the target", "gives the target away", "suspicious", "like an id")
    found.sort(key=lambda f: order.index(f.kind) if f.kind in order else len(order))
    return [
        *found,
        *_of_groups(table, brief),
        *_of_time(table, brief),
        *_of_copies(table, brief, inside, folds),
        *_of_folds(brief, rows, folds),
    ]


def _of_column(column: Column, values: NDArray[np.float64], target: NDArray[np.float64], classes: int, rows: int) -> Finding | None:
    name = column.name
    if column.coded:
        values = np.where(values < 0, np.nan, values)
    if same(values, target.astype(float)):
        return Finding("the target", name, f"{name} is the target in other words. Ignore it.")
    told = determination(values, target, classes)
    if told >= GIVEN_AWAY:
        return Finding(
            "gives the target away", name, f"{name} alone tells the target nearly always ({told:.0%}). Was it known when a prediction is due? If not, ignore it."
        )  # fmt: skip
    if told >= SUSPICIOUS:
        return Finding(
            "suspicious", name, f"{name} alone tells the target surprisingly well ({told:.0%}). Make sure it is known in time."
        )
    if column.whole and column.distinct >= ID_SHARE * (rows - column.missing) and rows > 50:
        return Finding("like an id", name, f"{name} has a different whole number in nearly every row, like an id. Ids carry over from no row to the next; ignore it.")  # fmt: skip
    if column.missing >= MOSTLY_MISSING * rows:
        return Finding("mostly missing", name, f"{name} is missing in {column.missing / rows:.0%} of the rows.")
    return None


def _of_groups(table: Table, brief: Brief) -> list[Finding]:
    if brief.group and brief.split.kind not in BY_GROUP:
        return [Finding("group over folds", brief.group, f"Rows of one {brief.group} lie in several folds: the model may recognise it. Use grouped folds.")]  # fmt: skip
    if brief.group:
        return []
    found = []
    for column in table.columns:
        named = column.name.lower().endswith(("id", "_no", "number", "serial")) or column.name.lower().startswith("id")
        recurs = FEWEST_GROUPS <= column.distinct <= table.rows / 2
        if named and recurs and column.coded and column.name != brief.target:
            found.append(Finding("group over folds", column.name, f"{column.name} looks like the name of a thing that recurs ({table.rows / column.distinct:.0f} rows each). If predictions are for new ones, give it the role group."))  # fmt: skip
    return found


def _of_time(table: Table, brief: Brief) -> list[Finding]:
    dated = [c.name for c in table.columns if c.type == "date"]
    if brief.split.kind == ORDERED or not (brief.time or dated):
        return []
    name = brief.time or dated[0]
    how = "" if brief.time else "give it the role time and "
    return [Finding("time shuffled", name, f"The folds mix past and future. If predictions are for later rows, {how}use folds ordered in time.")]  # fmt: skip


def _of_copies(table: Table, brief: Brief, inside: NDArray[np.intp], folds: Folds) -> list[Finding]:
    matrix, _ = feature_matrix(table, brief.features)
    first = copies(np.nan_to_num(matrix[inside], nan=-1.5e300))
    repeated = first != np.arange(len(first))
    across = repeated & (folds.first[inside] != folds.first[inside[first]])
    if across.mean() < COPIES:
        return []
    return [Finding("copies", "", f"{across.mean():.0%} of the rows are copies of a row in another fold: the model has seen them. Remove copies, or group them.")]  # fmt: skip


def _of_folds(brief: Brief, rows: Rows, folds: Folds) -> list[Finding]:
    """Folds on which the metric is not determined, or next to nothing is learnt."""
    if brief.task == REGRESSION:
        return []
    found = []
    for fold in range(brief.split.fits):
        there = np.unique(rows.target[folds.test(fold)])
        learnt = np.unique(rows.target[folds.train(fold)])
        lacking = [brief.classes[c] for c in range(len(brief.classes)) if c not in there]
        if len(learnt) < 2:
            found.append(Finding("one class", "", f"Fold {fold + 1} learns from rows of one class only."))
        elif lacking and (brief.task == BINARY or len(there) < 2):
            found.append(Finding("one class", "", f"Fold {fold + 1} tests no row of the class {lacking[0]}: its score may not exist. Use stratified folds, or fewer."))  # fmt: skip
        elif len(learnt) < len(brief.classes):
            found.append(Finding("unseen class", "", f"Fold {fold + 1} learns from {len(learnt)} of {len(brief.classes)} classes."))
    if brief.split.holdout > 0 and len(np.unique(rows.target[folds.first == HOLDOUT])) < 2:
        found.append(Finding("one class", "", "The holdout has rows of one class only."))
    return found
