"""Evidence without a server: computed here and now, for the command line and for reports."""

from __future__ import annotations

from pellux.core.errors import Conflict, NotFound
from pellux.service.evidence.computing import compute
from pellux.service.evidence.evidence import shown
from pellux.service.evidence.gathering import gather
from pellux.service.evidence.kinds import SAYS
from pellux.service.evidence.schemas import EvidenceView
from pellux.service.trust import require_trust
from pellux.service.workspace import Workspace
from pellux.store import decisions, runs
from pellux.store.problems import get_problem


def told(workspace: Workspace, search_id: int) -> EvidenceView:
    """Of a search, from its trials as they are now."""
    with workspace.database.read() as session:
        search = runs.get_search(session, search_id)
        require_trust(workspace, get_problem(session, search.problem_id))
    if search.kind != runs.SEARCH:
        raise Conflict(f"A {search.kind} has no space of its own: ask for a search.")
    return shown(decisions.DONE, "", compute(gather(workspace, search_id)))


def newest_search(workspace: Workspace, problem_id: int) -> int:
    """The id of a problem's newest search; NotFound where it has none."""
    with workspace.database.read() as session:
        get_problem(session, problem_id)
        found = runs.searches_of(session, problem_id, kinds=[runs.SEARCH])
    if not found:
        raise NotFound(f"Problem {problem_id} has no search yet.")
    return max(search.id for search in found)


def problem_of(workspace: Workspace, search_id: int) -> int:
    """The id of the problem that a search is of; NotFound where there is no such search."""
    with workspace.database.read() as session:
        return runs.get_search(session, search_id).problem_id


def known_already(workspace: Workspace, problem_id: int, search_id: int) -> EvidenceView | None:
    """What was computed last of a search, if anything was: what a report shows without waiting."""
    with workspace.database.read() as session:
        rows = [row for row in decisions.analyses_of(session, problem_id, SAYS) if row.request.get("search") == search_id]
    done = [row for row in rows if row.state == decisions.DONE and row.result is not None]
    return shown(done[-1].state, done[-1].message, done[-1].result) if done else None
