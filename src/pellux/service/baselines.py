"""Baselines first: the defaults of learners scored on all folds in the background, as soon as a brief is complete."""

from __future__ import annotations

from pydantic import Field
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from pellux.core.errors import Conflict
from pellux.core.judging import Brief
from pellux.engine.model import SearchState
from pellux.learners.catalogue import FIRST_LOOK, learner
from pellux.learners.settings import Learner
from pellux.service.engine_room import EngineRoom
from pellux.service.launching import check_learner, default_workers, versions
from pellux.service.lookups import learner_of
from pellux.service.problems import get_problem, in_searches_of
from pellux.service.requests import Request, SettingsRequest
from pellux.service.resolving import Resolved
from pellux.service.searches import set_state
from pellux.service.views import BaselineView
from pellux.service.workspace import Workspace
from pellux.store import recording
from pellux.store.models import Fit, Point, Prediction, Search, SideScore, Trial

KIND = "baselines"
PATIENCE = 20.0  # seconds for a background run to end


class BaselinesRequest(Request):
    """Whose defaults are scored; without a list those of a few that show what the data are like."""

    learners: list[str] | None = Field(None, max_length=40)


def score_baselines(room: EngineRoom, problem_id: int, request: BaselinesRequest) -> list[BaselineView]:
    """Score the defaults of learners that have no scored baseline yet; answers all there are and will be."""
    workspace = room.workspace
    search_id = None
    with workspace.database.write() as session:
        problem = get_problem(session, problem_id)
        brief = Brief.from_json(problem.brief)
        known = {view.learner for view in _views(session, problem_id) if view.state in ("scored", "running", "waiting")}
        wanted = [entry for entry in _chosen(brief, request) if entry.key not in known]
        if wanted:
            search_id = _keep(session, workspace, problem_id, wanted)
    if search_id is not None:
        room.start(search_id)
    return baselines(workspace, problem_id)


def _chosen(brief: Brief, request: BaselinesRequest) -> list[Learner]:
    if request.learners is None:
        return [learner(key) for key in FIRST_LOOK if brief.task in learner(key).tasks]
    found = [learner(key, brief.task) for key in dict.fromkeys(request.learners)]
    for entry in found:
        check_learner(entry, brief)
    return found


def _keep(session: Session, workspace: Workspace, problem_id: int, wanted: list[Learner]) -> int:
    plan = SettingsRequest(strategy="random", trials=len(wanted))
    search = Search(
        problem_id=problem_id, number=0, learner="", space="", plan=plan.model_dump(by_alias=True), plan_hash="",
        state=SearchState.RUNNING.value, reason="", workers=default_workers(), active_seconds=0.0,
        created_at=workspace.clock(), versions=versions(), strategy="", strategy_reason=f"The defaults of {len(wanted)} learners.",
        overrides=[], kind=KIND, stopping=Resolved.from_json({}).to_json(),
    )  # fmt: skip
    session.add(search)
    session.flush()
    brief = Brief.from_json(get_problem(session, problem_id).brief)
    recording.put_trials(session, [
        {
            "search_id": search.id, "number": place, "origin": "baseline", "state": "waiting", "reason": "",
            "configuration": learner(entry.key, brief.task).defaults, "scores": [], "mean": None, "error": None, "rank_score": None,
            "seconds": 0.0, "seen": 0, "pending": 0, "created_at": search.created_at, "ended_at": None, "learner": entry.key,
            "source_id": None, "bracket": 0, "cohort": 0, "rung": 0, "parent": None, "results": {}, "best_iteration": None, "share": 0.0,
        }
        for place, entry in enumerate(wanted)
    ])  # fmt: skip
    entry_ = (search.created_at, search.id, "search", {"problem_id": problem_id, "state": search.state})
    recording.append_ledger(session, [entry_])
    return search.id


def baselines(workspace: Workspace, problem_id: int) -> list[BaselineView]:
    """The baseline of every learner that has one or is getting one, best first."""
    with workspace.database.read() as session:
        get_problem(session, problem_id)
        return _views(session, problem_id)


def _views(session: Session, problem_id: int) -> list[BaselineView]:
    rows = session.execute(
        select(Trial, Search.number)
        .join(Search)
        .where(in_searches_of(problem_id), Trial.origin == "baseline")
        .order_by(Trial.rank_score.desc().nulls_last(), Trial.id)
    ).all()
    found: dict[str, BaselineView] = {}
    for trial, number in rows:
        key = learner_of(session, trial)
        if key in found and found[key].state == "scored":
            continue
        found[key] = BaselineView(
            learner=key, label=learner(key).label, trial_id=trial.id, search=number, state=trial.state, reason=trial.reason,
            score=trial.mean, error=trial.error, folds=trial.scores, seconds=trial.seconds,
        )  # fmt: skip
    return list(found.values())


def await_baselines(room: EngineRoom, problem_id: int) -> list[BaselineView]:
    """The baselines of a problem once none is under way any more."""
    with room.workspace.database.read() as session:
        runs = list(session.scalars(select(Search.id).where(Search.problem_id == problem_id, Search.kind == KIND)))
    for search_id in runs:
        room.join(search_id)
    return baselines(room.workspace, problem_id)


def forget_baselines(room: EngineRoom, problem_id: int) -> None:
    """Before a brief changes: what was scored by the old one says nothing of the new one."""
    workspace = room.workspace
    with workspace.database.read() as session:
        runs = session.execute(select(Search.id, Search.state).where(Search.problem_id == problem_id, Search.kind == KIND)).all()
        others = session.scalar(select(func.count(Search.id)).where(Search.problem_id == problem_id, Search.kind != KIND))
        if others or get_problem(session, problem_id).frozen:
            raise Conflict("The brief is frozen: searches of this problem use it. Save the change as a new problem.")
    for search_id, state in runs:
        if not SearchState(state).ended:
            set_state(room, search_id, "stopped")
        room.join(search_id, PATIENCE)
    with workspace.database.write() as session:
        for search_id, _ in runs:
            session.execute(delete(SideScore).where(SideScore.trial_id.in_(select(Trial.id).where(Trial.search_id == search_id))))
            for table in (Fit, Point, Prediction, Trial):
                session.execute(delete(table).where(table.search_id == search_id))
            session.execute(delete(Search).where(Search.id == search_id))
