"""The safety check: were trials pruned that would have won? A few of them are run in full, on request, and counted."""

from __future__ import annotations

import numpy as np
import scipy
from pydantic import Field
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from pellux.core.errors import Conflict
from pellux.engine.model import SearchState
from pellux.service.engine_room import EngineRoom
from pellux.service.launching import default_workers, versions
from pellux.service.requests import Request, SettingsRequest
from pellux.service.resolving import Resolved
from pellux.service.searches import get_search
from pellux.service.views import RecheckedView, SafetyView
from pellux.service.workspace import Workspace
from pellux.store import recording
from pellux.store.models import Search, Trial

KIND = "safety check"
ORIGIN = "recheck"
SURE = 0.95


class SafetyRequest(Request):
    """How many pruned trials are run in full."""

    trials: int = Field(5, ge=1, le=1000)


def check(room: EngineRoom, search_id: int, request: SafetyRequest) -> int:
    """Start a safety check of a search that has ended; returns the id it has among the searches."""
    with room.workspace.database.write() as session:
        search = get_search(session, search_id)
        if search.kind != "search" or not SearchState(search.state).ended:
            raise Conflict("A safety check is made of a search that has ended.")
        done = select(Trial.source_id).join(Search).where(Search.kind == KIND, Trial.source_id.is_not(None))
        pruned = select(Trial).where(Trial.search_id == search_id, Trial.state == "pruned", Trial.id.not_in(done))
        candidates = list(session.scalars(pruned.order_by(Trial.number)))
        if not candidates:
            raise Conflict("No trial was pruned that has not been checked yet.")
        # At random: picking the most promising ones would say nothing of the others.
        rng = np.random.default_rng([search_id, len(candidates)])
        chosen = rng.choice(len(candidates), size=min(request.trials, len(candidates)), replace=False)
        check_id = _keep(session, room, search, [candidates[i] for i in sorted(chosen)])
    room.start(check_id)
    return check_id


def _keep(session: Session, room: EngineRoom, search: Search, chosen: list[Trial]) -> int:
    number = session.scalar(select(func.max(Search.number)).where(Search.problem_id == search.problem_id)) or 0
    plan = SettingsRequest(strategy="random", trials=len(chosen))
    made = Search(
        problem_id=search.problem_id, number=number + 1, learner=search.learner, space="", plan=plan.model_dump(by_alias=True),
        plan_hash="", state=SearchState.RUNNING.value, reason="", workers=default_workers(), active_seconds=0.0,
        created_at=room.workspace.clock(), versions=versions(), strategy="",
        strategy_reason=f"{len(chosen)} pruned trials of search {search.number}, in full.", overrides=[], kind=KIND,
        stopping=Resolved.from_json(search.stopping).in_full().to_json(),
    )  # fmt: skip
    session.add(made)
    session.flush()
    recording.put_trials(session, [
        {
            "search_id": made.id, "number": place, "origin": ORIGIN, "state": "waiting", "reason": "",
            "configuration": dict(trial.configuration), "scores": [], "mean": None, "error": None, "rank_score": None,
            "seconds": 0.0, "seen": 0, "pending": 0, "created_at": made.created_at, "ended_at": None,
            "learner": search.learner, "source_id": trial.id, "bracket": 0, "cohort": 0, "rung": 0, "parent": None,
            "results": {}, "best_iteration": None, "share": 0.0,
        }
        for place, trial in enumerate(chosen, 1)
    ])  # fmt: skip
    return made.id


def report(workspace: Workspace, search_id: int) -> SafetyView:
    """What safety checks of a search have found so far."""
    with workspace.database.read() as session:
        get_search(session, search_id)
        best = session.scalar(
            select(Trial).where(Trial.search_id == search_id, Trial.state == "scored").order_by(Trial.rank_score.desc()).limit(1)
        )
        source = select(Trial.id).where(Trial.search_id == search_id, Trial.state == "pruned")
        checks = list(
            session.scalars(select(Trial).join(Search).where(Search.kind == KIND, Trial.source_id.in_(source)).order_by(Trial.id))
        )
        pruned = {t.id: t for t in session.scalars(select(Trial).where(Trial.id.in_([c.source_id for c in checks])))}
        total = session.scalar(select(func.count()).select_from(source.subquery())) or 0
    scored = [c for c in checks if c.rank_score is not None and best is not None and best.rank_score is not None]
    wrong = sum(c.rank_score > best.rank_score for c in scored if best and best.rank_score is not None and c.rank_score is not None)
    close = sum(_close(c, best) for c in scored if best)
    return SafetyView(
        pruned=total, checked=len(scored), running=sum(c.ended_at is None for c in checks), wrong=wrong, close=close - wrong,
        at_most=upper_bound(wrong, len(scored)), best=best.mean if best else None,
        trials=[
            RecheckedView(trial_id=c.source_id or 0, number=pruned[c.source_id or 0].number, reason=pruned[c.source_id or 0].reason,
                          mean=c.mean, error=c.error, state=c.state)
            for c in checks
        ],
    )  # fmt: skip


def _close(check: Trial, best: Trial) -> bool:
    """Within one standard error of the best, or above it."""
    return (check.rank_score or 0.0) >= (best.rank_score or 0.0) - (best.error or 0.0)


def upper_bound(wrong: int, checked: int) -> float | None:
    """The share of wrong prunings is below this with 95 % confidence (Clopper & Pearson 1934, one-sided)."""
    if checked == 0:
        return None
    return 1.0 if wrong >= checked else float(scipy.special.betaincinv(wrong + 1, checked - wrong, SURE))
