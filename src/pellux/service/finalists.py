"""Finalists: the best trials of all searches and the shortlist, weighed, compared, and what the rules say of them."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from pydantic import Field
from sqlalchemy import select
from sqlalchemy.orm import Session

from pellux.core.errors import InvalidPlan
from pellux.core.judging import Brief, mean, standard_error
from pellux.core.judging.comparisons import Comparison, compare, holm, lower_bound
from pellux.core.judging.selection import (
    BEST_LOWER_BOUND,
    HIGHEST_MEAN,
    ONE_STANDARD_ERROR,
    RULES,
    Candidate,
    front,
)
from pellux.core.judging.selection import (
    select as select_by,
)
from pellux.service.analysis_kinds import ground_of
from pellux.service.problems import get_problem, in_searches_of
from pellux.service.rejudging import Rejudged, rejudged
from pellux.service.requests import Request
from pellux.service.side_measures import (
    CHEAPER,
    COSTS,
    FIT_SECONDS,
    Costs,
    check_measure,
    costs_of,
    larger_is_better,
    measures_of,
    values_of,
)
from pellux.service.trials import trial_row
from pellux.service.views import ComparisonToLeader, Finalist, FinalistsView, MeasureView, RejudgedView, Suggestion
from pellux.service.workspace import Workspace
from pellux.store.models import DataFile, Decision, Search, Trial

MOST = 500
USUAL_REGION = 0.01
SURELY = 0.95


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


def finalists(workspace: Workspace, problem_id: int, query: FinalistsQuery) -> FinalistsView:
    """The best trials of all searches of a problem, those on the shortlist and the baselines, compared with the leader."""
    with workspace.database.read() as session:
        field = gather(session, problem_id, query.search)
        decided = set(session.scalars(select(Decision.trial_id).where(Decision.problem_id == problem_id)))
    brief = field.brief
    check_query(brief, query)
    admitted = _admitted(workspace, problem_id, field, query)
    leader = next((t for t in field.trials if t.id in admitted), None)
    advised = suggestions(field, admitted, query) if leader else []
    shown = _shown(field, query.top, {s.trial_id for s in advised} | decided)
    region = usual_region(brief, leader) if query.region is None else query.region
    against = _compared(field, leader, shown, region)
    beside = _beside(workspace, problem_id, field, shown, query.beside)
    return FinalistsView(
        finalists=[_view(field, trial, admitted, beside, against) for trial in shown],
        suggestions=advised,
        leader=leader.id if leader else None, region=region, cost=query.cost,
        measures=[MeasureView(key=key, larger_is_better=larger_is_better(key)) for key in measures_of(brief)],
        front=_front(field, shown, beside, query.beside),
        scored=len(field.trials), admitted=len(admitted),
    )  # fmt: skip


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


def check_query(brief: Brief, query: FinalistsQuery) -> None:
    if query.cost not in COSTS:
        raise InvalidPlan(f"Cost is measured by one of: {', '.join(COSTS)}. Got '{query.cost}'.", at="cost")
    for measure, at in ((query.beside, "beside"), (query.limit_on, "limit_on")):
        if measure is not None:
            check_measure(brief, measure, at)
    if (query.limit_on is None) != (query.limit is None):
        raise InvalidPlan("A limit needs both a measure (limit_on) and a value (limit).", at="limit")


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


def usual_region(brief: Brief, leader: Trial | None) -> float:
    """Differences that nobody minds: 0.01 of a metric that ends at 1, one per cent of the leader's score otherwise."""
    if brief.judged_by.most == 1 and brief.judged_by.least >= -1:
        return USUAL_REGION
    return USUAL_REGION * abs(leader.mean or 0.0) if leader is not None else 0.0


def _admitted(workspace: Workspace, problem_id: int, field: Contest, query: FinalistsQuery) -> set[int]:
    if query.limit_on is None or query.limit is None:
        return {t.id for t in field.trials}
    values = values_of(workspace, ground_of(workspace, problem_id), field.trials, field.costs, query.limit_on)
    if larger_is_better(query.limit_on):
        return {trial_id for trial_id, value in values.items() if value >= query.limit}
    return {trial_id for trial_id, value in values.items() if value <= query.limit}


def _shown(field: Contest, top: int, named: set[int]) -> list[Trial]:
    """The best, and whatever a person or a rule has named."""
    return [
        t for place, t in enumerate(field.trials) if place < top or t.shortlisted or t.origin == "baseline" or t.id in named
    ]  # fmt: skip


def _compared(field: Contest, leader: Trial | None, shown: Sequence[Trial], region: float) -> dict[int, ComparisonToLeader]:
    """Every finalist against the leader: on fresh folds where both were re-judged, else on the folds of the search."""
    if leader is None:
        return {}
    sign, found = field.brief.judged_by.sign, {}
    others = [t for t in shown if t.id != leader.id]
    for trial in others:
        one, other, basis = _paired(field, trial, leader)
        turned = [sign * s for s in one], [sign * s for s in other]
        found[trial.id] = compare(*turned, field.test_to_train, region), basis
    adjusted = holm([found[t.id][0].p_value for t in others])
    return {
        trial.id: ComparisonToLeader(
            difference=sign * found[trial.id][0].difference, p_value=found[trial.id][0].p_value, p_adjusted=p,
            better=found[trial.id][0].better, same=found[trial.id][0].same, worse=found[trial.id][0].worse,
            basis=found[trial.id][1], words=in_words(found[trial.id][0]),
        )
        for trial, p in zip(others, adjusted, strict=True)
    }  # fmt: skip


def _paired(field: Contest, trial: Trial, leader: Trial) -> tuple[Sequence[float], Sequence[float], str]:
    one, other = field.again.get(trial.id), field.again.get(leader.id)
    if one is None or other is None:
        return trial.scores, leader.scores, "folds"
    both = min(len(one.scores), len(other.scores))
    return one.scores[:both], other.scores[:both], "re-judged"


def in_words(found: Comparison) -> str:
    """What the probabilities come to, for somebody who is no statistician."""
    if found.same >= 0.95:
        return "practically the same as the leader"
    if found.worse >= 0.95:
        return "worse than the leader, almost surely"
    if found.better >= 0.95:
        return "better than the leader, almost surely"
    if found.worse >= 0.75:
        return "probably worse than the leader"
    if found.better >= 0.75:
        return "probably better than the leader"
    if found.same >= 0.5:
        return "most likely the same as the leader"
    return "these folds cannot tell it from the leader"


def _beside(workspace: Workspace, problem_id: int, field: Contest, shown: Sequence[Trial], measure: str | None) -> dict[int, float]:
    if measure is None:
        return {}
    return values_of(workspace, ground_of(workspace, problem_id), shown, field.costs, measure)


def _front(field: Contest, shown: Sequence[Trial], beside: dict[int, float], measure: str | None) -> list[int]:
    if measure is None:
        return []
    sign = 1 if larger_is_better(measure) else -1
    turned = [sign * beside[t.id] if t.id in beside else None for t in shown]
    return [shown[i].id for i in front([t.rank_score for t in shown], turned)]


def suggestions(field: Contest, admitted: set[int], query: FinalistsQuery) -> list[Suggestion]:
    """What each rule chooses among the admitted trials, and why, in words."""
    trials = [t for t in field.trials if t.id in admitted]
    candidates = [field.candidate(t, query.cost) for t in trials]
    picked = {rule: trials[select_by(rule, candidates, field.test_to_train)] for rule in RULES}
    return [
        Suggestion(
            rule=rule, trial_id=trial.id, reason=_limit_words(field, admitted, query) + _reason(field, rule, picked, query.cost)
        )
        for rule, trial in picked.items()
    ]


def _limit_words(field: Contest, admitted: set[int], query: FinalistsQuery) -> str:
    if query.limit_on is None:
        return ""
    sign = "≥" if larger_is_better(query.limit_on) else "≤"
    return f"Of the {len(admitted)} of {len(field.trials)} trials with {query.limit_on} {sign} {query.limit:g}: "


def _reason(field: Contest, rule: str, picked: dict[str, Trial], cost: str) -> str:
    best, chosen = picked[HIGHEST_MEAN], picked[rule]
    if rule == HIGHEST_MEAN:
        return f"{field.name(best)} has the best mean {field.brief.metric}: {score_words(best)}."
    if rule == ONE_STANDARD_ERROR:
        if chosen.id == best.id:
            return f"No cheaper trial ({cost}) lies within one standard error of {_within(field.name(best))}, {score_words(best)}."
        costs = [field.candidate(t, cost).cost for t in (best, chosen)]
        times = f"{costs[0] / costs[1]:.1f}" if costs[1] > 0 and costs[0] != float("inf") else "many"
        return (
            f"{field.name(chosen)} ({score_words(chosen)}) lies within one standard error of the best "
            f"({score_words(best)}) and {CHEAPER[cost].format(times)}."
        )
    assert rule == BEST_LOWER_BOUND
    digits, sign = digits_of(chosen), field.brief.judged_by.sign
    bounds = [
        sign * lower_bound(field.candidate(t, cost).scores, field.test_to_train) for t in (chosen, best)
    ]  # fmt: skip
    side = "at least" if sign > 0 else "at most"
    if chosen.id == best.id:
        return f"{field.name(best)} also has the best bound: {side} {bounds[0]:.{digits}f} with 95 % confidence."
    return (
        f"{field.name(chosen)} ({score_words(chosen)}) has the best bound: {side} {bounds[0]:.{digits}f} with 95 % confidence; "
        f"the highest mean is only {side} {bounds[1]:.{digits}f}."
    )


def _within(name: str) -> str:
    """A name in the middle of a sentence."""
    return name[0].lower() + name[1:]


def digits_of(trial: Trial) -> int:
    """Decimals that the standard error justifies."""
    return 4 if not trial.error else max(0, -int(f"{trial.error:.1e}".split("e")[1]) + 1)


def score_words(trial: Trial) -> str:
    error = "" if trial.error is None else f" ± {trial.error:.{digits_of(trial)}f}"
    return f"{trial.mean:.{digits_of(trial)}f}{error}"


def error_of_repeats(scores: Sequence[float], folds: int) -> float | None:
    """Standard error of a mean over repeated folds: of one repeat, for cutting the same rows again adds no new rows."""
    whole = standard_error(scores)
    return None if whole is None else whole * math.sqrt(len(scores) / folds)


def _view(
    field: Contest, trial: Trial, admitted: set[int], beside: dict[int, float], against: dict[int, ComparisonToLeader]
) -> Finalist:
    search = field.searches[trial.search_id]
    costs = field.costs.get(trial.id)
    again = field.again.get(trial.id)
    return Finalist(
        trial=trial_row(trial), search_number=search.number, learner=search.learner,
        is_baseline=trial.origin == "baseline", admitted=trial.id in admitted,
        fit_seconds=costs.fit_seconds if costs else trial.seconds / max(len(trial.scores), 1),
        prediction_seconds=costs.prediction_seconds if costs else None, model_bytes=costs.model_bytes if costs else None,
        beside=beside.get(trial.id), comparison=against.get(trial.id),
        rejudged=None if again is None else RejudgedView(
            search_id=again.search, mean=mean(again.scores), error=error_of_repeats(again.scores, field.brief.split.folds),
            scores=list(again.scores),
        ),
    )  # fmt: skip
