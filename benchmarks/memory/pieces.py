"""What each piece of memory is worth by itself: first trials, beliefs about hyperparameters, leaning toward what was good.

python -m benchmarks.memory.pieces 1      # how many seeds; writes its part of docs/benchmarks.md
"""

from __future__ import annotations

import os

os.environ.update(OMP_NUM_THREADS="1", OPENBLAS_NUM_THREADS="1")

import sys
import time
from concurrent.futures import ProcessPoolExecutor
from datetime import date
from functools import partial
from itertools import product

import numpy as np

from benchmarks.document import put
from benchmarks.memory.playing import CASES, Run, history, with_memory, without
from benchmarks.memory.tables import Case
from pellux.core.strategies import Observation
from pellux.core.strategies.gaussian_process import Design

FIRST_SEED, TEACHER, TRIALS = 500, 1500, 30
PIECES = {
    "all of it": Design(),
    "first trials alone": Design(taught=("first",)),
    "beliefs alone": Design(taught=("beliefs",)),
    "leaning alone": Design(taught=("leaning",)),
}


def main(seeds: int) -> None:
    began = time.perf_counter()
    jobs = list(product(CASES, range(FIRST_SEED, FIRST_SEED + seeds)))
    lines = [
        "### What each piece of memory is worth", "",
        f"`python -m benchmarks.memory.pieces {seeds}`, {date.today()}: the same tables, seeds {FIRST_SEED} to {FIRST_SEED + seeds - 1}, teaching searches of seed {TEACHER}; "
        f"{len(jobs)} runs of {TRIALS} trials each way. *Believed*: only those runs whose lessons foretell each other; in the others nothing is taught.", "",
        "| taught | median trials to 1 % of the score | to 1 % of the gain | ratio of the latter where believed | sooner / later where believed |",
        "|---" * 5 + "|",
    ]  # fmt: skip
    with ProcessPoolExecutor() as pool:
        taught = dict(zip(CASES, pool.map(partial(history, seed=TEACHER), CASES), strict=True))
        alone = list(pool.map(_without, jobs))
        lines.append(_line("nothing", alone, alone))
        for name, design in PIECES.items():
            lines.append(_line(name, alone, list(pool.map(partial(_with, taught, design), jobs))))
            print(lines[-1], flush=True)
            put("pieces of memory", lines, aloud=False)  # a run that is stopped leaves what it has measured
    put("pieces of memory", [*lines, "", f"{(time.perf_counter() - began) / 60:.0f} minutes."], aloud=False)


def _without(job: tuple[Case, int]) -> Run:
    return without(*job, TRIALS)


def _with(taught: dict[Case, list[Observation]], design: Design, job: tuple[Case, int]) -> Run:
    return with_memory(*job, TRIALS, taught, design)


def _line(name: str, alone: list[Run], helped: list[Run]) -> str:
    score, gain = ([getattr(run, by)() for run in helped] for by in ("within_score", "within_range"))
    pairs = [(a.within_range(), b.within_range()) for a, b in zip(alone, helped, strict=True) if b.believed]
    believed = f"{np.median([b / a for a, b in pairs]):.2f}" if pairs else "–"
    ways = f"{sum(b < a for a, b in pairs)} / {sum(b > a for a, b in pairs)} of {len(pairs)}" if pairs else "–"
    return f"| {name} | {np.median(score):g} | {np.median(gain):g} | {believed} | {ways} |"


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 1)
