"""Straightens scores before a Gaussian process sees them.

Scores of a search have a long bad tail. Median and median absolute deviation set the scale, a Yeo-Johnson transform by
maximum likelihood (Yeo & Johnson, Biometrika 2000) draws the tail in. It keeps the order of scores and, unlike ranks,
the distances between the good ones.
"""

from __future__ import annotations

import numpy as np
import scipy
from numpy.typing import NDArray

Array = NDArray[np.float64]
FEWEST = 4  # scores below which nothing can be said about a shape
BOUNDS = (-2.0, 4.0)


def warped(scores: Array, *, shape: bool = True) -> Array:
    """Scores with mean 0 and standard deviation 1 after the warp; all 0 when they are all equal. Shape (n,)."""
    centred = scores - np.median(scores)
    spread = np.median(np.abs(centred)) * 1.4826
    if not spread > 1e-12 * max(1.0, float(np.abs(scores).max())):
        spread = float(np.std(scores))
    if not spread > 0 or not np.isfinite(spread):
        return np.zeros_like(scores)
    found = np.clip(centred / spread, -1e6, 1e6)
    if shape and len(scores) >= FEWEST:
        found = _yeo_johnson(found, _likeliest(found))
    deviation = float(np.std(found))
    straightened: Array = (found - np.mean(found)) / deviation if deviation > 0 else np.zeros_like(found)
    return straightened


def _yeo_johnson(x: Array, power: float) -> Array:
    """Box-Cox of each half, the negative one mirrored with 2 - power."""
    up, down = np.log1p(np.maximum(x, 0.0)), -np.log1p(np.maximum(-x, 0.0))
    found: Array = np.where(x >= 0, _box(up, power), -_box(-down, 2 - power))
    return found


def _box(log_of: Array, power: float) -> Array:
    found: Array = log_of if abs(power) < 1e-9 else scipy.special.expm1(power * log_of) / power
    return found


def _likeliest(x: Array) -> float:
    """The power under which the scores look most like a normal sample."""
    logs = float(np.sum(np.sign(x) * np.log1p(np.abs(x))))

    def unlikely(power: float) -> float:
        variance = float(np.var(_yeo_johnson(x, power)))
        return np.inf if not variance > 0 else 0.5 * len(x) * np.log(variance) - (power - 1) * logs

    grid = np.linspace(*BOUNDS, 13)
    start = int(np.argmin([unlikely(power) for power in grid]))
    around = (grid[max(start - 1, 0)], grid[min(start + 1, 12)])
    return float(scipy.optimize.minimize_scalar(unlikely, bounds=around, method="bounded", options={"maxiter": 12}).x)
