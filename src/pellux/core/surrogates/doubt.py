"""Hyperparameters that the data allow for, not the likeliest alone: with few trials these differ widely, and so does what follows from them.

Drawn from a Gaussian around the mode whose precision is the curvature there (Laplace's approximation; MacKay 1992), and chosen among by
how likely they are (sampling importance resampling, Rubin 1988).
"""

from __future__ import annotations

import numpy as np
from numpy.random import Generator
from numpy.typing import NDArray

from pellux.core.surrogates.gaussian_process import (
    NOISE_BOUNDS,
    SCALE_BOUNDS,
    SIGNAL_BOUNDS,
    SINGLE_BOUNDS,
    Hyperparameters,
    Likelihood,
    fit,
    telling,
)

Array = NDArray[np.float64]
STEP = 1e-3  # of a logarithm, over which slopes are compared
LEAST_PRECISION = 0.3  # about that of the priors: where data say nothing, these do
TRIED = 6  # hyperparameters for each that is chosen
MOST_WEIGHT = 5.0  # standard weights beyond which one draw would stand for all


def allowed(
    features: Array, scores: Array, noise: Array, groups: NDArray[np.intp], count: int, rng: Generator
) -> list[Hyperparameters]:
    """`count` sets of hyperparameters, the likeliest first; arguments as of `gaussian_process.fit`."""
    best = fit(features, scores, noise, groups)
    low, high = _bounds(best)
    free = np.flatnonzero((best.theta > low + 1e-6) & (best.theta < high - 1e-6))
    if len(free) == 0 or count == 1:
        return [best] * count
    chosen = telling(scores)
    likelihood = Likelihood(features[chosen], scores[chosen], noise[chosen], groups, additive=best.additive, smooth=best.smooth)
    values, vectors = np.linalg.eigh(_curvature(likelihood, best.theta, free))
    spread = vectors / np.sqrt(np.maximum(values, LEAST_PRECISION))
    standard = rng.standard_normal((TRIED * (count - 1), len(free)))
    thetas = np.tile(best.theta, (len(standard), 1))
    thetas[:, free] += standard @ spread.T
    thetas = np.clip(thetas, low, high)
    weights = 0.5 * (standard**2).sum(1) - np.array([likelihood(theta)[0] for theta in thetas])
    weights = np.exp(weights - weights.max())
    weights = np.minimum(weights, MOST_WEIGHT * weights.mean())
    drawn = rng.choice(len(thetas), count - 1, p=weights / weights.sum())
    return [best, *(Hyperparameters(thetas[i], best.smooth) for i in drawn)]


def _bounds(h: Hyperparameters) -> tuple[Array, Array]:
    bounds: Array = np.array([SCALE_BOUNDS] * (len(h.theta) - 3) + [SIGNAL_BOUNDS, SINGLE_BOUNDS, NOISE_BOUNDS])
    return bounds[:, 0], bounds[:, 1]


def _curvature(likelihood: Likelihood, theta: Array, free: NDArray[np.intp]) -> Array:
    """Second derivatives by the free hyperparameters, from differences of slopes."""
    found = np.empty((len(free), len(free)))
    for row, place in enumerate(free):
        ahead, behind = theta.copy(), theta.copy()
        ahead[place] += STEP
        behind[place] -= STEP
        found[row] = ((likelihood(ahead)[1] - likelihood(behind)[1]) / (2 * STEP))[free]
    return (found + found.T) / 2
