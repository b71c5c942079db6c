"""From a brief as a person writes it to the frozen brief, its folds, and a drawing of them."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pellux.core.errors import InvalidBrief
from pellux.core.judging import (
    BINARY,
    HOLDOUT,
    ONLY_LEARNT,
    OURS,
    REGRESSION,
    UNUSED,
    Brief,
    Folds,
    Metrics,
    Rows,
    SplitPlan,
    assign_folds,
    default_metric,
    fingerprint,
)
from pellux.core.judging.brief import ROLES
from pellux.core.judging.split_plans import COLUMN, ORDERED
from pellux.objectives.tabular.objective import TabularObjective
from pellux.objectives.tabular.target import classes_of, infer_task, own_folds, split_rows
from pellux.service.planning.requests import BriefRequest
from pellux.service.workspace import Workspace
from pellux.store.records import Problem
from pellux.tables.table import DATE, TEXT, Column, Table

STRIPE = 160


@dataclass(frozen=True)
class Framed:
    """A brief that can be judged, with its folds and what they were drawn from."""

    brief: Brief
    folds: Folds
    rows: Rows


def default_role(column: Column) -> tuple[str, str]:
    """The role a column starts with, and why when it is left out."""
    if column.type == TEXT:
        return "ignore", column.note or "free text"
    if column.distinct == 0:
        return "ignore", "no values"
    if column.distinct == 1 and column.missing == 0:
        return "ignore", "one value throughout"
    if column.type == DATE:
        return "ignore", "a date: make it time, or a feature"
    return "feature", ""


def frame(table: Table, request: BriefRequest, metrics: Metrics = OURS) -> Framed:
    """Check a brief against its data; InvalidBrief names the field that has to change."""
    column = table.column(request.target)
    if column.type == TEXT:
        raise InvalidBrief(f"{column.name} holds free text or ids and cannot be a target.", at="target")
    if column.distinct == 0:
        raise InvalidBrief(f"{column.name} is missing in every row.", at="target")
    task = request.task or _task(table, request, metrics)
    if task == REGRESSION and column.coded:
        raise InvalidBrief(f"{column.name} holds categories; a regression needs numbers.", at="target")
    classes = () if task == REGRESSION else classes_of(table, column.name, request.positive)
    if task != REGRESSION and (task == BINARY) != (len(classes) == 2):
        raise InvalidBrief(f"{column.name} has {len(classes)} classes; that is not a {task} task.", at="task")
    brief = Brief(
        data=table.hash,
        target=column.name,
        features=_features(table, request),
        task=task,
        classes=classes,
        metric=request.metric or default_metric(task, _rarest_share(table, request.target, classes)),
        split=_split(table, request, task),
        seed=request.seed,
        recorded=tuple(dict.fromkeys([*request.recorded, *_also_recorded(request, metrics)])),
        limits=tuple(request.limits),
        against=tuple(request.against),
        metrics=metrics,
        **{role: getattr(request, role) or "" for role in ROLES},
    )
    rows = split_rows(table, brief)
    return Framed(brief, assign_folds(brief.split, rows), rows)


def _also_recorded(request: BriefRequest, metrics: Metrics) -> list[str]:
    """Metrics that the score is weighed against: whoever names one wants it measured."""
    known = {metric.key for metric in metrics.every()}
    return [name for name in request.against if name in known]


def _split(table: Table, request: BriefRequest, task: str) -> SplitPlan:
    """The split plan; where the data's own folds hold rows out, with the share that they hold."""
    if not request.fold:
        return request.split_plan(task)
    folds, count = own_folds(table, request.fold)
    plan = request.split_plan(task, count)
    held = float(np.mean(folds == HOLDOUT))
    return replace(plan, holdout=min(held, 0.5)) if plan.kind == COLUMN and held > 0 else plan


def _task(table: Table, request: BriefRequest, metrics: Metrics) -> str:
    inferred = infer_task(table, request.target)
    if request.metric is None:
        return inferred
    suited = metrics.get(request.metric).tasks
    if inferred in suited or inferred != REGRESSION:
        return inferred
    # Numbers that look like a regression, judged by a metric of classes: the numbers are labels.
    return "multiclass" if "multiclass" in suited else inferred


def _features(table: Table, request: BriefRequest) -> tuple[str, ...]:
    for name in [*(request.features or []), *request.ignore]:
        table.column(name, at="features" if name in (request.features or []) else "ignore")
    for name in request.features or []:
        if table.column(name).type == TEXT:
            raise InvalidBrief(f"{name} holds free text, which no learner here can read. Ignore it.", at="features")
        if table.column(name).distinct == 0:
            raise InvalidBrief(f"{name} is missing in every row: there is nothing to learn from it. Ignore it.", at="features")
    wanted = (
        request.features if request.features is not None else [c.name for c in table.columns if default_role(c)[0] == "feature"]
    )
    taken = {getattr(request, role) for role in ROLES} if not request.features else set()
    return tuple(name for name in wanted if name != request.target and name not in request.ignore and name not in taken)


def _rarest_share(table: Table, target: str, classes: tuple[str, ...]) -> float:
    if not classes:
        return 1.0
    values = np.asarray(table.values(target))
    known = values[values >= 0] if table.column(target).coded else values[~np.isnan(values)]
    counts = np.unique(known, return_counts=True)[1]
    return float(counts.min() / counts.sum())


def bring_back_folds(workspace: Workspace, problem: Problem) -> None:
    """Where the file of a problem's folds is gone: draw them again by its brief, if that gives the very same ones."""
    path = workspace.folds_file(problem.id)
    if problem.folds_hash is None or path.exists():
        return
    brief = workspace.brief(problem)
    again = assign_folds(brief.split, split_rows(Table.open(workspace.data_folder(brief.data)), brief)).kept
    if fingerprint(again) == problem.folds_hash:
        half = path.with_suffix(".half.npy")
        np.save(half, again)
        half.replace(path)


def draw_split(framed: Framed) -> dict[str, Any]:
    """Folds and holdout as numbers to draw: rows, balance of the target, and where the rows lie, in the order of the file
    or of time."""
    folds, brief, target = framed.folds, framed.brief, framed.rows.target
    by_time = brief.split.kind == ORDERED and framed.rows.time is not None
    order = np.argsort(framed.rows.time, kind="stable") if by_time and framed.rows.time is not None else np.arange(len(target))
    sampled = order[np.linspace(0, len(order) - 1, min(STRIPE, len(order))).astype(int)]
    parts = []
    for fold in range(brief.split.folds):
        rows = target[folds.test(fold)]
        parts.append({
            "name": f"fold {fold + 1}", "rows": len(rows), "learnt": int(folds.train(fold).sum()), "balance": _balance(brief, rows)
        })  # fmt: skip
    if folds.held.any():
        held = target[folds.held]
        parts.append({"name": "holdout", "rows": len(held), "learnt": int(folds.outside.sum()), "balance": _balance(brief, held)})
    return {
        "parts": parts,
        "unused": int((folds.first == UNUSED).sum()),
        "only_learnt": int((folds.first == ONLY_LEARNT).sum()),
        "stripe": [int(code) for code in folds.first[sampled]],
        "stripe_by": "time" if by_time else "file",
    }


def _balance(brief: Brief, rows: NDArray[Any]) -> list[float]:
    """Share of each class; for numbers, the quartiles."""
    if brief.task == REGRESSION:
        return [float(q) for q in np.quantile(rows, (0.25, 0.5, 0.75))]
    counts = np.bincount(rows.astype(int), minlength=len(brief.classes))
    return [float(c) for c in counts / max(counts.sum(), 1)]


def framed_objective(workspace: Workspace, table: Table, request: BriefRequest) -> TabularObjective:
    """The objective of a brief that is not kept yet: for checks, for it has no folds file."""
    brief = frame(table, request, workspace.catalogue.metrics).brief
    return TabularObjective(brief, workspace.catalogue, table.folder, workspace.folds_file(0), workspace.own_folder)
