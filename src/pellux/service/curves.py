"""How trials come along: score against what was spent on them, the rungs, and who goes on from whom. For drawing."""

from __future__ import annotations

import json
from collections.abc import Sequence
from itertools import groupby
from typing import Any

import numpy as np
from sqlalchemy import Text, func, select, type_coerce
from sqlalchemy.orm import Session

from pellux.core.judging.fold_effects import fold_effects
from pellux.core.stopping import FOLDS, ITERATIONS
from pellux.service.resolving import Resolved
from pellux.service.searches import get_search
from pellux.service.views import CurvesView, RungView
from pellux.service.workspace import Workspace
from pellux.store.models import Point, Trial

MOST = 600  # trials drawn, the newest ones
FLAT = "flat from the start"


def curves(workspace: Workspace, search_id: int) -> CurvesView:
    """A search's trials column-wise, each with its curve: the mean over folds along the resource."""
    with workspace.database.read() as session:
        search = get_search(session, search_id)
        resolved = Resolved.from_json(search.stopping)
        rows = session.execute(
            select(
                Trial.number, Trial.id, Trial.state, Trial.reason, Trial.origin, Trial.bracket, Trial.cohort, Trial.rung, Trial.parent,
                Trial.best_iteration, Trial.rank_score, type_coerce(Trial.results, Text), type_coerce(Trial.scores, Text),
            ).where(Trial.search_id == search_id).order_by(Trial.number.desc()).limit(MOST)
        ).all()[::-1]  # fmt: skip
        points = _iterations(session, search_id) if resolved.resource == ITERATIONS else {}
    columns: list[Sequence[Any]] = list(zip(*rows, strict=True)) if rows else [()] * 13
    numbers, ids, states, reasons, origins, _, cohorts, rungs, parents, at_best, ranks, results, scores = columns
    top = max((r for r in ranks if r is not None), default=None)
    if resolved.resource == ITERATIONS:
        lines = [points.get(number, ([], [])) for number in numbers]
    elif resolved.resource == "rows":
        lines = [_by_rung(json.loads(text), resolved.levels) for text in results]
    else:
        lines = _by_fold([json.loads(text) for text in scores])
    return CurvesView(
        resource=resolved.resource or FOLDS, levels=list(resolved.levels), population=resolved.segments,
        numbers=list(numbers), ids=list(ids), states=list(states), origins=list(origins),
        flat=[FLAT in reason for reason in reasons], reasons=list(reasons), members=list(cohorts), rungs=list(rungs),
        parents=list(parents), best_iterations=list(at_best), best=[r is not None and r == top for r in ranks], xs=[x for x, _ in lines], ys=[y for _, y in lines],
        ladder=_ladder(resolved, rows),
    )  # fmt: skip


def _iterations(session: Session, search_id: int) -> dict[int, tuple[list[int], list[float]]]:
    """Mean over folds at every iteration that all folds under way have reached."""
    wanted = (
        select(Point.trial, Point.iteration, func.avg(Point.score), func.count())
        .where(Point.search_id == search_id)
        .group_by(Point.trial, Point.iteration)
        .order_by(Point.trial, Point.iteration)
    )
    found: dict[int, tuple[list[int], list[float]]] = {}
    for trial, part in groupby(session.execute(wanted).all(), key=lambda row: row[0]):
        points = [(iteration, score, count) for _, iteration, score, count in part]
        most = points[0][2]
        whole = [(iteration, score) for iteration, score, count in points if count == most]
        found[trial] = ([i for i, _ in whole], [s for _, s in whole])
    return found


def _by_rung(results: dict[str, list[float]], levels: Sequence[int]) -> tuple[list[int], list[float]]:
    reached = sorted((int(rung), float(np.mean(scores))) for rung, scores in results.items())
    return [levels[rung] for rung, _ in reached], [score for _, score in reached]


def _by_fold(tables: Sequence[list[float | None]]) -> list[tuple[list[int], list[float]]]:
    """The mean of the first 1, 2, … folds, without what makes some folds easier than others."""
    folds = max((len(table) for table in tables), default=0)
    complete = [[s for s in table if s is not None] for table in tables if len(table) == folds and None not in table]
    effects = fold_effects(complete, folds)
    found = []
    for table in tables:
        known = [s - effects[f] for f, s in enumerate(table) if s is not None]
        means = np.cumsum(known) / np.arange(1, len(known) + 1)
        found.append((list(range(1, len(known) + 1)), [float(m) for m in means]))
    return found


def _empty(bracket: int, rung: int, level: int) -> RungView:
    return RungView(bracket=bracket, rung=rung, level=level, reached=0, done=0, parked=0, pruned=0, running=0)


def _ladder(resolved: Resolved, rows: Sequence[Any]) -> list[RungView]:
    """For each bracket and rung who came there and what became of them."""
    if len(resolved.levels) < 2:
        return []
    found: dict[tuple[int, int], RungView] = {}
    for row in rows:
        if row.origin in ("baseline", "by hand"):
            continue
        results = json.loads(row[11])
        for rung in range(row.bracket, row.rung + 1):
            view = found.setdefault((row.bracket, rung), _empty(row.bracket, rung, resolved.levels[rung]))
            view.reached += 1
            scores = results.get(str(rung))
            view.done += scores is not None
            here = rung == row.rung
            view.parked += here and row.state == "parked"
            view.pruned += here and row.state == "pruned"
            view.running += here and row.state in ("running", "waiting")
    return [found[key] for key in sorted(found)]
