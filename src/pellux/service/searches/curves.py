"""How trials come along: score against what was spent on them, the rungs, and who goes on from whom. For drawing."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import groupby

import numpy as np

from pellux.core.judging.fold_effects import fold_effects
from pellux.core.stopping import FOLDS, ITERATIONS
from pellux.core.strategies import STRATEGIES
from pellux.service.planning.resolving import Resolved
from pellux.service.searches.schemas import CurvesView, OpenCurve, RungView
from pellux.service.wording import sentence
from pellux.service.workspace import Workspace
from pellux.store import fits
from pellux.store.database import Session
from pellux.store.problems import get_problem
from pellux.store.records import Trial
from pellux.store.runs import get_search
from pellux.store.trials import newest

MOST = 600  # trials drawn, the newest ones


def curves(workspace: Workspace, search_id: int) -> CurvesView:
    """A search's trials column-wise, each with its curve: the mean over folds along the resource."""
    with workspace.database.read() as session:
        search = get_search(session, search_id)
        judging = workspace.objective(get_problem(session, search.problem_id)).judging
        resolved = Resolved.from_json(search.stopping)
        found = newest(session, search_id, MOST)
        grows = resolved.resource == ITERATIONS
        points = _iterations(session, search_id, [t.number for t in found]) if grows else {}
        live = [t.number for t in found if t.ended_at is None] if grows else []
        curves_open = [(n, fits.curves_of(session, search_id, n)) for n in live]
    top = max((t.rank_score for t in found if t.rank_score is not None), default=None)
    effects = [] if grows or resolved.resource == "rows" else _effects([t.scores for t in found])
    if grows:
        lines = [points.get(t.number, ([], [])) for t in found]
    elif resolved.resource == "rows":
        lines = [_by_rung(t.results, resolved.levels) for t in found]
    else:
        lines = _by_fold([t.scores for t in found], effects)
    return CurvesView(
        resource=resolved.resource or FOLDS, levels=list(resolved.levels), population=_continues(search.strategy),
        larger_is_better=judging.larger_is_better, folds=judging.fits,
        numbers=[t.number for t in found], ids=[t.id for t in found], states=[t.state for t in found],
        origins=[t.origin for t in found], flat=[_flat(t) for t in found], reasons=[sentence(t.reason) for t in found],
        members=[t.cohort for t in found], rungs=[t.rung for t in found], parents=[t.parent for t in found],
        best_iterations=[t.best_iteration for t in found], best=[t.rank_score is not None and t.rank_score == top for t in found],
        means=[t.mean for t in found], effects=effects,
        open=[
            OpenCurve(trial=n, fold=fold, iterations=[i for i, _ in curve], scores=[s for _, s in curve])
            for n, by_fold in curves_open
            for (_, fold), curve in by_fold.items()
        ],
        xs=[x for x, _ in lines], ys=[y for _, y in lines], ladder=_ladder(resolved, found),
    )  # fmt: skip


def _continues(key: str) -> bool:
    return key in STRATEGIES and STRATEGIES[key].continues


def _flat(trial: Trial) -> bool:
    """Ended because it never left its start; reasons from before they had codes say so beside their text."""
    return trial.reason.code == "flat" or bool(trial.reason.facts.get("flat"))


def _iterations(session: Session, search_id: int, numbers: Sequence[int]) -> dict[int, tuple[list[int], list[float]]]:
    """Mean over folds at every iteration that all folds under way have reached."""
    found: dict[int, tuple[list[int], list[float]]] = {}
    for trial, part in groupby(fits.mean_curves(session, search_id, numbers), key=lambda row: row[0]):
        points = [(iteration, score, count) for _, iteration, score, count in part]
        most = points[0][2]
        whole = [(iteration, score) for iteration, score, count in points if count == most]
        found[trial] = ([i for i, _ in whole], [s for _, s in whole])
    return found


def _by_rung(results: dict[str, list[float | None]], levels: Sequence[int]) -> tuple[list[int], list[float]]:
    reached = sorted((int(rung), float(np.mean([s for s in scores if s is not None]))) for rung, scores in results.items())
    return [levels[rung] for rung, _ in reached], [score for _, score in reached]


def _effects(tables: Sequence[list[float | None]]) -> list[float]:
    """What makes some folds easier than others, from the trials that have all of them."""
    folds = max((len(table) for table in tables), default=0)
    complete = [[s for s in table if s is not None] for table in tables if len(table) == folds and None not in table]
    return [float(effect) for effect in fold_effects(complete, folds)]


def _by_fold(tables: Sequence[list[float | None]], effects: Sequence[float]) -> list[tuple[list[int], list[float]]]:
    """The mean of the first 1, 2, … folds, without what makes some folds easier than others."""
    found = []
    for table in tables:
        known = [s - effects[f] for f, s in enumerate(table) if s is not None]
        means = np.cumsum(known) / np.arange(1, len(known) + 1)
        found.append((list(range(1, len(known) + 1)), [float(m) for m in means]))
    return found


def _empty(bracket: int, rung: int, level: int) -> RungView:
    return RungView(bracket=bracket, rung=rung, level=level, reached=0, done=0, parked=0, ended_early=0, running=0)


def _ladder(resolved: Resolved, trials: Sequence[Trial]) -> list[RungView]:
    """For each bracket and rung who came there and what became of them."""
    if len(resolved.levels) < 2:
        return []
    found: dict[tuple[int, int], RungView] = {}
    for row in trials:
        if row.origin in ("baseline", "by hand"):
            continue
        for rung in range(row.bracket, row.rung + 1):
            view = found.setdefault((row.bracket, rung), _empty(row.bracket, rung, resolved.levels[rung]))
            view.reached += 1
            scores = row.results.get(str(rung))
            view.done += scores is not None
            here = rung == row.rung
            view.parked += here and row.state == "parked"
            view.ended_early += here and row.state == "ended early"
            view.running += here and row.state in ("running", "due")
    return [found[key] for key in sorted(found)]
