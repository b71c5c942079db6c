"""Fold effects: some folds are easier than others, so trials with different folds are compared without them.

Two-way additive fit, score[c, f] = configuration[c] + fold[f] + noise, with the effects from complete trials.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


def fold_effects(complete: Sequence[Sequence[float]], folds: int) -> Array:
    """By how much each fold lies above a trial's mean, shape (folds,); zeros when no trial is complete."""
    if not complete:
        return np.zeros(folds)
    table = np.asarray(complete, dtype=float)
    found: Array = (table - table.mean(axis=1, keepdims=True)).mean(axis=0)
    return found


def adjusted_mean(scores: Sequence[float | None], effects: Array) -> float | None:
    """The mean that a trial would have over all folds, from those that it has; None when it has none."""
    known = [(score, effect) for score, effect in zip(scores, effects, strict=False) if score is not None]
    if not known:
        return None
    return float(np.mean([score - effect for score, effect in known]))
