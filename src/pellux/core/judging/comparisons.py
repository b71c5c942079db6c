"""Is one trial better than another, or only luckier? Fold scores share training rows, so plain tests are too sure."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray


@dataclass(frozen=True)
class Comparison:
    """A trial against the leader; scores turned so that larger is better.

    Attributes
    ----------
    difference : float
        Mean of the paired differences, trial minus leader.
    p_value : float
        Two-sided; of the corrected resampled t test.
    better, same, worse : float
        Probabilities that the trial is better than the leader by more than the region of practical equivalence, within
        it, worse by more than it. They sum to 1.
    """

    difference: float
    p_value: float
    better: float
    same: float
    worse: float


def compare(trial: Sequence[float], leader: Sequence[float], test_to_train: float, region: float) -> Comparison:
    """Compare paired fold scores.

    Parameters
    ----------
    trial, leader : sequences of float, one a fold (or one a fold and repeat), paired
    test_to_train : float
        Rows a fold tests on, over rows it trains on, the mean of the folds: 1 / (k - 1) where k folds cut all rows.
    region : float
        Half-width of the region of practical equivalence, in units of the score; 0 or more.

    Notes
    -----
    Both methods widen the variance of the mean difference by n_test/n_train, for training sets overlap. Differences that
    are equal in all folds have no variance: then they are taken at their word.

    References
    ----------
    Nadeau & Bengio, Inference for the generalization error, Machine Learning 52, 2003 (the test).
    Benavoli, Corani, Demsar & Zaffalon, Time for a change, JMLR 18, 2017, section 3 (the probabilities).
    """
    if len(trial) != len(leader):
        raise ValueError(f"Fold scores come in pairs. Got {len(trial)} and {len(leader)}.")
    gaps = np.asarray(trial, dtype=float) - np.asarray(leader, dtype=float)
    mean = float(gaps.mean())
    scale = _scale(gaps, test_to_train)
    if scale == 0 or not np.isfinite(scale):
        decided = float(mean > region), float(abs(mean) <= region), float(mean < -region)
        return Comparison(mean, 1.0 if mean == 0 else 0.0, *decided)
    freedom = len(gaps) - 1
    worse = float(scipy.special.stdtr(freedom, (-region - mean) / scale))
    better = float(scipy.special.stdtr(freedom, (mean - region) / scale))
    p_value = 2 * float(scipy.special.stdtr(freedom, -abs(mean) / scale))
    return Comparison(mean, p_value, better, max(0.0, 1 - better - worse), worse)


def _scale(values: NDArray[np.float64], test_to_train: float) -> float:
    """Standard error of a mean over folds, corrected for the overlap of their training rows."""
    count = len(values)
    if count < 2:
        return math.inf
    spread = float(values.var(ddof=1))
    # Differences that are equal but for rounding are equal.
    negligible = (1e-12 * float(np.abs(values).max())) ** 2
    return 0.0 if spread <= negligible else math.sqrt((1 / count + test_to_train) * spread)


def lower_bound(scores: Sequence[float], test_to_train: float, confidence: float = 0.95) -> float:
    """One-sided lower confidence bound of a mean fold score, corrected like the test (Nadeau & Bengio 2003)."""
    values = np.asarray(scores, dtype=float)
    scale = _scale(values, test_to_train)
    if not np.isfinite(scale):
        return -math.inf
    return float(values.mean()) - float(scipy.special.stdtrit(len(values) - 1, confidence)) * scale


def holm(p_values: Sequence[float]) -> list[float]:
    """P-values adjusted for their number, in the order given (Holm, Scandinavian Journal of Statistics 6, 1979)."""
    order = sorted(range(len(p_values)), key=p_values.__getitem__)
    adjusted = [0.0] * len(p_values)
    highest = 0.0
    for place, index in enumerate(order):
        highest = max(highest, min(1.0, (len(order) - place) * p_values[index]))
        adjusted[index] = highest
    return adjusted
