"""How much of the differences between trials is chance: what folds explain away, and how many trials could as well be the best."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from pellux.core.judging.comparisons import compare

Array = NDArray[np.float64]
ALIKE = 0.05  # a p-value above it tells no difference


@dataclass(frozen=True)
class Noise:
    """Of trials that have all their folds.

    Attributes
    ----------
    share : float
        Of the variance between trials' means, what the scatter of their folds would make by itself; 0 to 1.
    p_value : float
        Of the hypothesis that all trials are equally good (two-way analysis of variance, corrected for overlapping training rows).
    alike : int
        Trials that cannot be told apart from the best (corrected resampled t test), the best itself not counted.
    trials, folds : int
    """

    share: float
    p_value: float
    alike: int
    trials: int
    folds: int


def noise(tables: Sequence[Sequence[float]], test_to_train: float) -> Noise | None:
    """Of fold scores, one row a trial; None where there are fewer than 3 trials or 2 folds.

    `test_to_train` as of `judging.comparisons.compare`.
    """
    table = np.asarray(tables, dtype=float)
    if table.ndim != 2 or len(table) < 3 or table.shape[1] < 2:
        return None
    trials, folds = table.shape
    means = table.mean(1)
    residual = table - means[:, None] - table.mean(0) + table.mean()
    scatter = float((residual**2).sum() / ((trials - 1) * (folds - 1)))
    between = float(means.var(ddof=1))
    by_chance = scatter * (1 / folds + test_to_train)
    best = int(means.argmax())
    alike = sum(
        compare(row.tolist(), table[best].tolist(), test_to_train, 0.0).p_value > ALIKE for i, row in enumerate(table) if i != best
    )
    if between <= 0:
        return Noise(1.0, 1.0, alike, trials, folds)
    ratio = between / by_chance if by_chance > 0 else np.inf
    p_value = float(scipy.stats.f.sf(ratio, trials - 1, (trials - 1) * (folds - 1)))
    return Noise(min(1.0, by_chance / between), p_value, alike, trials, folds)
