"""The first twenty trials: the Gaussian process beside Random's hundred and sixty, and what each piece of its beginning is worth.

python -m benchmarks.strategies.beginning 15      # how many seeds; writes its part of docs/benchmarks.md
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
from benchmarks.strategies.playing import Propose, play, recommended_regret
from benchmarks.strategies.run import problem_of, problems, seen_regret
from pellux.core.strategies import STRATEGIES, gaussian_process
from pellux.core.strategies.gaussian_process import Design

FIRST_SEED, TRIALS, AGAINST = 260, 20, 160
DESIGNS = {"as it is": Design(), "speaks from the 8th trial on": Design(first=7), "not from the middle": Design(centre=False)}


def main(seeds: int) -> None:
    began = time.perf_counter()
    chosen = range(FIRST_SEED, FIRST_SEED + seeds)
    head = ["problem", *DESIGNS, f"random × {AGAINST // TRIALS}", "beats it"]
    lines = [
        "### The first twenty trials", "",
        f"`python -m benchmarks.strategies.beginning {seeds}`, {date.today()}: medians of the simple regret of {seeds} seeds from {FIRST_SEED} on, "
        f"after {TRIALS} trials; of Random after {AGAINST}. None of these seeds was looked at when the beginning was chosen.", "",
        f"| {' | '.join(head)} |", "|---" * len(head) + "|",
    ]  # fmt: skip
    kept = 0
    with ProcessPoolExecutor() as pool:
        asked = {  # of all at once: no core waits for the last run of another
            problem.name: [pool.map(partial(begun, problem.name, what), chosen) for what in (*DESIGNS, "random")]
            for problem in problems()
        }
        for name, runs in asked.items():
            medians = [float(np.median(list(found))) for found in runs]
            kept += medians[0] < medians[-1]
            cells = [name, *(f"{value:.2g}" for value in medians), "yes" if medians[0] < medians[-1] else "NO"]
            print(f"| {' | '.join(cells)} |", flush=True)
            lines.append(f"| {' | '.join(cells)} |")
            put("beginning", lines, aloud=False)  # a run that is stopped leaves what it has measured
    minutes = (time.perf_counter() - began) / 60
    put("beginning", [*lines, "", f"Wanted: all. Kept on {kept} of {len(problems())}; {minutes:.0f} minutes."], aloud=False)


def begun(name: str, what: str, seed: int) -> float:
    """The regret of one run."""
    problem = problem_of(name)
    if what == "random":
        return seen_regret(problem, play(problem, STRATEGIES["random"].propose, AGAINST, seed), AGAINST)
    propose: Propose = partial(gaussian_process.propose, design=DESIGNS[what])
    found = play(problem, propose, TRIALS, seed)
    return recommended_regret(problem, found, TRIALS) if problem.noise else seen_regret(problem, found, TRIALS)


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 15)
