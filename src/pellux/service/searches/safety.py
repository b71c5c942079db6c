"""The safety check: were trials pruned that would have won? A few of them are run in full, on request, and counted."""

from __future__ import annotations

import numpy as np
import scipy
from pydantic import Field

from pellux.core.errors import Conflict
from pellux.engine.states import SearchState
from pellux.service.engine.engine import Engine
from pellux.service.machine import default_workers, versions
from pellux.service.planning.requests import Request, SettingsRequest
from pellux.service.planning.resolving import Resolved
from pellux.service.searches.schemas import RecheckedView, SafetyView
from pellux.service.wording import sentence
from pellux.service.workspace import Workspace
from pellux.store import runs, trials
from pellux.store.records import NewTrial, Search, Trial
from pellux.store.runs import NewRun, create_run

ORIGIN = "recheck"
SURE = 0.95


class SafetyRequest(Request):
    """How many pruned trials are run in full."""

    trials: int = Field(5, ge=1, le=1000)


def check(engine: Engine, search_id: int, request: SafetyRequest) -> int:
    """Start a safety check of a search that has ended; returns the id it has among the searches."""
    with engine.workspace.database.write() as session:
        search = runs.get_search(session, search_id)
        if search.kind != runs.SEARCH or not SearchState(search.state).ended:
            raise Conflict("A safety check is made of a search that has ended.")
        candidates = trials.ended_early_unchecked(session, search_id)
        if not candidates:
            raise Conflict("No trial was pruned that has not been checked yet.")
        # At random: picking the most promising ones would say nothing of the others.
        rng = np.random.default_rng([search_id, len(candidates)])
        chosen = rng.choice(len(candidates), size=min(request.trials, len(candidates)), replace=False)
        check_id = create_run(session, _run(engine.workspace, search, [candidates[i] for i in sorted(chosen)]))
    engine.begin(check_id)
    return check_id


def _run(workspace: Workspace, search: Search, chosen: list[Trial]) -> NewRun:
    return NewRun(
        kind="safety check", problem_id=search.problem_id, learner=search.learner,
        plan=SettingsRequest(strategy="random", trials=len(chosen)).model_dump(by_alias=True),
        stopping=Resolved.from_json(search.stopping).in_full().to_json(), workers=default_workers(), created_at=workspace.clock(),
        versions=versions(), strategy_reason=f"{len(chosen)} pruned trials of search {search.number}, in full.",
        trials=[NewTrial(n, ORIGIN, trial.configuration, search.learner, trial.id) for n, trial in enumerate(chosen, 1)],
    )  # fmt: skip


def report(workspace: Workspace, search_id: int) -> SafetyView:
    """What safety checks of a search have found so far."""
    with workspace.database.read() as session:
        runs.get_search(session, search_id)
        best = trials.best_of_search(session, search_id)
        checks, pruned, total = trials.checks_of(session, search_id)
    scored = [c for c in checks if c.rank_score is not None and best is not None and best.rank_score is not None]
    wrong = sum(c.rank_score > best.rank_score for c in scored if best and best.rank_score is not None and c.rank_score is not None)
    close = sum(_close(c, best) for c in scored if best)
    return SafetyView(
        ended_early=total, checked=len(scored), running=sum(c.ended_at is None for c in checks), wrong=wrong, close=close - wrong,
        at_most=upper_bound(wrong, len(scored)), best=best.mean if best else None,
        trials=[
            RecheckedView(
                trial_id=c.source_id or 0, number=pruned[c.source_id or 0].number, reason=sentence(pruned[c.source_id or 0].reason),
                mean=c.mean, standard_error=c.standard_error, state=c.state,
            )
            for c in checks
        ],
    )  # fmt: skip


def _close(check: Trial, best: Trial) -> bool:
    """Within one standard error of the best, or above it."""
    return (check.rank_score or 0.0) >= (best.rank_score or 0.0) - (best.standard_error or 0.0)


def upper_bound(wrong: int, checked: int) -> float | None:
    """The share of wrong prunings is below this with 95 % confidence (Clopper & Pearson 1934, one-sided)."""
    if checked == 0:
        return None
    return 1.0 if wrong >= checked else float(scipy.special.betaincinv(wrong + 1, checked - wrong, SURE))
