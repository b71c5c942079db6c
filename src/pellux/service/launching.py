"""From a wish to a running search: check it, resolve what is automatic, keep it, start it."""

from __future__ import annotations

import os
import platform
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from importlib.metadata import version
from importlib.util import find_spec
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from pellux import __version__
from pellux.core.errors import Conflict, InvalidPlan
from pellux.core.judging import Brief
from pellux.core.space import Counting, Space, Value, parse, write
from pellux.core.strategies import AUTOMATIC, Pick, pick, strategy
from pellux.core.strategies.grid import lattice
from pellux.engine.model import SearchState
from pellux.learners.catalogue import learner
from pellux.learners.settings import Learner
from pellux.service.engine_room import EngineRoom
from pellux.service.few_rows import Telling, of_problem, unknown
from pellux.service.lookups import final_settings, learner_of
from pellux.service.plan_files import apply_override
from pellux.service.prior_knowledge import observations, starts
from pellux.service.problems import get_problem
from pellux.service.requests import SearchRequest, SettingsRequest, checked
from pellux.service.resolving import Resolved, resolve_stopping
from pellux.service.workspace import Workspace
from pellux.store import recording
from pellux.store.models import Decision, Search, Trial

PACKAGES = ("numpy", "scipy", "scikit-learn", "lightgbm", "xgboost-cpu")
MODULES = {"scikit-learn": "sklearn", "xgboost-cpu": "xgboost"}


def default_workers() -> int:
    return max(1, len(os.sched_getaffinity(0)))


@dataclass(frozen=True)
class Checked:
    """A search request that can run, with what was left to us resolved."""

    space: Space
    strategy: Pick
    starts: tuple[Mapping[str, Value], ...]
    trials: int  # no more than the space holds
    workers: int
    stopping: Resolved


def check_search(brief: Brief, request: SearchRequest, telling: Telling = unknown) -> Checked:
    """Validate a search against its problem's brief; `telling` says how few of its rows still tell something."""
    chosen, plan = learner(request.learner, brief.task), request.plan
    check_learner(chosen, brief)
    space = parse(request.space) if request.space is not None else chosen.default_space()
    chosen.check(space)
    if not space.searched:
        raise InvalidPlan("The space holds one configuration only: there is nothing to search.", at="space")
    check_target(brief, plan.target_score)
    picked = resolve(space, plan)
    total = Counting.of(lattice(space) if picked.key == "grid" else space).total
    trials = plan.trials if total is None else min(plan.trials, total)
    stopping = resolve_stopping(chosen, space, plan, picked.key, brief, telling)
    first = tuple(starts(space, plan.starts))
    if stopping.segments:
        members = max(plan.trials // len(stopping.levels), 4)
        trials = members * len(stopping.levels)
        if len(first) > members:
            raise InvalidPlan(f"{len(first)} starts are more than the {members} members of the population.", at="plan.starts")
    return Checked(space, picked, first, trials, plan.workers or default_workers(), stopping)


def check_learner(chosen: Learner, brief: Brief) -> None:
    """Refuse a learner that cannot do what the brief asks for."""
    if brief.weight and not chosen.weights:
        raise InvalidPlan(f"{chosen.label} cannot weigh rows, and the brief has weights ({brief.weight}).", at="learner")


def with_decisions(session: Session, brief: Brief, request: SearchRequest) -> SearchRequest:
    """The request with the configurations of the decisions it names among its starts, as far as the space searches them."""
    if not request.plan.from_decisions:
        return request
    space = parse(request.space) if request.space is not None else learner(request.learner, brief.task).default_space()
    names = {parameter.name for parameter in space.searched}
    known, found = {str(start) for start in request.plan.starts}, list(request.plan.starts)
    for decision_id in request.plan.from_decisions:
        start = _decided(session, decision_id, request.learner, names)
        if str(start) in known:  # a plan that is launched again brings its starts along
            continue
        try:
            starts(space, [start])
        except InvalidPlan as error:
            raise InvalidPlan(error.message.replace("Start 1", f"Decision {decision_id}"), at="plan.from decisions") from None
        found.append(start)
    return request.model_copy(update={"plan": request.plan.model_copy(update={"starts": found})})


def _decided(session: Session, decision_id: int, key: str, names: set[str]) -> dict[str, Value]:
    decision = session.get(Decision, decision_id)
    if decision is None:
        raise InvalidPlan(f"There is no decision {decision_id} to start from.", at="plan.from decisions")
    trial = session.get_one(Trial, decision.trial_id)
    if learner_of(session, trial) != key:
        raise InvalidPlan(
            f"Decision {decision_id} chose a configuration of {learner_of(session, trial)}; this search is of {key}.",
            at="plan.from decisions",
        )
    return {name: value for name, value in final_settings(session, trial).items() if name in names}


def resolve(space: Space, plan: SettingsRequest) -> Pick:
    """The strategy asked for, or the one that Automatic picks, with the reason."""
    if plan.strategy == AUTOMATIC:
        return pick(space, plan.trials, plan.minutes)
    entry = strategy(plan.strategy)
    if plan.strategy == "grid":
        size = Counting.of(lattice(space)).total or 0
        share = "all of it" if plan.trials >= size else f"{plan.trials / size:.0%} of it"
        return Pick(plan.strategy, f"The grid has {size:,} points; {plan.trials:,} trials see {share}.")
    return Pick(plan.strategy, entry.sentence)


def check_target(brief: Brief, target: float | None) -> None:
    """Refuse a target that no score can be, the wrong sign above all."""
    metric = brief.judged_by
    if target is None or metric.least <= target <= metric.most:
        return
    ends = f"from {metric.least:g} to {metric.most:g}" if metric.most < float("inf") else f"{metric.least:g} or above"
    hint = " Scores keep the metric's own sign: smaller is better here." if not metric.larger_is_better else ""
    raise InvalidPlan(f"A target score of {target:g} cannot be: {metric.key} is {ends}.{hint}", at="plan.target score")


def launch(room: EngineRoom, problem_id: int, request: SearchRequest, *, plan_hash: str = "") -> int:
    """Keep a search and start it; returns its id."""
    search_id = draft(room.workspace, problem_id, request, plan_hash=plan_hash)
    room.start(search_id)
    return search_id


def repeat(room: EngineRoom, search_id: int, overrides: Sequence[str]) -> int:
    """Launch a kept search's plan once more, with some of its values changed for this launch."""
    with room.workspace.database.read() as session:
        search = session.get_one(Search, search_id)
        if search.kind != "search":
            raise Conflict("A re-judging has no plan to repeat; re-judge again from the Decision screen.")
        found: dict[str, Any] = {"learner": search.learner, "space": search.space, "plan": dict(search.plan)}
        problem_id = search.problem_id
    for override in overrides:
        apply_override(found, override)
    return launch(room, problem_id, checked(SearchRequest, {**found, "overrides": list(overrides)}))


def draft(workspace: Workspace, problem_id: int, request: SearchRequest, *, plan_hash: str = "") -> int:
    """Keep a search in the state running; the engine that is opened next takes it up."""
    with workspace.database.write() as session:
        problem = get_problem(session, problem_id)
        brief = Brief.from_json(problem.brief)
        request = with_decisions(session, brief, request)
        found = check_search(brief, request, of_problem(workspace, problem_id, brief))
        # Asked here so that a search to start warm from that does not exist is refused at once.
        observations(session, problem_id, request.learner, found.space, request.plan, brief)
        number = session.scalar(select(func.max(Search.number)).where(Search.problem_id == problem_id)) or 0
        search = Search(
            problem_id=problem_id, number=number + 1, learner=request.learner, space=request.space or write(found.space),
            plan=_kept_plan(request, found), plan_hash=plan_hash, state=SearchState.RUNNING.value, reason="",
            workers=found.workers, active_seconds=0.0, created_at=workspace.clock(), versions=versions(),
            strategy=found.strategy.key, strategy_reason=found.strategy.reason, overrides=request.overrides,
            stopping=found.stopping.to_json(),
        )  # fmt: skip
        session.add(search)
        session.flush()
        entry = (search.created_at, search.id, "search", {"problem_id": problem_id, "state": search.state})
        newest = recording.append_ledger(session, [entry])
        search_id = search.id
    workspace.hub.publish(newest)
    return search_id


def _kept_plan(request: SearchRequest, found: Checked) -> dict[str, Any]:
    """The plan as it is kept: a population's trials are whole intervals of whole members."""
    plan = request.plan.model_dump(by_alias=True)
    return {**plan, "trials": found.trials} if found.stopping.segments else plan


def versions() -> dict[str, str]:
    """What a result depends on."""
    packages = {name: version(name) for name in PACKAGES if find_spec(MODULES.get(name, name)) is not None}
    return {"pellux": __version__, "python": platform.python_version(), **packages}
