"""Mean and standard error of fold scores."""

from __future__ import annotations

import math
from collections.abc import Sequence


def mean(scores: Sequence[float]) -> float:
    """The arithmetic mean, summed without loss; ValueError when there are no scores."""
    return math.fsum(scores) / len(scores)


def standard_error(scores: Sequence[float], folds: int | None = None) -> float | None:
    """Standard deviation of the fold scores (n - 1 in the denominator) over the root of their number.

    Of scores from repeated folds that of one repeat of so many `folds`: cutting the same rows again adds no new rows.
    """
    if len(scores) < 2:
        return None
    centre = mean(scores)
    rows = len(scores) if folds is None else min(folds, len(scores))
    return math.sqrt(math.fsum((s - centre) ** 2 for s in scores) / (len(scores) - 1) / rows)
