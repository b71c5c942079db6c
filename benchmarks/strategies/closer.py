"""What the closer look of a long search is worth: the Gaussian process with and without it, the same until it begins.

python -m benchmarks.strategies.closer 3      # how many seeds; writes its part of docs/benchmarks.md
"""

from __future__ import annotations

import os

os.environ.update(OMP_NUM_THREADS="1", OPENBLAS_NUM_THREADS="1")

import sys
import time
from concurrent.futures import ProcessPoolExecutor
from datetime import date
from functools import partial

import numpy as np

from benchmarks.document import put
from benchmarks.strategies.playing import play, recommended_regret
from benchmarks.strategies.run import problem_of
from pellux.core.strategies import gaussian_process
from pellux.core.strategies.gaussian_process import CLOSER, Design

NAMES = (
    "Hartmann-6", "noisy Hartmann-6", "Ackley-5", "Levy-6", "Rosenbrock-4", "Styblinski-Tang-5", "conditional", "pipeline",
    "six of fourteen", "whole numbers", "hills", "support vectors, diabetes",
)  # fmt: skip
WAYS = {"with": Design(), "without": Design(closer=None)}
MARKS = (CLOSER, 150, 200, 300)
SEED = 720


def regrets(job: tuple[str, str, int]) -> tuple[list[float], float]:
    """At MARKS, and the mean processor time of a proposal after the first of them."""
    name, way, seed = job
    problem = problem_of(name)
    found = play(problem, partial(gaussian_process.propose, design=WAYS[way]), MARKS[-1], seed)
    reached = [recommended_regret(problem, found, at) if problem.noise else found.regret(at) for at in MARKS]
    return reached, float(np.mean(found.seconds[CLOSER:]))


def main(seeds: int) -> None:
    began = time.perf_counter()
    jobs = [(name, way, seed) for name in NAMES for seed in range(SEED, SEED + seeds) for way in WAYS]
    with ProcessPoolExecutor() as pool:
        found = dict(zip(jobs, pool.map(regrets, jobs), strict=True))
    lines = [
        "### Closer looks", "",
        f"`python -m benchmarks.strategies.closer {seeds}`, {date.today()}: medians of the simple regret of {seeds} seeds from {SEED} on after "
        f"{' / '.join(map(str, MARKS))} trials (of what is recommended where scores are noisy). Until the first of them both are the same.", "",
        "| problem | with closer looks | without | proposal with, ms | without, ms |", "|---" * 5 + "|",
    ]  # fmt: skip
    better = 0
    for name in NAMES:
        rows = {way: [found[name, way, seed] for seed in range(SEED, SEED + seeds)] for way in WAYS}
        medians = {way: np.median([reached for reached, _ in of], axis=0) for way, of in rows.items()}
        spent = [f"{1000 * np.mean([seconds for _, seconds in rows[way]]):.0f}" for way in WAYS]
        better += bool(medians["with"][-1] <= medians["without"][-1])
        cells = [" / ".join(f"{value:.2g}" for value in medians[way]) for way in WAYS]
        lines.append(f"| {name} | {' | '.join([*cells, *spent])} |")
    minutes = (time.perf_counter() - began) / 60
    put("closer", [*lines, "", f"No worse with than without after {MARKS[-1]} on {better} of {len(NAMES)}; {minutes:.0f} minutes."])


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 3)
