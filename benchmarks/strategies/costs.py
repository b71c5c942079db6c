"""Time and memory of a proposal, beside one Cholesky factorisation of the same size."""

from __future__ import annotations

import resource
import time

import numpy as np
from scipy.linalg import cholesky

from pellux.core.space import Space, parse
from pellux.core.strategies import STRATEGIES, Observation, SeedStream

DIMENSION = 12


def space() -> Space:
    return parse("\n".join(f"x{i}: 0 .. 1" for i in range(DIMENSION)))


def history(n: int) -> list[Observation]:
    rng = np.random.default_rng(1)
    points = rng.random((n, DIMENSION))
    scores = -((points - 0.4) ** 2).sum(1) + 0.2 * np.sin(8 * points[:, 0]) + 0.02 * rng.standard_normal(n)
    return [Observation(space().decode(p), (float(s),), 1.0, "scored") for p, s in zip(points, scores, strict=True)]


def rows() -> list[str]:
    found = ["| strategy | trials known | mean of a proposal | slowest | one Cholesky | ratio |", "|---|---|---|---|---|---|"]
    for key, n, repeats in (
        ("gaussian process", 200, 12),
        ("gaussian process", 1000, 8),
        ("parzen density", 1000, 20),
        ("gaussian process", 2000, 3),
        ("gaussian process", 5000, 3),
    ):
        known = history(n)
        STRATEGIES[key].propose(space(), known, [], 1, SeedStream(0, n))  # warm caches of the space
        times = []
        for i in range(repeats):
            began = time.perf_counter()
            STRATEGIES[key].propose(space(), known, [], 1, SeedStream(0, n + 1 + i))
            times.append(time.perf_counter() - began)
        matrix = np.eye(n) + 0.5
        began = time.perf_counter()
        for _ in range(5):
            cholesky(matrix)
        bare = (time.perf_counter() - began) / 5
        mean = float(np.mean(times))
        found.append(
            f"| {key} | {n:,} | {1e3 * mean:.0f} ms | {1e3 * max(times):.0f} ms | {1e3 * bare:.1f} ms | {mean / bare:.0f} |"
        )
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    return [*found, "", f"Peak memory of the process after 5,000 trials: {peak:.0f} MB."]
