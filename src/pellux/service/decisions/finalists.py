"""Finalists: the best trials of all searches and the shortlist, weighed, compared, and what the rules say of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pellux.core.errors import InvalidPlan
from pellux.core.judging import mean, standard_error
from pellux.core.judging.aims import Aim
from pellux.core.judging.comparisons import Comparison, compare, holm
from pellux.core.judging.fronts import on_front
from pellux.core.objective import Judging, Objective
from pellux.service.decisions.advice import suggestions
from pellux.service.decisions.candidates import Candidates, FinalistsQuery, gather
from pellux.service.decisions.grounds import has_predictions
from pellux.service.decisions.measures import Measures, measures_for
from pellux.service.decisions.schemas import (
    ComparisonToLeader,
    Finalist,
    FinalistsView,
    MeasureView,
    MetricOfFinalist,
    RejudgedView,
    Suggestion,
)
from pellux.service.decisions.side_measures import values_of
from pellux.service.decisions.trade_offs import TradeOff, aims_of, metrics_of, of_front, trade_off, weights_of
from pellux.service.searches.lookups import learner_of
from pellux.service.searches.trials import trial_row
from pellux.service.workspace import Workspace
from pellux.store.decisions import decisions_of
from pellux.store.problems import get_problem
from pellux.store.records import Problem, Trial

USUAL_REGION = 0.01
MOST_OF_FRONT = 60  # trials of it that are looked at as finalists


@dataclass(frozen=True)
class _Weighed:
    """All candidates as they were weighed, before any is shown."""

    field: Candidates
    measures: Measures
    query: FinalistsQuery
    admitted: set[int]
    between: TradeOff | None
    leader: Trial | None
    advised: list[Suggestion]

    @property
    def front(self) -> list[int]:
        return self.between.front if self.between else []

    @property
    def aims(self) -> tuple[Aim, ...]:
        return self.between.aims if self.between else ()


def finalists(workspace: Workspace, problem_id: int, query: FinalistsQuery) -> FinalistsView:
    """The best trials of all searches of a problem, those on the shortlist and the baselines, compared with the leader."""
    with workspace.database.read() as session:
        problem = get_problem(session, problem_id)
        decided = {decision.trial_id for decision in decisions_of(session, problem_id)}
        predicted = has_predictions(workspace, session, problem_id)
    found, objective = _weighed(workspace, problem, query), workspace.objective(problem)
    query, leader, field = found.query, found.leader, found.field
    shown = _shown(field, query.top, {s.trial_id for s in found.advised} | decided | set(found.front[-MOST_OF_FRONT:]))
    region = usual_region(objective.judging, leader) if query.region is None else query.region
    against = _compared(field, leader, shown, region)
    beside = _beside(workspace, problem, field, shown, query.beside)
    with workspace.database.read() as session:
        metrics = metrics_of(session, field, found.aims, shown, leader)
    own_front = query.beside in {aim.measure for aim in found.aims}
    return FinalistsView(
        finalists=[_view(objective, field, trial, found.admitted, beside, against, metrics) for trial in shown],
        suggestions=found.advised, leader=leader.id if leader else None, region=region, cost=query.cost,
        measures=[MeasureView(key=key, larger_is_better=found.measures.larger_is_better(key)) for key in found.measures.keys],
        front=found.front if own_front else _front(found.measures, shown, beside, query.beside),
        beside=query.beside, decides=_decides(objective.judging, found.aims),
        scored=len(field.trials), admitted=len(found.admitted), predicted=predicted,
    )  # fmt: skip


def _weighed(workspace: Workspace, problem: Problem, query: FinalistsQuery) -> _Weighed:
    judging = workspace.objective(problem).judging
    with workspace.database.read() as session:
        aims = aims_of(session, judging, problem.id, query.search)
        field = gather(workspace, session, problem.id, query.search, of_front(session, judging, aims, problem.id))
        measures = measures_for(workspace, session, problem)
    query = query.model_copy(update={"beside": query.beside or (aims[0].measure if aims else None)})
    check_query(measures, query)
    weights = weights_of(query.weights, 1 + len(aims))
    admitted = _admitted(workspace, measures, problem, field, query)
    between = trade_off(field, aims, admitted)
    best = next((t for t in field.trials if t.id in admitted), None)
    by_front = between.suggestions(field, weights) if between else []
    advised = [*by_front, *suggestions(measures, field, admitted, query)] if best else []
    return _Weighed(field, measures, query, admitted, between, (between.knee if between else None) or best, advised)


def _decides(judging: Judging, aims: Sequence[Aim]) -> list[MeasureView]:
    if not aims:
        return []
    own = MeasureView(key=judging.metric, larger_is_better=judging.larger_is_better)
    return [own, *(MeasureView(key=aim.measure, larger_is_better=aim.larger) for aim in aims)]


def larger_is_better_of(workspace: Workspace, problem_id: int, measure: str) -> bool:
    """Which way a measure is good; InvalidPlan when a problem's finalists have no such measure."""
    with workspace.database.read() as session:
        measures = measures_for(workspace, session, get_problem(session, problem_id))
    measures.check(measure, "limit")
    return measures.larger_is_better(measure)


def check_query(measures: Measures, query: FinalistsQuery) -> None:
    if query.cost not in measures.costs:
        raise InvalidPlan(f"Cost is measured by one of: {', '.join(measures.costs)}. Got '{query.cost}'.", at="cost")
    for measure, at in ((query.beside, "beside"), (query.limit_on, "limit_on")):
        if measure is not None:
            measures.check(measure, at)
    if (query.limit_on is None) != (query.limit is None):
        raise InvalidPlan("A limit needs both a measure (limit_on) and a value (limit).", at="limit")


def usual_region(judging: Judging, leader: Trial | None) -> float:
    """Differences that nobody minds: 0.01 of a metric that ends at 1, one per cent of the leader's score otherwise."""
    if judging.most == 1 and judging.least >= -1:
        return USUAL_REGION
    return USUAL_REGION * abs(leader.mean or 0.0) if leader is not None else 0.0


def _admitted(workspace: Workspace, measures: Measures, problem: Problem, field: Candidates, query: FinalistsQuery) -> set[int]:
    if query.limit_on is None or query.limit is None:
        return {t.id for t in field.trials if t.keeps is not False}
    values = values_of(workspace, problem, field.trials, field.costs, query.limit_on)
    if measures.larger_is_better(query.limit_on):
        kept = {trial_id for trial_id, value in values.items() if value >= query.limit}
    else:
        kept = {trial_id for trial_id, value in values.items() if value <= query.limit}
    return kept - {t.id for t in field.trials if t.keeps is False}


def _shown(field: Candidates, top: int, named: set[int]) -> list[Trial]:
    """The best, and whatever a person or a rule has named."""
    return [
        t for place, t in enumerate(field.trials) if place < top or t.shortlisted or t.origin == "baseline" or t.id in named
    ]  # fmt: skip


def _compared(field: Candidates, leader: Trial | None, shown: Sequence[Trial], region: float) -> dict[int, ComparisonToLeader]:
    """Every finalist against the leader: on fresh folds where both were re-judged, else on the folds of the search."""
    if leader is None:
        return {}
    sign, found = field.judging.sign, {}
    others = [t for t in shown if t.id != leader.id]
    if field.judging.fits < 2:  # one score says nothing of how much chance there is in it
        return {}
    for trial in others:
        one, other, basis = _paired(field, trial, leader)
        turned = [sign * s for s in one], [sign * s for s in other]
        ratio = field.test_to_train if basis == "folds" else field.fresh_to_train
        found[trial.id] = compare(*turned, ratio, region), basis
    adjusted = holm([found[t.id][0].p_value for t in others])
    return {
        trial.id: ComparisonToLeader(
            difference=sign * found[trial.id][0].difference, p_value=found[trial.id][0].p_value, p_adjusted=p,
            better=found[trial.id][0].better, same=found[trial.id][0].same, worse=found[trial.id][0].worse,
            basis=found[trial.id][1], words=in_words(found[trial.id][0]),
        )
        for trial, p in zip(others, adjusted, strict=True)
    }  # fmt: skip


def _paired(field: Candidates, trial: Trial, leader: Trial) -> tuple[Sequence[float], Sequence[float], str]:
    one, other = field.again.get(trial.id), field.again.get(leader.id)
    if one is None or other is None:
        return _scores(trial), _scores(leader), "folds"
    both = min(len(one.scores), len(other.scores))
    return one.scores[:both], other.scores[:both], "re-judged"


def _scores(trial: Trial) -> list[float]:
    return [score for score in trial.scores if score is not None]


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


def _beside(
    workspace: Workspace, problem: Problem, field: Candidates, shown: Sequence[Trial], measure: str | None
) -> dict[int, float]:
    if measure is None:
        return {}
    return values_of(workspace, problem, shown, field.costs, measure)


def _front(measures: Measures, shown: Sequence[Trial], beside: dict[int, float], measure: str | None) -> list[int]:
    if measure is None:
        return []
    sign = 1 if measures.larger_is_better(measure) else -1
    both = [
        (np.nan if t.rank_score is None else t.rank_score, sign * beside[t.id] if t.id in beside else np.nan) for t in shown
    ]  # fmt: skip
    values = np.array(both, dtype=float).reshape(-1, 2)
    on = np.flatnonzero(on_front(values))
    return [shown[i].id for i in on[np.argsort(-values[on, 0], kind="stable")]]


def _view(
    objective: Objective,
    field: Candidates,
    trial: Trial,
    admitted: set[int],
    beside: dict[int, float],
    against: dict[int, ComparisonToLeader],
    metrics: dict[int, list[MetricOfFinalist]],
) -> Finalist:
    search = field.searches[trial.search_id]
    costs = field.costs.get(trial.id)
    again = field.again.get(trial.id)
    return Finalist(
        trial=trial_row(trial), search_number=search.number, learner=learner_of(objective, search, trial),
        is_baseline=trial.origin == "baseline", admitted=trial.id in admitted,
        fit_seconds=costs.fit_seconds if costs else trial.seconds / max(len(trial.scores), 1),
        prediction_seconds=costs.prediction_seconds if costs else None, model_bytes=costs.model_bytes if costs else None,
        beside=beside.get(trial.id), comparison=against.get(trial.id), metrics=metrics.get(trial.id, []),
        rejudged=None if again is None else RejudgedView(
            search_id=again.search, mean=mean(again.scores), standard_error=standard_error(again.scores, field.judging.folds),
            scores=list(again.scores),
        ),
    )  # fmt: skip
