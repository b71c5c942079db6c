"""The shortlist by rule."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from pellux.core.errors import InvalidPlan
from pellux.service.decisions.candidates import MOST, FinalistsQuery
from pellux.service.decisions.finalists import finalists
from pellux.service.decisions.schemas import FinalistsView
from pellux.service.planning.requests import Request
from pellux.service.workspace import Workspace
from pellux.store import trials

SURELY = 0.95


class ShortlistRequest(Request):
    """Puts trials on the shortlist by rule; those that stand on it already stay, unless it is to be emptied."""

    by: Literal["rules", "one standard error", "indistinguishable", "front", "nothing"] = Field(
        description="What the rules choose; all within one standard error of the leader; all that the comparison gives 5 % or more "
        "not to be worse; the trade-off front; or nothing: empty the shortlist."
    )
    weighing: FinalistsQuery = FinalistsQuery()


def shortlist(workspace: Workspace, problem_id: int, request: ShortlistRequest) -> int:
    """Shortlist by rule among the admitted trials; returns how many stand on the list then."""
    found = finalists(workspace, problem_id, request.weighing.model_copy(update={"top": MOST}))
    chosen = _by_rule(found, request.by)
    at = workspace.clock()
    with workspace.database.write() as session:
        return trials.shortlist(session, problem_id, at, None if request.by == "nothing" else chosen)


def _by_rule(found: FinalistsView, by: str) -> set[int]:
    admitted = [f for f in found.finalists if f.admitted and not f.is_baseline]
    leader = next((f for f in found.finalists if f.trial.id == found.leader), None)
    if leader is None or by == "nothing":
        return set()
    if by == "rules":
        named = {s.trial_id for s in found.suggestions}
        return {f.trial.id for f in admitted if f.trial.id in named}
    if by == "front":
        if not found.front:
            raise InvalidPlan("There is no front without a second measure (beside).", at="weighing.beside")
        return {f.trial.id for f in admitted if f.trial.id in found.front}
    if by == "one standard error":
        reach = leader.trial.standard_error or 0.0
        return {f.trial.id for f in admitted if abs(f.trial.mean - leader.trial.mean) <= reach}  # type: ignore[operator]
    return {f.trial.id for f in admitted if f.comparison is None or f.comparison.worse < SURELY}
