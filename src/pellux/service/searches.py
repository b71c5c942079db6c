"""Use cases around searches: check a plan, launch, pause, resume, stop, look at."""

from __future__ import annotations

import json
import os
import platform
from dataclasses import dataclass
from importlib.metadata import version
from typing import Any

from sqlalchemy import case, func, select
from sqlalchemy.orm import Session

from pellux import __version__
from pellux.core.errors import Conflict, InvalidPlan, NotFound
from pellux.core.judging import Brief
from pellux.core.space import Space, parse, to_json, write
from pellux.core.strategies import strategy
from pellux.engine.messages import Pause, Resume, SetWorkers, Stop, Withdraw
from pellux.engine.model import SearchState, TrialState
from pellux.learners.catalogue import learner
from pellux.service.engine_room import EngineRoom
from pellux.service.problems import best_view, get_problem
from pellux.service.requests import SearchRequest, SettingsRequest
from pellux.service.views import Counts, FitCounts, ForecastView, SearchView
from pellux.service.workspace import Workspace
from pellux.store import recording
from pellux.store.models import Fit, Problem, Search, Trial

MOST_WORKERS = 256
STOPPING_RULES = ("none",)


def default_workers() -> int:
    return max(1, len(os.sched_getaffinity(0)))


@dataclass(frozen=True)
class Checked:
    """A search request that can run."""

    space: Space
    forecast: ForecastView


def check_search(brief: Brief, request: SearchRequest) -> Checked:
    """Validate a search against its problem's brief."""
    chosen = learner(request.learner, brief.task)
    space = parse(request.space) if request.space is not None else chosen.default_space()
    chosen.check(space)
    strategy(request.plan.strategy)
    if request.plan.early_stopping not in STOPPING_RULES:
        allowed = ", ".join(STOPPING_RULES)
        raise InvalidPlan(
            f"Early stopping '{request.plan.early_stopping}' is unknown. Allowed: {allowed}.", at="plan.early stopping"
        )
    if not space.searched:
        raise InvalidPlan("The space holds one configuration only: there is nothing to search.", at="space")
    trials = request.plan.trials if space.count is None else min(request.plan.trials, space.count)
    folds = brief.split.folds
    forecast = ForecastView(
        configurations=space.count,
        trials=trials,
        folds=folds,
        fits=(trials + 1) * folds,
        workers=request.plan.workers or default_workers(),
    )
    return Checked(space, forecast)


def launch(room: EngineRoom, problem_id: int, request: SearchRequest, *, plan_hash: str = "") -> int:
    """Keep a search and start it; returns its id."""
    search_id = draft(room.workspace, problem_id, request, plan_hash=plan_hash)
    room.start(search_id)
    return search_id


def draft(workspace: Workspace, problem_id: int, request: SearchRequest, *, plan_hash: str = "") -> int:
    """Keep a search in the state running; the engine that is opened next takes it up."""
    with workspace.database.write() as session:
        problem = get_problem(session, problem_id)
        checked = check_search(Brief.from_json(problem.brief), request)
        number = session.scalar(select(func.max(Search.number)).where(Search.problem_id == problem_id)) or 0
        search = Search(
            problem_id=problem_id, number=number + 1, learner=request.learner, space=request.space or write(checked.space),
            plan=request.plan.model_dump(by_alias=True), plan_hash=plan_hash, state=SearchState.RUNNING.value, reason="",
            workers=checked.forecast.workers, active_seconds=0.0, created_at=workspace.clock(), versions=versions(),
        )  # fmt: skip
        session.add(search)
        session.flush()
        entry = (search.created_at, search.id, "search", {"problem_id": problem_id, "state": search.state})
        newest = recording.append_ledger(session, [entry])
        search_id = search.id
    workspace.hub.publish(newest)
    return search_id


def versions() -> dict[str, str]:
    """What a result depends on."""
    packages = {name: version(name) for name in ("numpy", "scipy", "scikit-learn")}
    return {"pellux": __version__, "python": platform.python_version(), **packages}


def set_state(room: EngineRoom, search_id: int, wanted: str) -> None:
    """Bring a search to running, paused or stopped."""
    with room.workspace.database.read() as session:
        state = SearchState(get_search(session, search_id).state)
    at = room.workspace.clock()
    if state.ended:
        raise Conflict(f"The search is {state.value}; it cannot become {wanted}.")
    if wanted == "stopped":
        event: Any = Stop(at)
    elif wanted == "paused":
        event = Pause(at)
    else:
        event = Resume(at)
    if not room.post(search_id, event):  # paused before the engine was last opened, or halted by an error
        room.start(search_id)
        room.post(search_id, event)


def set_workers(room: EngineRoom, search_id: int, count: int) -> None:
    if not 1 <= count <= MOST_WORKERS:
        raise InvalidPlan(f"Workers are 1 to {MOST_WORKERS}. Got {count}.", at="count")
    _require_live(room, search_id)
    room.post(search_id, SetWorkers(count, room.workspace.clock()))


def withdraw(room: EngineRoom, trial_id: int) -> None:
    with room.workspace.database.read() as session:
        trial = session.get(Trial, trial_id)
        if trial is None:
            raise NotFound(f"There is no trial with the id {trial_id}.")
        if TrialState(trial.state).ended:
            raise Conflict(f"Trial {trial.number} is {trial.state} already; only a live trial can be withdrawn.")
    _require_live(room, trial.search_id)
    room.post(trial.search_id, Withdraw(trial.number, room.workspace.clock()))


def _require_live(room: EngineRoom, search_id: int) -> None:
    with room.workspace.database.read() as session:
        state = SearchState(get_search(session, search_id).state)
    if state.ended:
        raise Conflict(f"The search is {state.value}.")
    room.start(search_id)


def get_search(session: Session, search_id: int) -> Search:
    found = session.get(Search, search_id)
    if found is None:
        raise NotFound(f"There is no search {search_id}.")
    return found


def unfinished(workspace: Workspace, problem_id: int, plan_hash: str) -> int | None:
    """A search of the same plan that has not ended."""
    ended = [s.value for s in SearchState if s.ended]
    with workspace.database.read() as session:
        return session.scalar(
            select(Search.id)
            .where(Search.problem_id == problem_id, Search.plan_hash == plan_hash, Search.state.not_in(ended))
            .order_by(Search.id.desc())
        )


def list_searches(room: EngineRoom, problem_id: int) -> list[SearchView]:
    with room.workspace.database.read() as session:
        get_problem(session, problem_id)
        found = session.scalars(select(Search).where(Search.problem_id == problem_id).order_by(Search.number.desc()))
        return [_view(room, session, search) for search in found]


def search_view(room: EngineRoom, search_id: int) -> SearchView:
    with room.workspace.database.read() as session:
        return _view(room, session, get_search(session, search_id))


def _view(room: EngineRoom, session: Session, search: Search) -> SearchView:
    problem = session.get_one(Problem, search.problem_id)
    brief = Brief.from_json(problem.brief)
    settings = SettingsRequest.model_validate(search.plan)
    space = parse(search.space)
    of_search = Trial.search_id == search.id
    counts = dict(session.execute(select(Trial.state, func.count()).where(of_search).group_by(Trial.state)).all())
    run, busy, spared = session.execute(
        select(
            func.count(case((Fit.state == "done", 1))),
            func.coalesce(func.sum(Fit.seconds), 0.0),
            func.count(case((Fit.state == "cut", 1))),
        ).where(Fit.search_id == search.id)
    ).one()
    best = session.scalar(
        select(Trial).where(of_search, Trial.state == "scored").order_by(Trial.rank_score.desc(), Trial.id).limit(1)
    )
    return SearchView(
        id=search.id, problem_id=search.problem_id, number=search.number, learner=search.learner, space=search.space,
        parameters=to_json(space), configurations=space.count, strategy=strategy(settings.strategy).label,
        early_stopping=settings.early_stopping, budget_trials=settings.trials, budget_minutes=settings.minutes,
        seed=settings.seed, workers=search.workers, state=search.state, reason=search.reason,
        halted=room.halted(search.id), created_at=search.created_at, ended_at=search.ended_at,
        active_seconds=search.active_seconds, busy_seconds=busy,
        seconds_left=_seconds_left(session, search, settings, busy, brief.split.folds),
        trials=Counts(**{state.value: counts.get(state.value, 0) for state in TrialState}), fits=FitCounts(run=run, spared=spared), best=best_view(session, best),
        baseline=best_view(session, baseline_trial(session, search)), newest_entry=recording.newest_entry(session),
    )  # fmt: skip


def baseline_trial(session: Session, search: Search) -> Trial | None:
    """The scored baseline of a search's learner, from whichever search of the problem ran it."""
    return session.scalar(
        select(Trial)
        .join(Search)
        .where(
            Search.problem_id == search.problem_id,
            Search.learner == search.learner,
            Trial.origin == "baseline",
            Trial.state == TrialState.SCORED.value,
        )
        .order_by(Trial.id)
        .limit(1)
    )


def _seconds_left(session: Session, search: Search, settings: SettingsRequest, busy: float, folds: int) -> float | None:
    """Remaining work at the mean cost of the fits so far, on the workers there are."""
    if search.state not in (SearchState.RUNNING.value, SearchState.PAUSED.value):
        return None
    done = session.scalar(select(func.count()).where(Fit.search_id == search.id, Fit.seconds > 0)) or 0
    if not done:
        return None
    ended = session.scalar(
        select(func.count(Trial.id)).where(Trial.search_id == search.id, Trial.ended_at.is_not(None), Trial.origin != "baseline")
    )
    left = max(settings.trials - (ended or 0), 0) * folds * busy / done / max(search.workers, 1)
    if settings.minutes is not None:
        left = min(left, max(60 * settings.minutes - search.active_seconds, 0.0))
    return left


def summary(room: EngineRoom, search_id: int) -> dict[str, Any]:
    """The object that `pellux run --json` ends with."""
    view = search_view(room, search_id)
    with room.workspace.database.read() as session:
        best = session.get(Trial, view.best.trial_id) if view.best else None
        config = dict(best.configuration) if best else None
    found: dict[str, Any] = {
        "problem": view.problem_id,
        "search": view.id,
        "state": view.state,
        "reason": view.reason,
        "trials": view.trials.model_dump(),
        "fits": view.fits.model_dump(),
        "baseline": None,
        "best": None,
        "seconds": view.active_seconds,
        "busy_seconds": view.busy_seconds,
        "workers": view.workers,
    }
    if view.baseline:
        found["baseline"] = {"score": view.baseline.score, "se": view.baseline.error, "folds": view.baseline.folds}
    if view.best:
        found["best"] = {
            "trial": view.best.number, "config": config, "score": view.best.score, "se": view.best.error, "folds": view.best.folds
        }  # fmt: skip
    return json.loads(json.dumps(found))  # type: ignore[no-any-return]
