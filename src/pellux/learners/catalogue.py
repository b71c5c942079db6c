"""All learners by key. To add one, write its family's file and a line here."""

from __future__ import annotations

from pellux.core.errors import InvalidPlan
from pellux.core.judging import REGRESSION
from pellux.learners.boosting import BOOSTING
from pellux.learners.linear import LOGISTIC, RIDGE
from pellux.learners.networks import NETWORK
from pellux.learners.settings import Learner
from pellux.learners.trees import FOREST, TREE

LEARNERS = {learner.key: learner for learner in (LOGISTIC, RIDGE, TREE, FOREST, BOOSTING, NETWORK)}


def learner(key: str, task: str | None = None) -> Learner:
    """The learner of a key; InvalidPlan when there is none or when it cannot do the task."""
    if key not in LEARNERS:
        raise InvalidPlan(f"Learner '{key}' is unknown. Allowed: {', '.join(LEARNERS)}.", at="learner")
    found = LEARNERS[key]
    if task is not None and task not in found.tasks:
        fitting = ", ".join(entry.key for entry in LEARNERS.values() if task in entry.tasks)
        kind = "a regression" if task == REGRESSION else f"a {task} target"
        raise InvalidPlan(f"{found.label} cannot learn {kind}. Choose one of: {fitting}.", at="learner")
    return found if task is None else found.for_task(task)
