"""Runs a plan: frames its problem (or finds the same one again), then launches its search or goes on with it."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from pellux.core.errors import InvalidPlan
from pellux.core.judging import Brief
from pellux.core.space import Space, write
from pellux.engine.states import SearchState
from pellux.objectives.code.brief import OUTSIDE, CodeBrief
from pellux.objectives.code.objective import CodeObjective
from pellux.service.engine.engine import Engine
from pellux.service.planning.code_requests import FirstLookRequest
from pellux.service.planning.forecasts import forecast
from pellux.service.planning.launching import check_search, launch, workers_for
from pellux.service.planning.plan_files import is_own, plan_hash
from pellux.service.planning.rehearsals import rehearse
from pellux.service.planning.requests import PlanFile, SearchRequest, checked
from pellux.service.planning.schemas import ForecastView, RehearsalView
from pellux.service.problems.code_problems import create_code_problem, frame_code, look_first
from pellux.service.problems.datasets import ReadingRequest, import_file, open_table
from pellux.service.problems.framing import framed_objective
from pellux.service.problems.own_code import OwnCodeRequest, bring
from pellux.service.problems.problems import create_problem
from pellux.service.problems.schemas import FirstLookView
from pellux.service.searches.searches import set_state, unfinished
from pellux.service.workspace import Workspace
from pellux.store.runs import get_search
from pellux.tables.table import Table


def begin(engine: Engine, plan: PlanFile) -> int:
    """Start a plan whose data are imported (its brief has their hash); returns the search's id.

    A search of the very same plan that has not ended goes on instead.
    """
    problem_id, request, fingerprint = (keep_table if plan.code is None else keep_code)(engine.workspace, plan)
    running = unfinished(engine.workspace, problem_id, fingerprint)
    if running is None:
        return launch(engine, problem_id, request, plan_hash=fingerprint)
    engine.begin(running)
    if _state(engine.workspace, running) == SearchState.PAUSED.value:
        set_state(engine, running, "running")
    return running


def keep_table(workspace: Workspace, plan: PlanFile) -> tuple[int, SearchRequest, str]:
    """Frame a plan's problem, once it is known that its search could run: its id, the search, the plan's fingerprint."""
    table = open_table(workspace, plan.table.data)
    bring_own(workspace, plan)
    request = search_request(plan)
    check_search(framed_objective(workspace, table, plan.table), request)  # refuse before anything is kept
    named = plan.table.model_copy(update={"name": plan.table.name or plan.name})
    return create_problem(workspace, named, reuse=True), request, plan_hash(plan, table.hash)


def keep_code(workspace: Workspace, plan: PlanFile) -> tuple[int, SearchRequest, str]:
    """The same of a plan of own code."""
    assert plan.code is not None
    brief, request = frame_code(workspace, plan.code, plan.space or ""), search_request(plan)
    if brief.kind == OUTSIDE:
        raise InvalidPlan(
            "An outside loop takes its fits from a server: launch this problem on one that is served.", at="brief.outside"
        )
    objective = CodeObjective(brief, workspace.own_folder)
    check_search(objective, request)
    workers_for(workspace, objective, request.plan)
    named = plan.code.model_copy(update={"name": plan.code.name or plan.name})
    return create_code_problem(workspace, named, plan.space or "", reuse=True), request, plan_hash(plan, brief.identity)


def import_for(workspace: Workspace, plan: PlanFile) -> Table:
    """Import a plan file's data and put their hash into the plan."""
    table = import_file(workspace, Path(plan.table.data), checked(ReadingRequest, plan.reading, what="plan's reading"))
    plan.table.data = table.hash
    return table


def bring_own(workspace: Workspace, plan: PlanFile) -> str:
    """Look at the classes and functions that a plan brings, and put their keys into it; what to be warned of, else ''."""
    warning = ""
    if is_own(plan.learner):
        brought = bring(workspace, OwnCodeRequest(kind="learner", where=plan.learner))
        plan.learner, warning = brought.key, brought.warning
    for own in plan.metrics:
        request = OwnCodeRequest(kind="metric", where=own.where, larger_is_better=own.larger_is_better, needs=own.needs)
        key, name = bring(workspace, request).key, own.where.rpartition(":")[2]
        plan.table.metric = key if plan.table.metric == name else plan.table.metric
        plan.table.recorded = [key if m == name else m for m in plan.table.recorded]
    return warning


@dataclass(frozen=True)
class Checked:
    """A plan that could be launched. `warning` is what a look at own code found that is no reason to refuse it."""

    brief: Brief
    space: Space
    found: RehearsalView
    warning: str


def check(workspace: Workspace, plan: PlanFile, *, rehearsed: bool) -> Checked:
    """Validate a plan without launching it; with `rehearsed` after a few real fits."""
    table = import_for(workspace, plan)
    warning = bring_own(workspace, plan)
    objective = framed_objective(workspace, table, plan.table)
    request = search_request(plan)
    space = check_search(objective, request).space
    problem_id = create_problem(workspace, plan.table, reuse=True)
    fits = rehearse(workspace, problem_id, request) if rehearsed else []
    return Checked(objective.brief, space, RehearsalView(fits=fits, forecast=forecast(workspace, problem_id, request)), warning)


@dataclass(frozen=True)
class CheckedCode:
    """A plan of own code that could be launched, with its first look unless it was not wanted."""

    brief: CodeBrief
    space: Space
    look: FirstLookView | None
    forecast: ForecastView


def check_code(workspace: Workspace, plan: PlanFile, *, looked: bool) -> CheckedCode:
    """Validate a plan of own code without launching it; with `looked` after one real fit."""
    assert plan.code is not None
    brief, request = frame_code(workspace, plan.code, plan.space or ""), search_request(plan)
    space = check_search(CodeObjective(brief, workspace.own_folder), request).space
    workers_for(workspace, CodeObjective(brief, workspace.own_folder), request.plan)
    problem_id = create_code_problem(workspace, plan.code, plan.space or "", reuse=True)
    look = look_first(workspace, FirstLookRequest(brief=plan.code, space=write(space))) if looked else None
    return CheckedCode(brief, space, look, forecast(workspace, problem_id, request))


def search_request(plan: PlanFile) -> SearchRequest:
    return SearchRequest(learner=plan.learner, space=plan.space, plan=plan.plan, overrides=plan.overrides)


def _state(workspace: Workspace, search_id: int) -> str:
    with workspace.database.read() as session:
        return get_search(session, search_id).state
