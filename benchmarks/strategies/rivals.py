"""What our strategies are measured against: general-purpose optimisers over the same unit cube."""

from __future__ import annotations

import contextlib

import numpy as np
from scipy import optimize

from benchmarks.strategies.covariance_adaptation import minimise
from benchmarks.strategies.functions import Problem


class Spent(Exception):
    """The budget of evaluations is used up."""


class Counted:
    """The problem as a function of the unit cube to be minimised, which stops when its budget is spent."""

    def __init__(self, problem: Problem, trials: int, seed: int) -> None:
        self._problem, self._trials = problem, trials
        self._noise = np.random.default_rng([seed, 77])
        self.seen: list[tuple[float, float]] = []  # score with its noise, truth

    def __call__(self, point: np.ndarray) -> float:
        if len(self.seen) >= self._trials:
            raise Spent
        truth = self._problem.truth(self._problem.space.decode(np.clip(point, 0, 1)))
        self.seen.append((truth + self._problem.noise * self._noise.standard_normal(), truth))
        return -self.seen[-1][0]

    def regret(self, trials: int) -> float:
        """Of the best point by its score as it was seen, judged without the noise."""
        return -max(self.seen[:trials])[1]


def differential_evolution(problem: Problem, trials: int, seed: int) -> Counted:
    counted, d = Counted(problem, trials, seed), problem.space.dimension
    with contextlib.suppress(Spent):
        optimize.differential_evolution(counted, [(0, 1)] * d, popsize=max(1, 10 // d + 1), maxiter=10_000, seed=seed, polish=False)
    return _filled(counted, trials, d, seed)


def covariance_adaptation(problem: Problem, trials: int, seed: int) -> Counted:
    """CMA-ES with restarts from random points (Hansen 2016)."""
    counted, d, rng = Counted(problem, trials, seed), problem.space.dimension, np.random.default_rng(seed)
    with contextlib.suppress(Spent):
        while True:
            minimise(counted, rng.random(d), 0.25, rng)
    return _filled(counted, trials, d, seed)


def _filled(counted: Counted, trials: int, d: int, seed: int) -> Counted:
    """An optimiser that ended early spends the rest on random points."""
    rng = np.random.default_rng([seed, 5])
    while len(counted.seen) < trials:
        counted(rng.random(d))
    return counted
