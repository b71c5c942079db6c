"""The shortlist by rule."""

from __future__ import annotations

from typing import Literal

from pydantic import Field
from sqlalchemy import select

from pellux.core.errors import InvalidPlan
from pellux.service.contest import MOST, FinalistsQuery
from pellux.service.decision_views import FinalistsView
from pellux.service.finalists import finalists
from pellux.service.problems import in_searches_of
from pellux.service.requests import Request
from pellux.service.workspace import Workspace
from pellux.store.models import Search, Trial

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
    with workspace.database.write() as session:
        trials = list(session.scalars(select(Trial).join(Search).where(in_searches_of(problem_id))))
        for trial in trials:
            trial.shortlisted = request.by != "nothing" and (trial.shortlisted or trial.id in chosen)
        return sum(trial.shortlisted for trial in trials)


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
        reach = leader.trial.error or 0.0
        return {f.trial.id for f in admitted if abs(f.trial.mean - leader.trial.mean) <= reach}  # type: ignore[operator]
    return {f.trial.id for f in admitted if f.comparison is None or f.comparison.worse < SURELY}
