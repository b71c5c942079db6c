"""All scored trials that a choice is made from, and what is known of them."""

from __future__ import annotations

from dataclasses import dataclass

from pydantic import Field
from sqlalchemy import select
from sqlalchemy.orm import Session

from pellux.core.judging import Brief
from pellux.core.judging.selection import Candidate
from pellux.service.problems import get_problem, in_searches_of
from pellux.service.rejudging import Rejudged, rejudged
from pellux.service.requests import Request
from pellux.service.side_measures import COSTS, FIT_SECONDS, Costs, costs_of
from pellux.store.models import DataFile, Search, Trial

MOST = 500


class FinalistsQuery(Request):
    """Which finalists, and how they are to be weighed."""

    top: int = Field(10, ge=1, le=MOST, description="How many of the best; the shortlist and the baselines come on top.")
    cost: str = Field(FIT_SECONDS, description=f"What cheapness is measured by: {', '.join(COSTS)}.")
    region: float | None = Field(None, ge=0, description="Half-width of the region of practical equivalence, in the metric.")
    beside: str | None = Field(None, description="A second measure to weigh against the score.")
    limit_on: str | None = Field(None, description="A measure that finalists must keep a limit on.")
    limit: float | None = Field(None, description="The limit: at most for costs and errors, at least for scores.")
    search: int | None = Field(None, description="Only the trials of this search (its id), and the baselines.")


@dataclass(frozen=True)
class Contest:
    """All scored trials that rules choose from, best first, and what is known of them."""

    brief: Brief
    trials: list[Trial]
    searches: dict[int, Search]
    costs: dict[int, Costs]
    again: dict[int, Rejudged]
    rows: int

    @property
    def test_to_train(self) -> float:
        return 1 / (self.brief.split.folds - 1)

    def name(self, trial: Trial) -> str:
        if trial.origin == "baseline":
            return "The baseline"
        search = self.searches[trial.search_id]
        return f"Trial {trial.number} of search {search.number}" if len(self.searches) > 1 else f"Trial {trial.number}"

    def candidate(self, trial: Trial, cost: str) -> Candidate:
        sign = self.brief.judged_by.sign
        known = self.costs.get(trial.id)
        measured = known.of(cost) if known else None
        return Candidate(
            tuple(sign * score for score in trial.scores), trial.rank_score or 0.0, trial.error,
            float("inf") if measured is None else float(measured),
        )  # fmt: skip


def gather(session: Session, problem_id: int, search_id: int | None = None) -> Contest:
    """The best scored trials of a problem (at most 500), all shortlisted ones and the baselines, best first."""
    problem = get_problem(session, problem_id)
    scored = select(Trial).join(Search).where(in_searches_of(problem_id), Trial.state == "scored", Trial.mean.is_not(None))
    own = scored if search_id is None else scored.where(Search.id == search_id)
    found = {
        trial.id: trial
        for wanted in (
            own.order_by(Trial.rank_score.desc(), Trial.id).limit(MOST),
            own.where(Trial.shortlisted),
            scored.where(Trial.origin == "baseline"),
        )
        for trial in session.scalars(wanted)
    }
    trials = sorted(found.values(), key=lambda t: (-(t.rank_score or 0.0), t.id))
    searches = {s.id: s for s in session.scalars(select(Search).where(in_searches_of(problem_id)))}
    brief = Brief.from_json(problem.brief)
    data = session.get(DataFile, problem.data_hash)
    rows = round((data.rows if data else 0) * (1 - brief.split.holdout))
    return Contest(brief, trials, searches, costs_of(session, trials, rows), rejudged(session, problem_id), rows)
