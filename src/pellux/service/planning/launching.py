"""From a wish to a running search: check it, resolve what is automatic, keep it, start it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any

from pellux.core.errors import Conflict, InvalidPlan, NotFound
from pellux.core.judging.aims import Aim
from pellux.core.judging.limits import Limit
from pellux.core.objective import Judging, Objective
from pellux.core.settings import settings_of
from pellux.core.space import Counting, Space, Value, parse, write
from pellux.core.strategies import AUTOMATIC, Pick, pick, strategy
from pellux.core.strategies.grid import lattice
from pellux.objectives.code.brief import OUTSIDE
from pellux.service.engine.engine import Engine
from pellux.service.machine import default_workers, versions
from pellux.service.machines.demands import count_of, demand_of
from pellux.service.planning.plan_files import apply_override
from pellux.service.planning.prior_knowledge import observations, starts
from pellux.service.planning.remembering import Beginning, lessons
from pellux.service.planning.requests import SearchRequest, SettingsRequest, checked
from pellux.service.planning.resolving import Chosen, Resolved, resolve_continuing, resolve_stopping
from pellux.service.searches.lookups import final_settings, learner_of, whose
from pellux.service.trust import require_trust
from pellux.service.workspace import Workspace
from pellux.store import runs
from pellux.store.database import Session
from pellux.store.decisions import get_decision
from pellux.store.lessons import add_lessons
from pellux.store.problems import get_problem
from pellux.store.records import KeptLesson
from pellux.store.runs import NewRun, create_run

MOST_HERE = 256
MOST_OUTSIDE = 64  # fits that an outside loop may hold at once where nobody says


@dataclass(frozen=True)
class Checked:
    """A search request that can run, with what was left to us resolved."""

    space: Space
    strategy: Pick
    strategy_settings: Any
    starts: tuple[Mapping[str, Value], ...]
    trials: int  # no more than the space holds
    workers: int
    stopping: Resolved
    limits: tuple[Limit, ...] = ()
    against: tuple[Aim, ...] = ()


def check_search(objective: Objective, request: SearchRequest, telling: Callable[[], float | None] = lambda: None) -> Checked:
    """Validate a search against its problem's objective; `telling` says how few of its rows still tell something."""
    chosen, plan = objective.configurable(request.learner), request.plan
    space = parse(request.space) if request.space is not None else objective.default_space(request.learner)
    chosen.check(space)
    if not space.searched:
        raise InvalidPlan("The space holds one configuration only: there is nothing to search.", at="space")
    check_target(objective.judging, plan.target_score)
    against = objective.judging.weighed(plan.against)
    if against and plan.target_score is not None:
        raise InvalidPlan(
            f"A target score ends a search for the best score; this one weighs it against {' and '.join(aim.measure for aim in against)}. "
            "Leave it out: a limit says what is good enough.",
            at="plan.target score",
        )
    picked = resolve(space, plan)
    total = Counting.of(lattice(space) if picked.key == "grid" else space).total
    trials = plan.trials if total is None else min(plan.trials, total)
    what, first = Chosen(chosen, space, plan, picked.key, objective.judging, bool(against)), tuple(starts(space, plan.starts))
    if not strategy(picked.key).continues:
        settings = _settings(picked.key, plan)
        stopping = resolve_stopping(what, telling)
    else:
        stopping, settings, trials = resolve_continuing(what)
        if len(first) > settings.members:
            raise InvalidPlan(
                f"{len(first)} starts are more than the {settings.members} members of the population.", at="plan.starts"
            )
    return Checked(
        space, picked, settings, first, trials, count_of(plan) or default_workers(objective.holds.cores), stopping,
        objective.judging.limited(plan.limits), against,
    )  # fmt: skip


def workers_for(workspace: Workspace, objective: Objective, plan: SettingsRequest) -> int:
    """How many workers a search gets, here or on its cluster; InvalidPlan when it cannot have them."""
    if plan.runner.cluster:
        if objective.kind == OUTSIDE:
            raise InvalidPlan("An outside loop fits where it runs: leave the cluster out.", at="plan.runner.cluster")
        return workspace.clusters.check(plan.runner.cluster, demand_of(objective, plan.memory_mb), count_of(plan))
    if plan.workers == "all":
        raise InvalidPlan("'all' means the machines of a cluster; here all cores are taken by default.", at="plan.workers")
    return check_holds(workspace, objective, count_of(plan))


def check_holds(workspace: Workspace, objective: Objective, wanted: int | None, at: str = "plan.workers") -> int:
    """How many workers a search gets on this machine; InvalidPlan when more are wanted than fit into it."""
    holds, devices = objective.holds, len(workspace.devices.names)
    if objective.kind == OUTSIDE:
        return wanted or MOST_OUTSIDE
    if wanted is not None and wanted > MOST_HERE:
        raise InvalidPlan(f"Workers on this machine are 1 to {MOST_HERE}. Got {wanted}.", at=at)
    room = default_workers(holds.cores)
    if holds.devices:
        if devices < holds.devices:
            have = f"{devices} are known" if devices else "none is known"
            raise InvalidPlan(
                f"A fit holds {holds.devices} device{'s' if holds.devices > 1 else ''}, and {have} here. "
                "Start Pellux with --devices, such as --devices 0,1.",
                at="brief.holds.devices",
            )
        room = min(room, devices // holds.devices)
    if wanted is not None and wanted > room and (holds.cores > 1 or holds.devices):
        each = [f"{holds.cores} cores" if holds.cores > 1 else "", f"{holds.devices} devices" if holds.devices else ""]
        raise InvalidPlan(
            f"{wanted} workers of {' and '.join(part for part in each if part)} each do not fit into this machine; {room} do.",
            at=at,
        )
    return wanted or room


def _settings(key: str, plan: SettingsRequest) -> Any:
    return settings_of(strategy(key).settings, plan.strategy_settings, whose="strategy", place="plan.strategy settings")


def with_decisions(workspace: Workspace, session: Session, objective: Objective, request: SearchRequest) -> SearchRequest:
    """The request with the configurations of the decisions it names among its starts, as far as the space searches them."""
    if not request.plan.from_decisions:
        return request
    space = parse(request.space) if request.space is not None else objective.default_space(request.learner)
    names = {parameter.name for parameter in space.searched}
    known, found = {str(start) for start in request.plan.starts}, list(request.plan.starts)
    for decision_id in request.plan.from_decisions:
        start = _decided(workspace, session, decision_id, request.learner, names)
        if str(start) in known:  # a plan that is launched again brings its starts along
            continue
        try:
            starts(space, [start])
        except InvalidPlan as error:
            raise InvalidPlan(error.message.replace("Start 1", f"Decision {decision_id}"), at="plan.from decisions") from None
        found.append(start)
    return request.model_copy(update={"plan": request.plan.model_copy(update={"starts": found})})


def _decided(workspace: Workspace, session: Session, decision_id: int, key: str, names: set[str]) -> dict[str, Value]:
    try:
        decision = get_decision(session, decision_id)
    except NotFound:
        raise InvalidPlan(f"There is no decision {decision_id} to start from.", at="plan.from decisions") from None
    trial, search, problem = whose(session, decision.trial_id)
    objective = workspace.objective(problem)
    its = learner_of(objective, search, trial)
    if its != key:
        raise InvalidPlan(
            f"Decision {decision_id} chose a configuration of {its}; this search is of {key}.", at="plan.from decisions"
        )
    return {name: value for name, value in final_settings(session, objective, search, trial).items() if name in names}


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


def check_target(judging: Judging, target: float | None) -> None:
    """Refuse a target that no score can be, the wrong sign above all."""
    if target is None or judging.least <= target <= judging.most:
        return
    ends = f"from {judging.least:g} to {judging.most:g}" if judging.most < float("inf") else f"{judging.least:g} or above"
    hint = " Scores keep the metric's own sign: smaller is better here." if not judging.larger_is_better else ""
    raise InvalidPlan(f"A target score of {target:g} cannot be: {judging.metric} is {ends}.{hint}", at="plan.target score")


def launch(engine: Engine, problem_id: int, request: SearchRequest, *, plan_hash: str = "") -> int:
    """Keep a search and start it; returns its id."""
    search_id = draft(engine.workspace, problem_id, request, plan_hash=plan_hash)
    engine.begin(search_id)
    return search_id


def repeat(engine: Engine, search_id: int, overrides: Sequence[str]) -> int:
    """Launch a kept search's plan once more, with some of its values changed for this launch."""
    with engine.workspace.database.read() as session:
        search = runs.get_search(session, search_id)
    if search.kind != runs.SEARCH:
        raise Conflict("A re-judging has no plan to repeat; re-judge again from the Decision screen.")
    found: dict[str, Any] = {"learner": search.learner, "space": search.space, "plan": dict(search.plan)}
    for override in overrides:
        apply_override(found, override)
    return launch(engine, search.problem_id, checked(SearchRequest, {**found, "overrides": list(overrides)}))


def draft(workspace: Workspace, problem_id: int, request: SearchRequest, *, plan_hash: str = "") -> int:
    """Keep a search in the state running; the engine that is opened next takes it up."""
    with workspace.database.read() as session:  # once before: models of earlier problems are fitted while writers need not wait
        _begun(workspace, session, problem_id, request)
    with workspace.database.write() as session:
        objective, request, found, taught = _begun(workspace, session, problem_id, request)
        workers = workers_for(workspace, objective, request.plan)
        search_id = create_run(
            session,
            NewRun(
                kind="search", problem_id=problem_id, learner=request.learner, space=request.space or write(found.space),
                plan=_kept_plan(request, found), plan_hash=plan_hash, workers=workers, created_at=workspace.clock(),
                versions=versions(), strategy=found.strategy.key, strategy_reason=found.strategy.reason,
                strategy_settings=asdict(found.strategy_settings), overrides=request.overrides, stopping=found.stopping.to_json(),
            ),
        )  # fmt: skip
        add_lessons(session, search_id, taught)
        return search_id


def _begun(
    workspace: Workspace, session: Session, problem_id: int, request: SearchRequest
) -> tuple[Objective, SearchRequest, Checked, list[KeptLesson]]:
    """Objective, whole request, what was resolved and what earlier problems teach of a search that is about to begin."""
    problem = get_problem(session, problem_id)
    require_trust(workspace, problem, request.learner)
    objective = workspace.objective(problem)
    request = with_decisions(workspace, session, objective, request)
    found = check_search(objective, request, objective.telling_share)
    # Asked here so that a search to start warm from that does not exist is refused at once.
    known = len(observations(session, objective, problem_id, request.learner, found.space, request.plan))
    begins = Beginning(problem_id, objective, request, found.space, found.strategy.key, found.against, known)
    return objective, request, found, lessons(workspace, session, begins)


def _kept_plan(request: SearchRequest, found: Checked) -> dict[str, Any]:
    """The plan as it is kept: where trials go on from each other their number follows from members and intervals."""
    plan = {**request.plan.model_dump(by_alias=True), "limits": [limit.text for limit in found.limits],
            "against": [aim.measure for aim in found.against]}  # fmt: skip
    return {**plan, "trials": found.trials} if strategy(found.strategy.key).continues else plan
