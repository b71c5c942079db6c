"""An evolution strategy that adapts a covariance matrix, as it is published: a rival of ours, not one of our strategies.

References
----------
Hansen (2016), "The CMA Evolution Strategy: A Tutorial", arXiv:1604.00772: figure 6 with the default parameters of table 1.
"""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

Vector = NDArray[np.float64]
FLAT, SMALL, ILL = 1e-12, 1e-11, 1e14  # where a run ends: equal values, a step that is nothing, a matrix that is degenerate


def minimise(function: Callable[[Vector], float], start: Vector, sigma: float, rng: np.random.Generator) -> None:
    """Run until nothing moves any more; the function keeps what it has seen.

    Parameters
    ----------
    function : of a point in the unit cube, shape (d,)
    start : shape (d,)
    sigma : the first step, in units of the cube
    """
    d = len(start)
    size = 4 + int(3 * math.log(d))
    mu = size // 2
    weights = np.log((size + 1) / 2) - np.log(np.arange(1, size + 1))
    mass = weights[:mu].sum() ** 2 / (weights[:mu] ** 2).sum()  # effective number of parents
    c_sigma = (mass + 2) / (d + mass + 5)
    d_sigma = 1 + 2 * max(0.0, math.sqrt((mass - 1) / (d + 1)) - 1) + c_sigma
    c_c = (4 + mass / d) / (d + 4 + 2 * mass / d)
    c_one = 2 / ((d + 1.3) ** 2 + mass)
    c_mu = min(1 - c_one, 2 * (mass - 2 + 1 / mass) / ((d + 2) ** 2 + mass))
    weights = _with_negative(weights, mu, d, c_one, c_mu, mass)
    usual = math.sqrt(d) * (1 - 1 / (4 * d) + 1 / (21 * d * d))  # length of a standard normal vector
    mean, covariance = start.astype(np.float64), np.eye(d)
    path_sigma, path_c = np.zeros(d), np.zeros(d)
    generation = 0
    while True:
        generation += 1
        squares, axes = np.linalg.eigh(covariance)
        lengths = np.sqrt(np.maximum(squares, 1e-300))
        steps = rng.standard_normal((size, d)) * lengths @ axes.T
        points = np.clip(mean + sigma * steps, 0, 1)  # what lies outside is learnt from where it meets the wall
        values = np.array([function(point) for point in points])
        order = np.argsort(values, kind="stable")
        steps = (points[order] - mean) / sigma
        whitened = steps @ axes / lengths @ axes.T
        mean = mean + sigma * weights[:mu] @ steps[:mu]
        path_sigma = (1 - c_sigma) * path_sigma + math.sqrt(c_sigma * (2 - c_sigma) * mass) * weights[:mu] @ whitened[:mu]
        length = float(np.linalg.norm(path_sigma))
        # The path of the matrix stands still while the step grows fast: else the step's growth would be learnt twice.
        moves = length / math.sqrt(1 - (1 - c_sigma) ** (2 * generation)) < (1.4 + 2 / (d + 1)) * usual
        path_c = (1 - c_c) * path_c + moves * math.sqrt(c_c * (2 - c_c) * mass) * weights[:mu] @ steps[:mu]
        active = np.where(weights >= 0, weights, weights * d / np.maximum((whitened**2).sum(axis=1), 1e-300))
        kept = 1 + c_one * (1 - moves) * c_c * (2 - c_c) - c_one - c_mu * weights.sum()
        covariance = kept * covariance + c_one * np.outer(path_c, path_c) + c_mu * (steps.T * active) @ steps
        covariance = (covariance + covariance.T) / 2
        sigma *= math.exp(min(1.0, (c_sigma / d_sigma) * (length / usual - 1)))
        if values.max() - values.min() < FLAT or sigma * lengths.max() < SMALL or squares.max() > ILL * max(squares.min(), 1e-300):
            return


def _with_negative(weights: Vector, mu: int, d: int, c_one: float, c_mu: float, mass: float) -> Vector:
    """Recombination weights that add up to one, and negative ones for the worse half, as much as keeps the matrix definite."""
    worse = weights[mu:]
    mass_worse = worse.sum() ** 2 / max((worse**2).sum(), 1e-300)
    least = min(1 + c_one / c_mu, 1 + 2 * mass_worse / (mass + 2), (1 - c_one - c_mu) / (d * c_mu))
    return np.concatenate([weights[:mu] / weights[:mu].sum(), least * worse / max(np.abs(worse).sum(), 1e-300)])
