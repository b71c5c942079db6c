"""Rules that choose one configuration out of many."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from pellux.core.errors import InvalidPlan
from pellux.core.judging.comparisons import lower_bound

HIGHEST_MEAN, ONE_STANDARD_ERROR, BEST_LOWER_BOUND, BY_HAND = (
    "highest mean", "one standard error", "best lower bound", "by hand"
)  # fmt: skip
KNEE, WEIGHTS = "knee", "weights"
RULES = (HIGHEST_MEAN, ONE_STANDARD_ERROR, BEST_LOWER_BOUND)
FRONT_RULES = (KNEE, WEIGHTS)  # where several metrics decide; `core/judging/fronts.py`


@dataclass(frozen=True)
class Candidate:
    """A scored trial; scores turned so that larger is better. `cost` is what cheapness is measured by."""

    scores: tuple[float, ...]
    mean: float
    error: float | None
    cost: float


def select(rule: str, candidates: Sequence[Candidate], test_to_train: float, noise: float = 1.0) -> int:
    """Index of the candidate that a rule chooses; of equals the first. `noise` is that of the costs, see `one_standard_error`."""
    if not candidates:
        raise InvalidPlan("There is nothing to choose from.", at="rule")
    everyone = range(len(candidates))
    if rule == HIGHEST_MEAN:
        return max(everyone, key=lambda i: candidates[i].mean)
    if rule == ONE_STANDARD_ERROR:
        return one_standard_error(
            [c.mean for c in candidates], [c.error for c in candidates], [c.cost for c in candidates], noise
        )  # fmt: skip
    if rule == BEST_LOWER_BOUND:
        return max(everyone, key=lambda i: lower_bound(candidates[i].scores, test_to_train))
    raise InvalidPlan(f"Rule '{rule}' is unknown. Allowed: {', '.join(RULES)}.", at="rule")


def one_standard_error(means: Sequence[float], errors: Sequence[float | None], costs: Sequence[float], noise: float = 1.0) -> int:
    """Index of the cheapest candidate whose mean lies within one standard error of the best mean.

    `means` are turned so that larger is better. Costs of which one is less than `noise` times the other are no different: of
    candidates that are as cheap the best is chosen, and the best of all unless another is cheaper by more than that.

    References
    ----------
    Breiman, Friedman, Olshen & Stone, Classification and Regression Trees, 1984, section 3.4.3.
    """
    best = max(range(len(means)), key=means.__getitem__)
    bar = means[best] - (errors[best] or 0.0)
    inside = [i for i, value in enumerate(means) if value >= bar]
    least = min(costs[i] for i in inside)
    chosen = max((i for i in inside if costs[i] <= noise * least), key=lambda i: (means[i], -costs[i]))
    return best if costs[best] <= noise * costs[chosen] else chosen
