"""All scored trials that a choice is made from, and what is known of them."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from pydantic import Field

from pellux.core.judging.selection import BY_HAND, FRONT_RULES, HIGHEST_MEAN, KNEE, RULES, WEIGHTS, Candidate
from pellux.core.objective import Judging
from pellux.service.decisions.measures import COSTS, FIT_SECONDS
from pellux.service.decisions.rejudging import Rejudged, rejudged
from pellux.service.decisions.side_measures import Costs, costs_of
from pellux.service.planning.requests import Request
from pellux.service.workspace import Workspace
from pellux.store import runs, trials
from pellux.store.database import Session
from pellux.store.problems import get_problem
from pellux.store.records import Search, Trial

MOST = 500


class FinalistsQuery(Request):
    """Which finalists, and how they are to be weighed."""

    top: int = Field(10, ge=1, le=MOST, description="How many of the best; the shortlist and the baselines come on top.")
    cost: str = Field(FIT_SECONDS, description=f"What cheapness is measured by: {', '.join(COSTS)}.")
    region: float | None = Field(None, ge=0, description="Half-width of the region of practical equivalence, in the metric.")
    beside: str | None = Field(None, description="A second measure to weigh against the score.")
    weights: str = Field(
        "", max_length=100, description="Where several metrics decide: a weight for each, the score's first, such as '2 1'."
    )
    limit_on: str | None = Field(None, description="A measure that finalists must keep a limit on.")
    limit: float | None = Field(None, description="The limit: at most for costs and errors, at least for scores.")
    search: int | None = Field(None, description="Only the trials of this search (its id), and the baselines.")


@dataclass(frozen=True)
class Candidates:
    """All scored trials that rules choose from, best first, and what is known of them."""

    judging: Judging
    trials: list[Trial]
    searches: dict[int, Search]
    costs: dict[int, Costs]
    again: dict[int, Rejudged]
    test_to_train: float

    @property
    def fresh_to_train(self) -> float:
        """Rows that a fold of a re-judging tests on over rows that it learns from."""
        return 1 / (self.judging.folds - 1)

    def name(self, trial: Trial) -> str:
        if trial.origin == "baseline":
            return "The baseline"
        search = self.searches[trial.search_id]
        return f"Trial {trial.number} of search {search.number}" if len(self.searches) > 1 else f"Trial {trial.number}"

    def candidate(self, trial: Trial, cost: str) -> Candidate:
        sign = self.judging.sign
        known = self.costs.get(trial.id)
        measured = known.of(cost) if known else None
        return Candidate(
            tuple(sign * score for score in trial.scores if score is not None), sign * (trial.mean or 0.0), trial.standard_error,
            float("inf") if measured is None else float(measured),
        )  # fmt: skip


def gather(
    workspace: Workspace, session: Session, problem_id: int, search_id: int | None = None, also: Collection[int] = ()
) -> Candidates:
    """The best scored trials of a problem (at most 500), all shortlisted ones, the baselines and `also` by their ids: best first, what
    breaks a limit last."""
    problem = get_problem(session, problem_id)
    baselines = _baselines(session, problem_id)
    found = {
        trial.id: trial
        for some in (
            trials.scored_best_first(session, problem_id, MOST, search_id),
            trials.shortlisted(session, problem_id, search_id),
            baselines,
            list(trials.by_ids(session, also).values()) if also else [],
        )
        for trial in some
    }
    sign = workspace.objective(problem).judging.sign
    standing = {trial.id for trial in baselines}
    found = {
        key: trial
        for key, trial in found.items()
        if key in standing or (trial.origin != "baseline" and search_id in (None, trial.search_id))
    }
    ranked = sorted(found.values(), key=lambda t: (t.keeps is False, -sign * (t.mean or 0.0), t.id))
    searches = {s.id: s for s in runs.searches_of(session, problem_id, kinds=runs.RANKED)}
    objective = workspace.objective(problem)
    tested = objective.tested()
    return Candidates(
        objective.judging, ranked, searches, costs_of(session, ranked, tested.rows), rejudged(session, problem_id), tested.to_train
    )


def _baselines(session: Session, problem_id: int) -> list[Trial]:
    """Each once: where a search fitted one again to measure more of it, that one stands for it."""
    found: dict[tuple[str, float | None], Trial] = {}
    for trial, _, learner in trials.baselines(session, problem_id):
        key = (trial.learner or learner, trial.mean)
        if key not in found or len(trial.measured or {}) > len(found[key].measured or {}):
            found[key] = trial
    return list(found.values())


__all__ = ["BY_HAND", "FRONT_RULES", "HIGHEST_MEAN", "KNEE", "MOST", "RULES", "WEIGHTS", "Candidates", "FinalistsQuery", "gather"]
