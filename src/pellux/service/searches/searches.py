"""Use cases around searches: check a plan, launch, pause, resume, stop, look at."""

from __future__ import annotations

import json
from typing import Any

from pellux.core.errors import Conflict, InvalidPlan
from pellux.core.space import Value
from pellux.engine.messages import Pause, Resume, SetLimits, SetWorkers, Stop, Try, Withdraw
from pellux.engine.states import IllegalTransition, SearchState, TrialState
from pellux.service.engine.engine import Engine
from pellux.service.planning.launching import check_holds, check_target
from pellux.service.planning.requests import LimitsRequest, kept_settings
from pellux.service.searches.fronts import front_view
from pellux.service.searches.schemas import SearchView
from pellux.service.searches.views import views
from pellux.service.workspace import Workspace
from pellux.store import runs
from pellux.store.problems import get_problem
from pellux.store.records import Search
from pellux.store.trials import get_trial

MOST_ON_CLUSTER = 10_000


def set_state(engine: Engine, search_id: int, wanted: str) -> None:
    """Bring a search to running, paused or stopped."""
    with engine.workspace.database.read() as session:
        state = SearchState(runs.get_search(session, search_id).state)
    at = engine.workspace.steady()
    if state.ended:
        raise IllegalTransition(f"The search is {state.value}; it cannot become {wanted}.")
    if wanted == "stopped":
        event: Any = Stop(at)
    elif wanted == "paused":
        event = Pause(at)
    else:
        event = Resume(at)
    if not engine.post(search_id, event):  # paused before the engine was last opened, or halted by an error
        engine.start(search_id)
        engine.post(search_id, event)


def set_workers(engine: Engine, search_id: int, count: int) -> None:
    if count < 1:
        raise InvalidPlan(f"A search needs a worker. Got {count}.", at="count")
    _require_live(engine, search_id)
    with engine.workspace.database.read() as session:
        search = runs.get_search(session, search_id)
        objective = engine.workspace.objective(get_problem(session, search.problem_id))
    if kept_settings(search.plan).runner.cluster:
        if count > MOST_ON_CLUSTER:
            raise InvalidPlan(f"Workers on a cluster are 1 to {MOST_ON_CLUSTER:,}. Got {count}.", at="count")
    else:
        check_holds(engine.workspace, objective, count, at="count")
    engine.runners.leave_alone(search_id)
    engine.post(search_id, SetWorkers(count, engine.workspace.steady()))


def set_limits(engine: Engine, search_id: int, request: LimitsRequest) -> None:
    """New budgets for a search that has not ended; kept with its plan."""
    changes = request.model_dump(exclude_unset=True)
    if changes.get("trials", 1) is None:
        raise InvalidPlan("A search always has a number of trials.", at="trials")
    with engine.workspace.database.write() as session:
        search = runs.get_search(session, search_id)
        _require_search(search)
        if SearchState(search.state).ended:
            raise Conflict(f"The search is {search.state}; its budget cannot change.")
        judging = engine.workspace.objective(get_problem(session, search.problem_id)).judging
        check_target(judging, changes.get("target_score"))
        written = {key.replace("_", " "): value for key, value in changes.items()}  # as plans write them
        runs.put_search(session, search_id, plan={**search.plan, **written})
    engine.start(search_id)
    engine.post(search_id, SetLimits(changes, engine.workspace.steady()))


def try_configuration(engine: Engine, search_id: int, configuration: dict[str, Value]) -> None:
    """A trial by hand in a search that has not ended; it may lie outside the search's space, not outside the learner's."""
    with engine.workspace.database.read() as session:
        search = runs.get_search(session, search_id)
        objective = engine.workspace.objective(get_problem(session, search.problem_id))
    _require_search(search)
    if SearchState(search.state).ended:
        raise Conflict(f"The search is {search.state}; launch a new one with this configuration as its start.")
    chosen = objective.configurable(search.learner)
    chosen.check_configuration(configuration)
    if not configuration:
        raise InvalidPlan("A trial by hand needs at least one setting.", at="configuration")
    # Whole, so that two trials are told apart or found alike by all of their settings.
    configuration = chosen.whole(configuration)
    engine.start(search_id)
    engine.post(search_id, Try(configuration, engine.workspace.steady()))


def withdraw(engine: Engine, trial_id: int) -> None:
    with engine.workspace.database.read() as session:
        trial = get_trial(session, trial_id)
    if TrialState(trial.state).ended:
        raise Conflict(f"Trial {trial.number} is {trial.state} already; only a live trial can be withdrawn.")
    _require_live(engine, trial.search_id)
    engine.post(trial.search_id, Withdraw(trial.number, engine.workspace.steady()))


def _require_search(search: Search) -> None:
    if search.kind != runs.SEARCH:
        raise Conflict(f"A {search.kind} scores the trials it began with and nothing else; it can be paused or stopped.")


def _require_live(engine: Engine, search_id: int) -> None:
    with engine.workspace.database.read() as session:
        state = SearchState(runs.get_search(session, search_id).state)
    if state.ended:
        raise Conflict(f"The search is {state.value}.")
    engine.start(search_id)


def problem_of(workspace: Workspace, search_id: int) -> int:
    """The problem that a search is of."""
    with workspace.database.read() as session:
        return runs.get_search(session, search_id).problem_id


def unfinished(workspace: Workspace, problem_id: int, plan_hash: str) -> int | None:
    """A search of the same plan that has not ended."""
    open_states = [s.value for s in SearchState if not s.ended]
    with workspace.database.read() as session:
        found = runs.newest_of_plan(session, problem_id, plan_hash, open_states)
    return None if found is None else found.id


def list_searches(engine: Engine, problem_id: int) -> list[SearchView]:
    with engine.workspace.database.read() as session:
        problem = get_problem(session, problem_id)
        found = runs.searches_of(
            session, problem_id, kinds=[kind for kind in runs.KINDS if kind not in (runs.BASELINES, runs.FACE_OFF)]
        )
        return views(engine, session, problem, found)


def search_view(engine: Engine, search_id: int) -> SearchView:
    with engine.workspace.database.read() as session:
        search = runs.get_search(session, search_id)
        return views(engine, session, get_problem(session, search.problem_id), [search])[0]


def _front(workspace: Workspace, search_id: int) -> list[dict[str, Any]]:
    """The trials on the front, the best score first, with every metric that decides; which of them is the knee."""
    found = front_view(workspace, search_id)
    names, sign = [aim.measure for aim in found.aims], 1 if found.aims[0].larger_is_better else -1
    on = sorted((point for point in found.points if point.on_front), key=lambda point: -sign * (point.values[0] or 0.0))
    return [
        {"trial": one.number, **dict(zip(names, one.values, strict=True)), "knee": one.trial_id == found.knee} for one in on
    ]  # fmt: skip


def summary(engine: Engine, search_id: int) -> dict[str, Any]:
    """The object that `pellux run --json` ends with."""
    view = search_view(engine, search_id)
    with engine.workspace.database.read() as session:
        config = dict(get_trial(session, view.best.trial_id).configuration) if view.best else None
    found: dict[str, Any] = {
        "problem": view.problem_id,
        "search": view.id,
        "state": view.state,
        "reason": view.reason,
        "trials": view.trials.model_dump(),
        "fits": {"run": view.fits.run, "spared": view.fits.spared},
        "baseline": None,
        "best": None,
        "limits": [limit.text for limit in view.limits],
        "keeping": view.keeping,
        "against": [aim.measure for aim in view.against],
        "front": _front(engine.workspace, search_id) if view.against else [],
        "seconds": view.active_seconds,
        "busy_seconds": view.busy_seconds,
        "workers": view.workers,
    }
    if view.baseline:
        found["baseline"] = {
            "score": view.baseline.score,
            "standard_error": view.baseline.standard_error,
            "folds": view.baseline.folds,
        }
    if view.best:
        found["best"] = {
            "trial": view.best.number, "configuration": config, "score": view.best.score, "standard_error": view.best.standard_error, "folds": view.best.folds
        }  # fmt: skip
    return json.loads(json.dumps(found))  # type: ignore[no-any-return]
