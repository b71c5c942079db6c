"""Five thousand trials of the Gaussian process: what the last four thousand gain, and what a proposal costs by then.

python -m benchmarks.strategies.long 5000      # how many trials; writes its part of docs/benchmarks.md
"""

from __future__ import annotations

import os

os.environ.update(OMP_NUM_THREADS="1", OPENBLAS_NUM_THREADS="1")

import resource
import sys
import time
from concurrent.futures import ProcessPoolExecutor
from datetime import date
from functools import partial

import numpy as np

from benchmarks.document import put
from benchmarks.strategies.playing import Play, play, recommended_regret
from benchmarks.strategies.run import problem_of
from pellux.core.strategies import STRATEGIES

NAMES, SEED, BEFORE, LAST = ("Ackley-5", "Rosenbrock-4"), 700, 1000, 200


def run(name: str, trials: int) -> tuple[str, Play, int]:
    """One search, and the megabytes that its process took at most."""
    found = play(problem_of(name), STRATEGIES["gaussian process"].propose, trials, SEED)
    return name, found, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024


def regret(name: str, found: Play, trials: int) -> float:
    """Of the best so far; where scores are noisy, of what the model recommends."""
    problem = problem_of(name)
    return recommended_regret(problem, found, trials) if problem.noise else found.regret(trials)


def main(trials: int) -> None:
    began = time.perf_counter()
    places = [at for at in (BEFORE, 2 * BEFORE, trials // 2, trials) if at <= trials]
    lines = [
        "### Long searches", "",
        f"`python -m benchmarks.strategies.long {trials}`, {date.today()}: the Gaussian process, seed {SEED}, one run each; simple regret after "
        f"{' / '.join(f'{at:,}' for at in places)} trials (of what is recommended where scores are noisy), and the median processor time of the last {LAST} proposals "
        "beside that of those around trial 1,000.", "",
        "| problem | regret | less than at 1,000 | proposal at 1,000 | at the end (≤ 0.4 s) | process at most (≤ 600 MB) |", "|---" * 6 + "|",
    ]  # fmt: skip
    with ProcessPoolExecutor(max_tasks_per_child=1) as pool:
        for name, found, megabytes in pool.map(partial(run, trials=trials), NAMES):
            regrets = [regret(name, found, at) for at in places]
            around = np.median(found.seconds[BEFORE - LAST // 2 : BEFORE + LAST // 2])
            last = np.median(found.seconds[-LAST:])
            less = "yes" if regrets[-1] < regrets[0] else "the same" if regrets[-1] == regrets[0] else "NO"
            lines.append(
                f"| {name} | {' / '.join(f'{value:.2g}' for value in regrets)} | {less} | {around:.2f} s | {last:.2f} s | {megabytes} MB |"
            )
            print(lines[-1], flush=True)
            put("long", lines, aloud=False)  # a run that is stopped leaves what it has measured
    put("long", [*lines, "", f"{(time.perf_counter() - began) / 60:.0f} minutes."], aloud=False)


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 5000)
