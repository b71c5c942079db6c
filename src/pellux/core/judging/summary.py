"""Mean and standard error of fold scores."""

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
