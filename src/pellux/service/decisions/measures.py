"""What finalists of a problem can be weighed by beside their score, whatever its objective."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Protocol

from pellux.core.errors import InvalidPlan
from pellux.core.judging import Brief
from pellux.core.judging.limits import MODEL_MB, PREDICT_MS
from pellux.objectives.code.brief import KINDS as CODE
from pellux.objectives.code.brief import CodeBrief
from pellux.service.planning.requests import kept_settings
from pellux.service.workspace import Workspace
from pellux.store import runs
from pellux.store.database import Session
from pellux.store.records import Problem

FIT_SECONDS, PREDICTION_SECONDS, MODEL_SIZE = "fit seconds", "prediction seconds", "model size"
MEASURED = (PREDICT_MS, MODEL_MB)  # what limits and aims call them: timed, or told, where a search asked for it
COSTS = (FIT_SECONDS, PREDICTION_SECONDS, MODEL_SIZE)


class Measures(Protocol):
    @property
    def costs(self) -> Sequence[str]: ...

    @property
    def keys(self) -> list[str]: ...

    def larger_is_better(self, measure: str) -> bool: ...

    def check(self, measure: str, at: str) -> None:
        """Raise InvalidPlan unless finalists of this problem can be weighed by it."""
        ...


@dataclass(frozen=True)
class TableMeasures:
    """Costs, every metric that predictions of this task can be judged by, and what searches measured besides."""

    brief: Brief
    measured: Sequence[str] = ()
    costs: Sequence[str] = COSTS

    @property
    def keys(self) -> list[str]:
        return [
            *COSTS,
            *self.measured,
            *(m.key for m in self.brief.metrics.beside(self.brief.task, self.brief.recorded) if m.key != self.brief.metric),
        ]

    def larger_is_better(self, measure: str) -> bool:
        return measure not in (*COSTS, *MEASURED) and self.brief.metrics.get(measure).larger_is_better

    def check(self, measure: str, at: str) -> None:
        if measure in COSTS or measure in self.measured:
            return
        if measure not in {m.key for m in self.brief.metrics.every()}:
            raise _no_measure(measure, self.keys, at)
        self.brief.metrics.suiting(measure, self.brief.task, at=at)


@dataclass(frozen=True)
class CodeMeasures:
    """Seconds, what a fit keeps, and the metrics that own code tells besides."""

    recorded: Mapping[str, bool] = field(default_factory=dict)
    costs: Sequence[str] = (FIT_SECONDS, MODEL_SIZE)

    @property
    def keys(self) -> list[str]:
        return [*self.costs, *self.recorded]

    def larger_is_better(self, measure: str) -> bool:
        return self.recorded.get(measure, False)

    def check(self, measure: str, at: str) -> None:
        if measure not in self.keys:
            raise _no_measure(measure, self.keys, at)


def _no_measure(measure: str, known: Sequence[str], at: str) -> InvalidPlan:
    return InvalidPlan(f"'{measure}' is no measure. Allowed: {', '.join(known)}.", at=at)


def measures_for(workspace: Workspace, session: Session, problem: Problem) -> Measures:
    if problem.objective in CODE:
        brief = CodeBrief.from_json(problem.brief)
        return CodeMeasures({name: name not in brief.smaller for name in brief.recorded})
    judging = workspace.objective(problem).judging
    asked = [kept_settings(search.plan) for search in runs.searches_of(session, problem.id, kinds=(runs.SEARCH,))]
    known = {limit.measure for texts in (None, *(plan.limits for plan in asked)) for limit in judging.limited(texts)}
    known |= {aim.measure for names in (None, *(plan.against for plan in asked)) for aim in judging.weighed(names)}
    return TableMeasures(workspace.brief(problem), tuple(measure for measure in MEASURED if measure in known))
