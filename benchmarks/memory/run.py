"""What a workspace's memory is worth: a data set left out, searched with and without what the others taught.

python -m benchmarks.memory.run 3 'gaussian process'           # how many seeds, which strategy; writes its part of docs/benchmarks.md
python -m benchmarks.memory.run 3 'gaussian process' kin       # of one haulier's data sets instead of ten that have nothing to do with each other
"""

from __future__ import annotations

import os

os.environ.update(OMP_NUM_THREADS="1", OPENBLAS_NUM_THREADS="1")

import platform
import sys
import time
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from datetime import date
from functools import partial

import numpy as np

from benchmarks.document import put
from benchmarks.memory.playing import CASES, GAUSSIAN, KIN_CASES, Run, history, with_memory, without
from benchmarks.memory.tables import LEARNERS, Case
from pellux.core.strategies import Observation, labelled

FIRST_SEED, TEACHER = 400, 1400
TRIALS = 30
MARKS = (3, 5, 10, 20)
HALF, FEW = 0.5, 0.10  # what was wanted: trials beside those without, share of runs that are worse
CLEARLY = 2  # so many trials more are worse by more than chance


UNRELATED = "10 data sets (three of the demo, two of scikit-learn's, five made)", "the nine others"
RELATED = (
    "12 data sets of one haulier (three questions, each asked of four kinds of loads or in four years; none of them the demo's own)",
    "the eleven others, of which three ask the same",
)


def main(seeds: int, strategy: str, *, kin: bool) -> None:
    began, cases = time.perf_counter(), KIN_CASES if kin else CASES
    jobs = [(case, seed) for case in cases for seed in range(FIRST_SEED, FIRST_SEED + seeds)]
    with ProcessPoolExecutor() as pool:
        taught = dict(zip(cases, pool.map(partial(history, seed=TEACHER, strategy=strategy), cases), strict=True))
        alone = list(pool.map(partial(_without, strategy), jobs))
        helped = list(pool.map(partial(_with, strategy, taught), jobs))
    part = "memory" if strategy == GAUSSIAN else f"memory of {strategy}"
    found = _document(alone, helped, seeds, strategy, time.perf_counter() - began, kin=kin)
    put(f"{part}, one haulier" if kin else part, found)


def _without(strategy: str, job: tuple[Case, int]) -> Run:
    return without(*job, TRIALS, strategy)


def _with(strategy: str, taught: dict[Case, list[Observation]], job: tuple[Case, int]) -> Run:
    return with_memory(*job, TRIALS, taught, strategy=strategy)


def _document(alone: Sequence[Run], helped: Sequence[Run], seeds: int, strategy: str, seconds: float, *, kin: bool) -> list[str]:
    (sets, others), name = RELATED if kin else UNRELATED, labelled(strategy)
    pairs = list(zip(alone, helped, strict=True))
    near = [(a.within_score(), b.within_score()) for a, b in pairs]
    gain = [(a.within_range(), b.within_range()) for a, b in pairs]
    lines = [
        f"### What {name} remembers of one haulier's data"
        if kin
        else "## What a workspace remembers"
        if strategy == GAUSSIAN
        else f"### What {name} remembers",
        "",
        f"`make bench-memory`, {date.today()}: {len(LEARNERS)} learners on {sets}, "
        f"tables of real fits. Each data set in turn is searched by {name} without memory, and with what one search of 40 trials "
        f"of its own (seed {TEACHER}) taught on each of {others}. Seeds {FIRST_SEED} to {FIRST_SEED + seeds - 1}, {TRIALS} trials; a run that never "
        f"gets there counts {TRIALS + 1}. {os.cpu_count()} cores, Python {platform.python_version()}, {seconds / 60:.0f} minutes.",
        "",
        "Trials until the best is within 1 % of the best score, and (which asks for more) within 1 % of what there is to gain from the median "
        "configuration to the best; medians without → with, and the median of the runs' own ratios. Lessons that do not foretell each other are not believed: those runs are "
        "as they would be without.",
        "",
        "| learner | believed | 1 % of the score | ratio | worse | 1 % of the gain | ratio | worse |",
        "|---|---|---|---|---|---|---|---|",
    ]
    for learner in (*LEARNERS, "all", "where believed"):
        chosen = [
            i
            for i, (a, b) in enumerate(pairs)
            if learner in (a.case.learner, "all") or (b.believed and learner == "where believed")
        ]
        share = np.mean([pairs[i][1].believed for i in chosen])
        lines.append(f"| {learner} | {share:.0%} | {_cells([near[i] for i in chosen])} | {_cells([gain[i] for i in chosen])} |")
    lines += ["", "| regret after | without | with | with is no worse in |", "|---|---|---|---|"]
    for mark in MARKS:
        a, b = (np.array([run.best_at(mark) for run in runs]) for runs in (alone, helped))
        lines.append(f"| {mark} trials | {np.median(a):.4f} | {np.median(b):.4f} | {(b <= a).mean():.0%} |")
    return [*lines, "", *_claims(near)]


def _cells(pairs: Sequence[tuple[int, int]]) -> str:
    a, b = np.array(pairs).T
    return f"{np.median(a):g} → {np.median(b):g} | {np.median(b / a):.2f} | {(b > a).mean():.0%}, clearly {_clearly(a, b):.0%}"


def _clearly(a: np.ndarray, b: np.ndarray) -> float:
    return float(((b > a + CLEARLY) & (b > 1.2 * a)).mean())


def _claims(pairs: Sequence[tuple[int, int]]) -> list[str]:
    """What was wanted of the first measure, and whether it is kept."""
    a, b = np.array(pairs).T
    ratio, worse = float(np.median(b) / np.median(a)), float((b > a).mean())
    return [
        f"Wanted: half the trials or fewer in the median. Medians {np.median(a):g} → {np.median(b):g}: {ratio:.2f}, "
        f"{'kept' if ratio <= HALF else 'NOT kept'}; median of the ratios {np.median(b / a):.2f}.",
        f"Mean trials {a.mean():.1f} → {b.mean():.1f}.",
        f"Wanted: worse in at most {FEW:.0%} of runs. Worse by any trial in {worse:.0%}, {'kept' if worse <= FEW else 'NOT kept'}; "
        f"by more than {CLEARLY} trials and a fifth in {_clearly(a, b):.0%}; better by as much in {_clearly(b, a):.0%}.",
    ]


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 3, sys.argv[2] if len(sys.argv) > 2 else GAUSSIAN, kin="kin" in sys.argv[3:])
