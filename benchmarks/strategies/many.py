"""Many settings: what Automatic picks for spaces of 40 to 200 parameters, and for one of ten branches, beside what it leaves.

python -m benchmarks.strategies.many 3      # how many seeds; writes its part of docs/benchmarks.md
"""

from __future__ import annotations

import os

os.environ.update(OMP_NUM_THREADS="1", OPENBLAS_NUM_THREADS="1")

import sys
import time
from concurrent.futures import ProcessPoolExecutor
from datetime import date
from itertools import product

import numpy as np

from benchmarks.document import put
from benchmarks.strategies.functions import Problem
from benchmarks.strategies.playing import play
from pellux.core.space import Configuration, parse
from pellux.core.strategies import STRATEGIES, pick

FIRST_SEED, TRIALS, AT, TIMES = 600, 100, (20, 40, 60, 100), 4
WAYS = ("gaussian process", "parzen density", "random")


def few_of(many: int) -> Problem:
    """A bowl with ripples and a ridge over five settings of many; the others do nothing."""
    space = parse("\n".join(f"p{i}: 0 .. 1" for i in range(many)))
    rng = np.random.default_rng(many)
    which, best = rng.choice(many, 5, replace=False), 0.1 + 0.8 * rng.random(5)

    def truth(c: Configuration) -> float:
        off = np.array([float(c[f"p{i}"]) for i in which]) - best
        ripples = 0.2 * (1 - np.cos(3 * np.pi * off[:3])).sum()
        return -float((np.array([4, 3, 2, 1, 1]) * off**2).sum() + 0.5 * abs(off[0] * off[1]) + ripples)

    return Problem(f"5 of {many}", space, truth)


def branches(many: int = 10) -> Problem:
    """Branches with three settings each; the best of one lies ahead of the best of all others, by little of some."""
    lines = ["branch: " + " | ".join(f"b{i}" for i in range(many))]
    lines += [f"s{i}{j}: 0 .. 1 if branch == b{i}" for i in range(many) for j in range(3)]
    rng = np.random.default_rng(many)
    best, behind = 0.1 + 0.8 * rng.random((many, 3)), np.r_[0.0, np.linspace(0.05, 0.6, many - 1)]
    place = rng.permutation(many)

    def truth(c: Configuration) -> float:
        at = int(str(c["branch"])[1:])
        off = np.array([float(c[f"s{at}{j}"]) for j in range(3)]) - best[at]
        return -float(behind[place[at]] + (np.array([3, 2, 1]) * off**2).sum())

    return Problem(f"{many} branches of 3", parse("\n".join(lines)), truth)


PROBLEMS = {p.name: p for p in (few_of(40), few_of(60), few_of(120), few_of(200), branches())}


def run(asked: tuple[str, str, int]) -> tuple[list[float], float]:
    """Regrets after each of `AT` trials (of Random after `TIMES` as many), and the mean seconds of a proposal."""
    name, way, seed = asked
    times = TIMES if way == "random" else 1
    found = play(PROBLEMS[name], STRATEGIES[way].propose, times * TRIALS, seed)
    return [found.regret(times * after) for after in AT], float(np.mean(found.seconds))


def main(seeds: int) -> None:
    began = time.perf_counter()
    chosen = range(FIRST_SEED, FIRST_SEED + seeds)
    lines = [
        "### Many settings", "",
        f"`python -m benchmarks.strategies.many {seeds}`, {date.today()}: medians of the simple regret of {seeds} seeds from {FIRST_SEED} on, after "
        f"{' / '.join(map(str, AT))} trials (of Random after {TIMES} times as many), and the mean time of a proposal. *5 of 40* has forty "
        "settings of which five matter.", "",
        f"| problem | {' | '.join(WAYS[:2])} | random × {TIMES} | ahead at {TRIALS} | Automatic picks |", "|---" * 5 + "|",
    ]  # fmt: skip
    right = 0
    with ProcessPoolExecutor() as pool:
        for name, problem in PROBLEMS.items():
            found = {way: list(pool.map(run, product([name], [way], chosen))) for way in WAYS}
            medians = {way: np.median([regrets for regrets, _ in runs], 0) for way, runs in found.items()}
            cells = [
                " / ".join(f"{value:.2g}" for value in medians[way]) + f" ({1000 * np.mean([s for _, s in found[way]]):.0f} ms)"
                for way in WAYS
            ]
            ahead, picked = min(WAYS[:2], key=lambda way: medians[way][-1]), pick(problem.space, TRIALS).key
            right += ahead == picked
            lines.append(f"| {name} | {' | '.join(cells)} | {ahead} | {picked} |")
            print(lines[-1], flush=True)
            put("many", lines, aloud=False)  # a run that is stopped leaves what it has measured
    minutes = (time.perf_counter() - began) / 60
    put("many", [*lines, "", f"Automatic picks what is ahead on {right} of {len(PROBLEMS)}; {minutes:.0f} minutes."], aloud=False)


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 3)
