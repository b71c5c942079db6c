"""What the trials of a search say: asked for, known already or computed, and told in sentences."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pellux.core.errors import Conflict
from pellux.core.evidence.surface import check_pair, check_third
from pellux.core.space import parse
from pellux.service.engine.analyses import FAILED, newest_analysis
from pellux.service.engine.engine import Engine
from pellux.service.evidence.gathered import SCORES
from pellux.service.evidence.kinds import SAYS, SURFACE
from pellux.service.evidence.schemas import EvidenceView, SurfaceRequest, SurfaceView
from pellux.service.evidence.sentences import said
from pellux.store.records import Analysis
from pellux.store.runs import SEARCH, get_search
from pellux.store.trials import count_ended

ENOUGH_MORE = 10  # a tenth more trials than last time are worth another look
NOTHING: dict[str, Any] = {
    "trials": 0, "weighed": SCORES, "explained": 0.0, "covered": 0.0, "singles": [], "pairs": [], "curves": [], "directions": [],
    "findings": [], "path": [], "noise": None, "rungs": [], "after": "", "surface": None,
}  # fmt: skip


def ask_evidence(engine: Engine, search_id: int, *, wait: float = 0) -> EvidenceView:
    """Known already for about as many trials as there are now, or started; `wait` is in seconds."""
    problem_id, request = _request(engine, search_id)
    row = _asked(engine, problem_id, SAYS, request, wait)
    return shown(row.state, row.message, row.result)


def shown(state: str, message: str, result: Mapping[str, Any] | None) -> EvidenceView:
    """A result with its findings in sentences."""
    found = {**NOTHING, **(result or {})}
    findings = [
        {**{k: v for k, v in one.items() if k != "facts"}, "sentence": said(one["code"], one["facts"])} for one in found["findings"]
    ]
    return EvidenceView.model_validate({**found, "findings": findings, "state": state, "message": message})


def ask_surface(engine: Engine, search_id: int, wanted: SurfaceRequest) -> SurfaceView:
    """Over two settings of the search's space."""
    problem_id, request = _request(engine, search_id)
    with engine.workspace.database.read() as session:
        space = parse(get_search(session, search_id).space)
    check_pair(space, wanted.across, wanted.down)
    if wanted.by is not None:
        check_third(space, wanted.across, wanted.down, wanted.by)
    row = _asked(engine, problem_id, SURFACE, {**request, **wanted.model_dump()}, 0)
    return SurfaceView.model_validate({"surface": row.result or None, "state": row.state, "message": row.message})


def _asked(engine: Engine, problem_id: int, kind: str, request: dict[str, Any], wait: float) -> Analysis:
    """Known, or started. One that failed is not begun again with every question, but when there is more to look at."""
    known = newest_analysis(engine.workspace, problem_id, kind, request)
    if known is not None and known.state == FAILED:
        return known
    return engine.analyst.wait(engine.analyst.ask(problem_id, kind, request), wait)


def _request(engine: Engine, search_id: int) -> tuple[int, dict[str, Any]]:
    with engine.workspace.database.read() as session:
        search = get_search(session, search_id)
        known = count_ended(session, search.problem_id)
    if search.kind != SEARCH:
        raise Conflict(f"A {search.kind} has no space of its own: ask for a search.")
    return search.problem_id, {"search": search_id, "known": known - known % max(known // ENOUGH_MORE, 1)}
