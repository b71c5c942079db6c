"""All learners by key. To add one, write its family's file and a line here."""

from __future__ import annotations

from pellux.core.errors import InvalidPlan
from pellux.core.judging import REGRESSION
from pellux.learners.bayes import BAYES
from pellux.learners.boosting import BOOSTING
from pellux.learners.linear import ELASTIC, LOGISTIC, RIDGE
from pellux.learners.neighbours import NEIGHBOURS
from pellux.learners.networks import NETWORK
from pellux.learners.other_boosters import LIGHTGBM, XGBOOST
from pellux.learners.preparation import with_preparation
from pellux.learners.settings import Learner
from pellux.learners.several import several, split_key
from pellux.learners.stochastic import SGD
from pellux.learners.support_vectors import SUPPORT
from pellux.learners.trees import EXTRA, FOREST, TREE

LEARNERS = {
    entry.key: with_preparation(entry)
    for entry in (
        LOGISTIC, RIDGE, ELASTIC, SGD, NEIGHBOURS, SUPPORT, BAYES, TREE, FOREST, EXTRA, BOOSTING, LIGHTGBM, XGBOOST, NETWORK,
    )
}  # fmt: skip
FIRST_LOOK = ("logistic", "ridge", "forest", "boosting")  # whose baselines are scored unless others are asked for

_OWN: dict[str, Learner] = {}


def declare(own: Learner) -> None:
    """Make a person's own learner known in this process; its key holds the hash of its code, so it never changes."""
    _OWN[own.key] = with_preparation(own)


def every_learner() -> list[Learner]:
    return [*LEARNERS.values(), *_OWN.values()]


def learner(key: str, task: str | None = None) -> Learner:
    """The learner of a key, or several as one: `logistic | forest *2`.

    InvalidPlan when there is none, when it cannot do the task, or when its package is not installed.
    """
    named = split_key(key)
    found = [(_one(name, task), weight) for name, weight in named]
    return found[0][0] if len(found) == 1 else several(found)


def _one(key: str, task: str | None) -> Learner:
    found = LEARNERS.get(key) or _OWN.get(key)
    if found is None:
        raise InvalidPlan(f"Learner '{key}' is unknown. Allowed: {', '.join([*LEARNERS, *_OWN])}.", at="learner")
    if not found.installed:
        raise InvalidPlan(f"{found.label} is not installed here: pip install {found.package}.", at="learner")
    if task is not None and task not in found.tasks:
        fitting = ", ".join(entry.key for entry in every_learner() if task in entry.tasks)
        kind = "a regression" if task == REGRESSION else f"a {task} target"
        raise InvalidPlan(f"{found.label} cannot learn {kind}. Choose one of: {fitting}.", at="learner")
    return found if task is None else found.for_task(task)
