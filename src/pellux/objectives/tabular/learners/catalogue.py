"""All learners by key, and the catalogue of a workspace. To add a learner, write its family's file and a line here."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from pellux.core.errors import InvalidPlan
from pellux.core.judging import OURS as OUR_METRICS
from pellux.core.judging import REGRESSION, Metrics
from pellux.objectives.tabular.learners.bayes import BAYES
from pellux.objectives.tabular.learners.boosting import BOOSTING
from pellux.objectives.tabular.learners.linear import ELASTIC, LOGISTIC, RIDGE
from pellux.objectives.tabular.learners.neighbours import NEIGHBOURS
from pellux.objectives.tabular.learners.networks import NETWORK
from pellux.objectives.tabular.learners.other_boosters import LIGHTGBM, XGBOOST
from pellux.objectives.tabular.learners.settings import Learner
from pellux.objectives.tabular.learners.several import several, split_key
from pellux.objectives.tabular.learners.stochastic import SGD
from pellux.objectives.tabular.learners.support_vectors import SUPPORT
from pellux.objectives.tabular.learners.trees import EXTRA, FOREST, TREE
from pellux.objectives.tabular.preparation import with_preparation

LEARNERS = {
    entry.key: with_preparation(entry)
    for entry in (
        LOGISTIC, RIDGE, ELASTIC, SGD, NEIGHBOURS, SUPPORT, BAYES, TREE, FOREST, EXTRA, BOOSTING, LIGHTGBM, XGBOOST, NETWORK,
    )
}  # fmt: skip
FIRST_LOOK = ("logistic", "ridge", "forest", "boosting")  # whose baselines are scored unless others are asked for


@dataclass(frozen=True)
class Catalogue:
    """Every learner and metric there is for somebody: ours, and people's own. Passed to whoever looks one up."""

    own: Mapping[str, Learner] = field(default_factory=dict)
    metrics: Metrics = OUR_METRICS

    def every(self) -> list[Learner]:
        return [*LEARNERS.values(), *self.own.values()]

    def learner(self, key: str, task: str | None = None) -> Learner:
        """The learner of a key, or several as one: `logistic | forest *2`.

        InvalidPlan when there is none, when it cannot do the task, or when its package is not installed.
        """
        found = [(self._one(name, task), weight) for name, weight in split_key(key)]
        return found[0][0] if len(found) == 1 else several(found)

    def _one(self, key: str, task: str | None) -> Learner:
        found = LEARNERS.get(key) or self.own.get(key)
        if found is None:
            raise InvalidPlan(f"Learner '{key}' is unknown. Allowed: {', '.join([*LEARNERS, *self.own])}.", at="learner")
        if not found.installed:
            raise InvalidPlan(f"{found.label} is not installed here: pip install {found.package}.", at="learner")
        if task is not None and task not in found.tasks:
            fitting = ", ".join(entry.key for entry in self.every() if task in entry.tasks)
            kind = "a regression" if task == REGRESSION else f"a {task} target"
            raise InvalidPlan(f"{found.label} cannot learn {kind}. Choose one of: {fitting}.", at="learner")
        return found if task is None else found.for_task(task)


OURS = Catalogue()
