"""The tabular objective: learners of a catalogue on the folds of a table."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

import numpy as np

from pellux.core.errors import InvalidPlan
from pellux.core.judging import REGRESSION, Brief, Folds, Rows, Tested
from pellux.core.likeness import Traits
from pellux.core.objective import Holds, Judging, Kept, Left, Terms
from pellux.core.space import Space, Value
from pellux.core.stopping import telling_share
from pellux.objectives.registry import Stored
from pellux.objectives.tabular import checkpoints
from pellux.objectives.tabular.evaluator import TabularSource
from pellux.objectives.tabular.learners.catalogue import Catalogue
from pellux.objectives.tabular.learners.settings import Learner
from pellux.objectives.tabular.learners.several import Several
from pellux.objectives.tabular.target import split_rows, target_array
from pellux.tables.files import FOLDS, array
from pellux.tables.table import NUMBER, Table

KIND = "table"
UNEVEN = 0.2


@dataclass(frozen=True)
class TabularObjective:
    """A brief, and where its table and folds lie."""

    brief: Brief
    catalogue: Catalogue
    table: Path
    folds: Path
    own: Path | None = None
    kind: str = KIND

    @cached_property
    def judging(self) -> Judging:
        metric, split = self.brief.judged_by, self.brief.split
        return Judging(
            metric.key, metric.larger_is_better, split.folds, split.fits, metric.least, metric.most,
            tuple(m.key for m in self.brief.also), self.brief.seed, quantities=self.brief.quantities, limits=self.brief.limits, against=self.brief.against,
        )  # fmt: skip

    def configurable(self, key: str) -> Learner:
        return learner_for(self.catalogue, key, self.brief)

    def default_space(self, key: str) -> Space:
        """Reads the target where a setting of the learner is for uneven classes."""
        chosen = self.configurable(key)
        return chosen.default_space(any(s.for_uneven for s in chosen.settings) and self.uneven)

    @cached_property
    def uneven(self) -> bool:
        """Whether the rarest class has less than a fifth of the rows that it would have if all were as frequent."""
        target, known = target_array(Table.open(self.table), self.brief)
        counts = np.bincount(target[known].astype(int), minlength=len(self.brief.classes))
        return bool(counts.min() < UNEVEN * counts.mean())

    def translated(self, to: str, key: str, configuration: Mapping[str, Value]) -> dict[str, Value] | None:
        chosen = self.catalogue.learner(to)
        if key == chosen.key:
            return dict(configuration)
        member, settings = self.catalogue.learner(key).settle(configuration)
        if isinstance(chosen, Several):
            known = {m.key for m in chosen.members}
            return chosen.adopt(member.key, {**member.defaults, **settings}) if member.key in known else None
        return settings if member.key == chosen.key else None

    @property
    def holds(self) -> Holds:
        return Holds()

    def traits(self, scatter: float | None) -> Traits:
        table, brief = Table.open(self.table), self.brief
        numbers = sum(table.column(name).type == NUMBER for name in brief.features)
        return Traits("", table.rows, len(brief.features), numbers / len(brief.features), brief.task, brief.metric, scatter)

    def evaluators(self, terms: Terms) -> TabularSource:
        return TabularSource(self.table, self.folds, self.brief.to_json(), self.own, terms)

    def left_at(self, kept: Kept, trial: int, fold: int, level: int) -> Left | None:
        return checkpoints.read_left(kept, trial, fold, level)

    @cached_property
    def _folds(self) -> Folds:
        return Folds.of(array(self.folds, FOLDS), self.brief.split)

    def tested(self) -> Tested:
        return self._folds.tested

    def telling_share(self) -> float:
        """Reads the target: asked only where rows grow."""
        return telling_share_of(self.brief, self._folds, split_rows(Table.open(self.table), self.brief))


def learner_for(catalogue: Catalogue, key: str, brief: Brief) -> Learner:
    """A learner that can do what the brief asks for; InvalidPlan otherwise."""
    chosen = catalogue.learner(key, brief.task)
    if brief.weight and not chosen.weights:
        raise InvalidPlan(f"{chosen.label} cannot weigh rows, and the brief has weights ({brief.weight}).", at="learner")
    return chosen


def telling_share_of(brief: Brief, folds: Folds, rows: Rows) -> float:
    """The largest share of its training rows that any fold of the first repeat needs to tell something."""
    shares = []
    for fold in range(brief.split.folds):
        learnt = rows.target[folds.train(fold)]
        rarest = None
        if brief.task != REGRESSION:
            rarest = int(np.bincount(learnt.astype(int), minlength=len(brief.classes)).min())
        shares.append(telling_share(len(learnt), rarest))
    return max(shares)


@dataclass(frozen=True)
class Tabular:
    """How a stored problem of this kind is opened; `catalogue` gives what there is at that moment."""

    catalogue: Callable[[], Catalogue]
    key: str = KIND

    def open(self, stored: Stored) -> TabularObjective:
        catalogue = self.catalogue()
        brief = Brief.from_json(stored.brief, catalogue.metrics)
        return TabularObjective(brief, catalogue, stored.data / brief.data, stored.folds, stored.own)
