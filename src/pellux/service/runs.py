"""Runs a plan: frames its problem (or finds the same one again), then launches its search or goes on with it."""

from __future__ import annotations

from pathlib import Path

from sqlalchemy import select

from pellux.core.judging import Brief
from pellux.core.space import Space
from pellux.engine.model import SearchState
from pellux.learners.table import Table
from pellux.service.datasets import import_file, open_table
from pellux.service.engine_room import EngineRoom
from pellux.service.forecasts import forecast
from pellux.service.framing import frame
from pellux.service.launching import check_search, launch
from pellux.service.plan_files import plan_hash
from pellux.service.problems import create_problem
from pellux.service.rehearsals import rehearse
from pellux.service.requests import PlanFile, SearchRequest
from pellux.service.searches import set_state, unfinished
from pellux.service.views import RehearsalView
from pellux.service.workspace import Workspace
from pellux.store.models import Search


def begin(room: EngineRoom, plan: PlanFile) -> int:
    """Start a plan whose data are imported (`plan.brief.data` is their hash); returns the search's id.

    A search of the very same plan that has not ended goes on instead.
    """
    table = open_table(room.workspace, plan.brief.data)
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
    table = import_file(workspace, Path(plan.brief.data))
    plan.brief.data = table.hash
    return table


def check(workspace: Workspace, plan: PlanFile, *, rehearsed: bool) -> tuple[Brief, Space, RehearsalView]:
    """Validate a plan without launching it; with `rehearsed` after a few real fits."""
    brief = frame(import_for(workspace, plan), plan.brief).brief
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
