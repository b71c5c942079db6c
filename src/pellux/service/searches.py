"""Use cases around searches: check a plan, launch, pause, resume, stop, look at."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

import numpy as np
from sqlalchemy import case, func, select
from sqlalchemy.orm import Session

from pellux.core.errors import Conflict, InvalidPlan, InvalidSpace, NotFound
from pellux.core.judging import Brief
from pellux.core.space import Fixed, Space, Value, parse, to_json
from pellux.core.strategies import labelled
from pellux.engine.messages import Pause, Resume, SetLimits, SetWorkers, Stop, Try, Withdraw
from pellux.engine.model import SearchState, TrialState
from pellux.learners.catalogue import learner
from pellux.learners.settings import Learner
from pellux.learners.several import split_key
from pellux.service.engine_room import EngineRoom
from pellux.service.forecasts import seconds_left
from pellux.service.launching import check_target
from pellux.service.lookups import learner_of
from pellux.service.problems import best_view, get_problem, in_searches_of
from pellux.service.requests import LimitsRequest, SettingsRequest
from pellux.service.resolving import Resolved
from pellux.service.views import Counts, FitCounts, SearchView
from pellux.service.workspace import Workspace
from pellux.store import recording
from pellux.store.models import Fit, Problem, Search, Trial

MOST_WORKERS = 256


def check_configuration(chosen: Learner, configuration: Mapping[str, Value]) -> None:
    """Refuse a setting that the learner does not have or a value that it does not accept."""
    member, settings = chosen.settle(configuration)
    for name, value in settings.items():
        member.check(Space((Fixed(name=name, value=value),)))
    for name in configuration:
        if all(s.name != name for s in chosen.settings) and name not in settings:
            raise InvalidSpace(f"{name}: {chosen.label} has no such setting.", at=name)


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


def set_limits(room: EngineRoom, search_id: int, request: LimitsRequest) -> None:
    """New budgets for a search that has not ended; kept with its plan."""
    changes = request.model_dump(exclude_unset=True)
    if changes.get("trials", 1) is None:
        raise InvalidPlan("A search always has a number of trials.", at="trials")
    with room.workspace.database.write() as session:
        search = get_search(session, search_id)
        _require_search(search)
        if SearchState(search.state).ended:
            raise Conflict(f"The search is {search.state}; its budget cannot change.")
        brief = Brief.from_json(session.get_one(Problem, search.problem_id).brief)
        check_target(brief, changes.get("target_score"))
        named = {"target_score": "target score", "no_gain_in": "no gain in"}
        search.plan = {**search.plan, **{named.get(key, key): value for key, value in changes.items()}}
    renamed = {"target_score": "target", "no_gain_in": "patience"}
    room.start(search_id)
    room.post(search_id, SetLimits({renamed.get(key, key): value for key, value in changes.items()}, room.workspace.clock()))


def try_configuration(room: EngineRoom, search_id: int, configuration: dict[str, Value]) -> None:
    """A trial by hand in a search that has not ended; it may lie outside the search's space, not outside the learner's."""
    with room.workspace.database.read() as session:
        search = get_search(session, search_id)
        _require_search(search)
        if SearchState(search.state).ended:
            raise Conflict(f"The search is {search.state}; launch a new one with this configuration as its start.")
        task = Brief.from_json(session.get_one(Problem, search.problem_id).brief).task
    chosen = learner(search.learner, task)
    check_configuration(chosen, configuration)
    if not configuration:
        raise InvalidPlan("A trial by hand needs at least one setting.", at="configuration")
    # Whole, so that two trials are told apart or found alike by all of their settings.
    configuration = chosen.whole(configuration)
    room.start(search_id)
    room.post(search_id, Try(configuration, room.workspace.clock()))


def withdraw(room: EngineRoom, trial_id: int) -> None:
    with room.workspace.database.read() as session:
        trial = session.get(Trial, trial_id)
        if trial is None:
            raise NotFound(f"There is no trial with the id {trial_id}.")
        if TrialState(trial.state).ended:
            raise Conflict(f"Trial {trial.number} is {trial.state} already; only a live trial can be withdrawn.")
    _require_live(room, trial.search_id)
    room.post(trial.search_id, Withdraw(trial.number, room.workspace.clock()))


def _require_search(search: Search) -> None:
    if search.kind != "search":
        raise Conflict(f"A {search.kind} scores the trials it began with and nothing else; it can be paused or stopped.")


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
        of_problem = (Search.problem_id == problem_id, Search.kind != "baselines")
        found = session.scalars(select(Search).where(*of_problem).order_by(Search.number.desc()))
        return [_view(room, session, search) for search in found]


def search_view(room: EngineRoom, search_id: int) -> SearchView:
    with room.workspace.database.read() as session:
        return _view(room, session, get_search(session, search_id))


def _view(room: EngineRoom, session: Session, search: Search) -> SearchView:
    problem = session.get_one(Problem, search.problem_id)
    brief = Brief.from_json(problem.brief)
    settings = SettingsRequest.model_validate(search.plan)
    space = parse(search.space) if search.kind == "search" else None  # finalists come from many spaces
    of_search = Trial.search_id == search.id
    folds = _folds_of(room, search, brief)
    counts = dict(session.execute(select(Trial.state, func.count()).where(of_search).group_by(Trial.state)).all())
    run, busy = session.execute(
        select(func.count(case((Fit.state == "done", 1))), func.coalesce(func.sum(Fit.seconds), 0.0))
        .where(Fit.search_id == search.id)
    ).one()  # fmt: skip
    best = session.scalar(
        select(Trial).where(of_search, Trial.state == "scored").order_by(Trial.rank_score.desc(), Trial.id).limit(1)
    )
    return SearchView(
        id=search.id, problem_id=search.problem_id, number=search.number, kind=search.kind, folds=folds, learner=search.learner, space=search.space,
        parameters=to_json(space) if space else [], configurations=space.count if space else None,
        strategy=labelled(search.strategy) if space else "", chosen_by=labelled(settings.strategy), strategy_reason=search.strategy_reason,
        overrides=search.overrides, warm_start=settings.warm_start, target_score=settings.target_score,
        no_gain_in=settings.no_gain_in,
        early_stopping=settings.early_stopping, stopping=Resolved.from_json(search.stopping).view(), budget_trials=settings.trials, budget_minutes=settings.minutes,
        seed=settings.seed, workers=search.workers, state=search.state, reason=search.reason,
        halted=room.halted(search.id), created_at=search.created_at, ended_at=search.ended_at,
        active_seconds=search.active_seconds, busy_seconds=busy,
        seconds_left=seconds_left(session, search, settings, space, brief.split.fits) if space else _rejudging_left(search, settings.trials * folds, run, busy),
        trials=Counts(**{state.value: counts.get(state.value, 0) for state in TrialState}), fits=_fit_counts(session, search, folds, run), best=best_view(session, best),
        baseline=best_view(session, baseline_trial(session, search)), newest_entry=recording.newest_entry(session),
    )  # fmt: skip


def _fit_counts(session: Session, search: Search, folds: int, run: int) -> FitCounts:
    """What pruning saved: the work that pruned trials had still before them, at the pace of trials in full."""
    pruned = Trial.state == "pruned"
    shares, whole, trials = session.execute(
        select(
            func.coalesce(func.sum(case((pruned, 1 - Trial.share), else_=0.0)), 0.0),
            func.avg(case((~pruned, Trial.seconds))),
            func.count(),
        ).where(Trial.search_id == search.id, Trial.state.in_(("scored", "pruned")))
    ).one()
    return FitCounts(
        run=run, spared=round(shares * folds), seconds_spared=shares * (whole or 0.0), work_spared=shares / max(trials, 1)
    )


def _folds_of(room: EngineRoom, search: Search, brief: Brief) -> int:
    """How many fits a trial has: folds, times the repeats of a re-judging."""
    repeats = 1 if search.kind != "re-judge" else len(np.load(room.workspace.fresh_folds_file(search.id), mmap_mode="r"))
    return repeats * brief.split.folds if search.kind == "re-judge" else brief.split.fits


def _rejudging_left(search: Search, fits: int, run: int, busy: float) -> float | None:
    """Remaining fits of a re-judging at the pace of those done; None before the first."""
    if run == 0 or SearchState(search.state).ended:
        return None
    return max(fits - run, 0) * busy / run / max(search.workers, 1)


def baseline_trial(session: Session, search: Search) -> Trial | None:
    """The scored baseline of a search's learner (of several the best), from whichever run of the problem scored it."""
    own = {name for name, _ in split_key(search.learner)} if search.learner else None
    scored = (
        select(Trial)
        .join(Search)
        .where(in_searches_of(search.problem_id), Trial.origin == "baseline", Trial.state == TrialState.SCORED.value)
        .order_by(Trial.rank_score.desc(), Trial.id)
    )
    return next((trial for trial in session.scalars(scored) if own is None or learner_of(session, trial) in own), None)


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
        "fits": {"run": view.fits.run, "spared": view.fits.spared},
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
