"""What memory is worth where two metrics decide: score against size of the model, a data set left out.

python -m benchmarks.memory.fronts 3 'gaussian process'     # how many seeds, which strategy; writes its part of docs/benchmarks.md
"""

from __future__ import annotations

import os

os.environ.update(OMP_NUM_THREADS="1", OPENBLAS_NUM_THREADS="1")

import sys
import time
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from datetime import date
from functools import cache, partial
from itertools import product

import numpy as np

from benchmarks.document import put
from benchmarks.memory.playing import EARLIER, GAUSSIAN, lesson
from benchmarks.memory.sizes import SIZED, log_bytes
from benchmarks.memory.tables import Case, range_of, table
from pellux.core.judging.fronts import course, hypervolume
from pellux.core.strategies import STRATEGIES, Observation, SeedStream, Suggest, labelled
from pellux.core.strategies.even_spread import sobol
from pellux.core.strategies.lessons import Lesson
from pellux.core.strategies.recall import recall

FIRST_SEED, TEACHER, TRIALS = 440, 1400, 30
MARKS = (5, 10, 15, 20, 30)
SHARE = 0.9  # of what can be covered, which is to be reached


def values(case: Case, points: np.ndarray) -> np.ndarray:
    """Score in shares of what there is to gain, and how small the model is in powers of ten; larger is better, shape (n, 2)."""
    scores = (table(case).spline(points) - np.median(table(case).scores)) / range_of(case)
    return np.column_stack([scores, -log_bytes(case, points)])


@cache
def judged_by(case: Case) -> tuple[np.ndarray, float]:
    """Where covering begins, the median configuration in both, and what very many draws cover from there."""
    drawn = values(case, case.space.snap(sobol(case.space.dimension, 4096, np.random.default_rng(1))))
    reference = np.median(drawn, axis=0)
    return reference, hypervolume(drawn, reference)


def searched(case: Case, seed: int, trials: int, strategy: str, lessons: Sequence[Lesson] = ()) -> list[Observation]:
    history = list[Observation]()
    for number in range(1, trials + 1):
        answer = STRATEGIES[strategy].ask(case.space, history, [], 1, SeedStream(seed, number), None, lessons)
        assert isinstance(answer, Suggest)
        [c] = answer.configurations
        score, small = values(case, case.space.encode(c)[None])[0].tolist()
        history.append(Observation(c, (score,), 1.0, "scored", number=number, beside=(small,)))
    return history


def covered(strategy: str, taught: dict[Case, list[Observation]], job: tuple[Case, int, bool]) -> tuple[list[float], bool]:
    """The share of what can be covered after each trial, and whether lessons were believed."""
    case, seed, helped = job
    others = [other for other in taught if other.learner == case.learner and other.data != case.data]
    told = [lesson(case, other, taught[other]) for other in others] if helped else []
    lessons = tuple(one for one in told if one is not None)
    history = searched(case, seed, TRIALS, strategy, lessons)
    reference, most = judged_by(case)
    points = np.array([case.space.encode(o.configuration) for o in history])
    return (course(values(case, points), reference) / most).tolist(), recall(case.space, lessons) is not None


def main(seeds: int, strategy: str) -> None:
    began = time.perf_counter()
    jobs = list(product(SIZED, range(FIRST_SEED, FIRST_SEED + seeds), (False, True)))
    with ProcessPoolExecutor() as pool:
        teach = pool.map(partial(searched, seed=TEACHER, trials=EARLIER, strategy=strategy), SIZED)
        taught = dict(zip(SIZED, teach, strict=True))
        found = dict(zip(jobs, pool.map(partial(covered, strategy, taught), jobs), strict=True))
    lines = [
        f"### Memory where two metrics decide: {labelled(strategy)}", "",
        f"`python -m benchmarks.memory.fronts {seeds} '{strategy}'`, {date.today()}: score against size of the model, two learners on the same ten data sets. Each data "
        f"set in turn is searched without memory, and with what one search of {EARLIER} trials (seed {TEACHER}) taught on each of the nine others; seeds "
        f"{FIRST_SEED} to {FIRST_SEED + seeds - 1}. Share of the volume that 4,096 even draws cover (from the median configuration on), medians without → with, and trials "
        f"until it is {SHARE:.0%}; a run that never gets there counts {TRIALS + 1}.", "",
        f"| learner | believed | {' | '.join(f'after {mark}' for mark in MARKS)} | trials to {SHARE:.0%} | sooner / later |",
        "|---" * (len(MARKS) + 4) + "|",
    ]  # fmt: skip
    for learner in ("support", "tree", "all"):
        chosen = [job for job in jobs if job[2] and learner in (job[0].learner, "all")]
        helped, alone = ([found[case, seed, way] for case, seed, _ in chosen] for way in (True, False))
        cells = [f"{np.mean([believed for _, believed in helped]):.0%}"]
        for mark in MARKS:
            a, b = (float(np.median([shares[mark - 1] for shares, _ in runs])) for runs in (alone, helped))
            cells.append(f"{a:.2f} → {b:.2f}")
        late, soon = (np.array([_until(shares) for shares, _ in runs]) for runs in (alone, helped))
        cells += [f"{np.median(late):g} → {np.median(soon):g}", f"{(soon < late).sum()} / {(soon > late).sum()} of {len(late)}"]
        lines.append(f"| {learner} | {' | '.join(cells)} |")
    put(f"memory of fronts, {strategy}", [*lines, "", f"{(time.perf_counter() - began) / 60:.0f} minutes."])


def _until(shares: Sequence[float]) -> int:
    return next((n for n, share in enumerate(shares, 1) if share >= SHARE), len(shares) + 1)


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 3, sys.argv[2] if len(sys.argv) > 2 else GAUSSIAN)
