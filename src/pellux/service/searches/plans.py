"""Runs a plan: frames its problem (or finds the same one again), then launches its search or goes on with it."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from pellux.core.judging import Brief
from pellux.core.space import Space
from pellux.engine.states import SearchState
from pellux.service.engine.engine import Engine
from pellux.service.planning.forecasts import forecast
from pellux.service.planning.launching import check_search, launch
from pellux.service.planning.plan_files import is_own, plan_hash
from pellux.service.planning.rehearsals import rehearse
from pellux.service.planning.requests import PlanFile, SearchRequest, checked
from pellux.service.planning.schemas import RehearsalView
from pellux.service.problems.datasets import ReadingRequest, import_file, open_table
from pellux.service.problems.framing import framed_objective
from pellux.service.problems.own_code import OwnCodeRequest, bring
from pellux.service.problems.problems import create_problem
from pellux.service.searches.searches import set_state, unfinished
from pellux.service.workspace import Workspace
from pellux.store.runs import get_search
from pellux.tables.table import Table


def begin(engine: Engine, plan: PlanFile) -> int:
    """Start a plan whose data are imported (`plan.brief.data` is their hash); returns the search's id.

    A search of the very same plan that has not ended goes on instead.
    """
    table = open_table(engine.workspace, plan.brief.data)
    bring_own(engine.workspace, plan)
    request = search_request(plan)
    check_search(framed_objective(engine.workspace, table, plan.brief), request)  # refuse before anything is kept
    problem_id = create_problem(engine.workspace, plan.brief.model_copy(update={"name": plan.brief.name or plan.name}), reuse=True)
    fingerprint = plan_hash(plan, table.hash)
    running = unfinished(engine.workspace, problem_id, fingerprint)
    if running is None:
        return launch(engine, problem_id, request, plan_hash=fingerprint)
    engine.start(running)
    if _state(engine.workspace, running) == SearchState.PAUSED.value:
        set_state(engine, running, "running")
    return running


def import_for(workspace: Workspace, plan: PlanFile) -> Table:
    """Import a plan file's data and put their hash into the plan."""
    table = import_file(workspace, Path(plan.brief.data), checked(ReadingRequest, plan.reading, what="plan's reading"))
    plan.brief.data = table.hash
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
        plan.brief.metric = key if plan.brief.metric == name else plan.brief.metric
        plan.brief.recorded = [key if m == name else m for m in plan.brief.recorded]
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
    objective = framed_objective(workspace, table, plan.brief)
    request = search_request(plan)
    space = check_search(objective, request).space
    problem_id = create_problem(workspace, plan.brief, reuse=True)
    fits = rehearse(workspace, problem_id, request) if rehearsed else []
    return Checked(objective.brief, space, RehearsalView(fits=fits, forecast=forecast(workspace, problem_id, request)), warning)


def search_request(plan: PlanFile) -> SearchRequest:
    return SearchRequest(learner=plan.learner, space=plan.space, plan=plan.plan, overrides=plan.overrides)


def _state(workspace: Workspace, search_id: int) -> str:
    with workspace.database.read() as session:
        return get_search(session, search_id).state
