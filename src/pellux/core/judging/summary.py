"""Mean and standard error of fold scores, and the order they give."""

from __future__ import annotations

import math
from collections.abc import Sequence


def mean(scores: Sequence[float]) -> float:
    return math.fsum(scores) / len(scores)


def standard_error(scores: Sequence[float]) -> float | None:
    """Standard deviation of the fold scores (n - 1 in the denominator) over the root of their number."""
    if len(scores) < 2:
        return None
    centre = mean(scores)
    return math.sqrt(math.fsum((s - centre) ** 2 for s in scores) / (len(scores) - 1) / len(scores))


def one_standard_error(means: Sequence[float], errors: Sequence[float | None], costs: Sequence[float]) -> int:
    """Index of the cheapest candidate whose mean lies within one standard error of the best mean.

    `means` are turned so that larger is better; `costs` are in seconds.

    References
    ----------
    Breiman, Friedman, Olshen & Stone, Classification and Regression Trees, 1984, section 3.4.3.
    """
    best = max(range(len(means)), key=means.__getitem__)
    bar = means[best] - (errors[best] or 0.0)
    return min((i for i, value in enumerate(means) if value >= bar), key=lambda i: (costs[i], -means[i]))
