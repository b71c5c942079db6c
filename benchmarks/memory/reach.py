"""How far a list of places goes that is chosen from all fits of the other data sets: more than any memory of searches can know.

python -m benchmarks.memory.reach      # writes its part of docs/benchmarks.md

For each data set places are chosen one after another, each the one that adds most to the best which the nine others have among them,
weighed by how alike they are. The list does not learn from what it finds: what it leaves is for the search.
"""

from __future__ import annotations

import os

os.environ.update(OMP_NUM_THREADS="1", OPENBLAS_NUM_THREADS="1")

from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from datetime import date

import numpy as np

from benchmarks.document import put
from benchmarks.memory.data import DATA, UNLIKE
from benchmarks.memory.playing import NEAR, traits
from benchmarks.memory.tables import CASES, LEARNERS, Case, best, range_of, table
from pellux.core.likeness import likeness
from pellux.core.space import Configuration
from pellux.core.strategies.even_spread import sobol
from pellux.core.strategies.lessons import adapted
from pellux.objectives.tabular.learners.catalogue import OURS

PLACES, TRIALS, MARKS = 1024, 30, (1, 2, 4, 8, 16)


def until_near(here: Case) -> int:
    """Places of the list until one is within 1 % of the best score; one more than there are where none is."""
    space = here.space
    places = [space.decode(point) for point in space.snap(sobol(space.dimension, PLACES, np.random.default_rng(3)))]
    others = [other for other in CASES if other.learner == here.learner and other.data != here.data]
    alike = np.array([likeness(traits(here), traits(other)) for other in others])
    worths = np.array([_worths(other, places) for other in others])
    reached = np.zeros(len(others))
    for number in range(1, TRIALS + 1):
        place = int(np.argmax(alike @ np.maximum(worths - reached[:, None], 0.0)))
        reached = np.maximum(reached, worths[:, place])
        if table(here).score(places[place]) >= best(here) - NEAR * abs(best(here)):
            return number
    return TRIALS + 1


def _worths(case: Case, places: Sequence[Configuration]) -> np.ndarray:
    """From 0, the median configuration, to 1, the best; a place that lies outside its space is worth nothing."""
    found, defaults = table(case), OURS.learner(case.learner, DATA[case.data].task).defaults
    moved = [adapted(case.space, place, defaults) for place in places]
    middle = float(np.median(found.scores))
    return np.array([0.0 if c is None else (found.score(c) - middle) / range_of(case) for c in moved])


def main() -> None:
    with ProcessPoolExecutor() as pool:
        found = dict(zip(CASES, pool.map(until_near, CASES), strict=True))
    lines = [
        "### What could be known at best", "",
        f"`python -m benchmarks.memory.reach`, {date.today()}: a list of places that are chosen from all fits on the nine other data sets, and do not follow what they find. "
        f"On how many of {len(UNLIKE)} data sets it is within 1 % of the best score after so many trials, and the median ({TRIALS + 1} for never).", "",
        f"| learner | {' | '.join(f'after {mark}' for mark in MARKS)} | median |", "|---" * (len(MARKS) + 2) + "|",
    ]  # fmt: skip
    for learner in (*LEARNERS, "all"):
        counts = np.array([n for case, n in found.items() if learner in (case.learner, "all")])
        lines.append(f"| {learner} | {' | '.join(str((counts <= mark).sum()) for mark in MARKS)} | {np.median(counts):g} |")
    put("reach of memory", lines)


if __name__ == "__main__":
    main()
