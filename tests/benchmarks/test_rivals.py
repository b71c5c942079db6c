"""What our strategies are measured against does what its paper promises: a rival that is weak proves nothing."""

from __future__ import annotations

import numpy as np
import pytest
from benchmarks.strategies.covariance_adaptation import minimise


@pytest.mark.parametrize(
    ("weights", "evaluations", "reached"),
    [([1.0] * 5, 400, 1e-5), ([1.0, 10.0, 100.0, 1000.0], 700, 1e-6)],  # a sphere, and a long valley that has to be learnt
)
def test_the_evolution_strategy_learns_the_shape_of_a_function(weights: list[float], evaluations: int, reached: float) -> None:
    scale, found = np.array(weights), []
    for seed in range(5):
        seen: list[float] = []

        def valley(point: np.ndarray, seen: list[float] = seen) -> float:
            if len(seen) == evaluations:
                raise StopIteration
            assert point.min() >= 0
            assert point.max() <= 1
            seen.append(float((scale * (point - 0.3) ** 2).sum()))
            return seen[-1]

        rng = np.random.default_rng(seed)
        try:
            while True:
                minimise(valley, rng.random(len(scale)), 0.25, rng)
        except StopIteration:
            found.append(min(seen))
        again = np.random.default_rng(seed)
        assert min(float((scale * (again.random(len(scale)) - 0.3) ** 2).sum()) for _ in range(evaluations)) > 1e3 * found[-1]
    assert np.median(found) < reached
