"""Runs a plan: frames its problem (or finds the same one again), then launches its search or goes on with it."""

from __future__ import annotations

from pathlib import Path

from sqlalchemy import select

from pellux.core.judging import Brief
from pellux.core.space import Space
from pellux.engine.model import SearchState
from pellux.learners.table import Table
from pellux.service.datasets import ReadingRequest, import_file, open_table
from pellux.service.engine_room import EngineRoom
from pellux.service.forecasts import forecast
from pellux.service.framing import frame
from pellux.service.launching import check_search, launch
from pellux.service.own_code import OwnCodeRequest, bring
from pellux.service.plan_files import is_own, plan_hash
from pellux.service.problems import create_problem
from pellux.service.rehearsals import rehearse
from pellux.service.requests import PlanFile, SearchRequest, checked
from pellux.service.searches import set_state, unfinished
from pellux.service.views import RehearsalView
from pellux.service.workspace import Workspace
from pellux.store.models import Search


def begin(room: EngineRoom, plan: PlanFile) -> int:
    """Start a plan whose data are imported (`plan.brief.data` is their hash); returns the search's id.

    A search of the very same plan that has not ended goes on instead.
    """
    table = open_table(room.workspace, plan.brief.data)
    bring_own(room.workspace, plan)
    request = search_request(plan)
    check_search(frame(table, plan.brief).brief, request)  # refuse before anything is kept
    problem_id = create_problem(room.workspace, plan.brief.model_copy(update={"name": plan.brief.name or plan.name}), reuse=True)
    fingerprint = plan_hash(plan, table.hash)
    running = unfinished(room.workspace, problem_id, fingerprint)
    if running is None:
        return launch(room, problem_id, request, plan_hash=fingerprint)
    room.start(running)
    if _state(room.workspace, running) == SearchState.PAUSED.value:
        set_state(room, running, "running")
    return running


def import_for(workspace: Workspace, plan: PlanFile) -> Table:
    """Import a plan file's data and put their hash into the plan."""
    table = import_file(workspace, Path(plan.brief.data), checked(ReadingRequest, plan.reading, what="plan's reading"))
    plan.brief.data = table.hash
    return table


def bring_own(workspace: Workspace, plan: PlanFile) -> None:
    """Look at the classes and functions that a plan brings, and put their keys into it."""
    if is_own(plan.learner):
        plan.learner = bring(workspace, OwnCodeRequest(kind="learner", where=plan.learner)).key
    for own in plan.metrics:
        request = OwnCodeRequest(kind="metric", where=own.where, larger_is_better=own.larger_is_better, needs=own.needs)
        key, name = bring(workspace, request).key, own.where.rpartition(":")[2]
        plan.brief.metric = key if plan.brief.metric == name else plan.brief.metric
        plan.brief.recorded = [key if m == name else m for m in plan.brief.recorded]


def check(workspace: Workspace, plan: PlanFile, *, rehearsed: bool) -> tuple[Brief, Space, RehearsalView]:
    """Validate a plan without launching it; with `rehearsed` after a few real fits."""
    table = import_for(workspace, plan)
    bring_own(workspace, plan)
    brief = frame(table, plan.brief).brief
    request = search_request(plan)
    space = check_search(brief, request).space
    problem_id = create_problem(workspace, plan.brief, reuse=True)
    fits = rehearse(workspace, problem_id, request) if rehearsed else []
    return brief, space, RehearsalView(fits=fits, forecast=forecast(workspace, problem_id, request))


def search_request(plan: PlanFile) -> SearchRequest:
    return SearchRequest(learner=plan.learner, space=plan.space, plan=plan.plan, overrides=plan.overrides)


def _state(workspace: Workspace, search_id: int) -> str | None:
    with workspace.database.read() as session:
        return session.scalar(select(Search.state).where(Search.id == search_id))
