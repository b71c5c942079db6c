"""Seconds of a fit from its configuration: Bayesian linear regression of log seconds (Bishop 2006, 3.3).

A setting marked costly is believed to cost in proportion to its value until fits say otherwise; other settings are
believed to cost nothing either way. So four fits of a rehearsal already tell something, and forty trials nearly all.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.random import Generator
from numpy.typing import NDArray

from pellux.core.space import Configuration, Integer, Real, Space
from pellux.core.surrogates.coding import Coding

Array = NDArray[np.float64]
SHORTEST = 1e-4  # seconds; what a clock can tell
SLOPE_SD = 0.5  # of log seconds from one end of a range to the other
COSTLY_SD = 0.7
SCATTER = 0.25  # sd of log seconds of equal fits, before any are known
SCATTER_WEIGHT = 4.0  # how many fits that belief is worth


@dataclass(frozen=True)
class CostModel:
    """Posterior of the weights: `mean` and `root` (a factor of their covariance), and the scatter of single fits."""

    space: Space
    mean: Array
    root: Array
    scatter: float

    @staticmethod
    def of(space: Space, configurations: Sequence[Configuration], seconds: Sequence[float]) -> CostModel | None:
        """The model after some fits; None before the first.

        Parameters
        ----------
        configurations : sequence of n configurations inside the space
        seconds : sequence of n floats
            Seconds of one fit.
        """
        if not configurations:
            return None
        inputs = _inputs(space, configurations)
        logs = np.log(np.maximum(np.asarray(seconds, dtype=float), SHORTEST))
        prior, spread = _prior(space)
        prior[0] = float(np.median(logs - inputs[:, 1:] @ prior[1:]))
        centred = logs - inputs @ prior
        scatter = SCATTER
        for _ in range(3):  # weights given the scatter, then the scatter given the weights
            precision = np.diag(1 / spread**2) + inputs.T @ inputs / scatter**2
            covariance = np.linalg.inv(precision)
            shift = covariance @ (inputs.T @ centred) / scatter**2
            squares = float(((centred - inputs @ shift) ** 2).sum())
            scatter = float(np.sqrt((SCATTER_WEIGHT * SCATTER**2 + squares) / (SCATTER_WEIGHT + len(logs))))
        root: Array = np.linalg.cholesky(covariance + 1e-12 * np.eye(len(prior))).astype(np.float64)
        return CostModel(space, prior + shift, root, scatter)

    def seconds(self, configurations: Sequence[Configuration]) -> Array:
        """Expected seconds of one fit of each, shape (n,)."""
        found: Array = np.exp(_inputs(self.space, configurations) @ self.mean + self.scatter**2 / 2)
        return found

    def typical(self, configurations: Sequence[Configuration], draws: int, rng: Generator) -> Array:
        """Draws of the mean seconds of a fit over some configurations, by what is not known of the weights: (draws,)."""
        weights = self.mean + rng.standard_normal((draws, len(self.mean))) @ self.root.T
        logs = _inputs(self.space, configurations) @ weights.T
        found: Array = np.exp(np.minimum(logs + self.scatter**2 / 2, 20.0)).mean(0)
        return found


def _inputs(space: Space, configurations: Sequence[Configuration]) -> Array:
    points = np.array([space.encode(c) for c in configurations]).reshape(-1, space.dimension)
    features = Coding.of(space).features(points)
    return np.hstack([np.ones((len(features), 1)), features])


def _prior(space: Space) -> tuple[Array, Array]:
    coding = Coding.of(space)
    mean, spread = np.zeros(len(coding.groups) + 1), np.full(len(coding.groups) + 1, SLOPE_SD)
    spread[0] = 3.0
    for column, place in enumerate(coding.numbers, 1):
        p = space.searched[place]
        if p.costly:
            mean[column], spread[column] = _proportional(p), COSTLY_SD
    return mean, spread


def _proportional(p: object) -> float:
    """How much log seconds grow over a range when seconds grow with the value."""
    if not isinstance(p, (Real, Integer)) or p.high <= 0:
        return 1.0
    low = p.low if p.log else max(p.low, p.high / 20)
    return float(np.log(p.high / low))
