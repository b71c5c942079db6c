"""Do a surface's bands hold what they say? On made-up searches whose truth is known. And how long lanes and surface take on many trials.

python -m benchmarks.evidence.surfaces 200     # searches; writes its part of docs/benchmarks.md
"""

from __future__ import annotations

import os

os.environ.update(OMP_NUM_THREADS="1", OPENBLAS_NUM_THREADS="1")

import platform
import sys
import time
from concurrent.futures import ProcessPoolExecutor
from datetime import date

import numpy as np
from numpy.typing import NDArray

from benchmarks.document import put
from benchmarks.evidence.importance import many
from benchmarks.evidence.made_up import MadeUp, search
from pellux.core.evidence.curves import OVER, along, near
from pellux.core.evidence.importance import importances
from pellux.core.evidence.reading import BAND, Reading, read
from pellux.core.evidence.surface import AVERAGED, NEAR, Surface, surface

FIRST_SEED = 20_000
Array = NDArray[np.float64]


def truth(made: MadeUp, reading: Reading, found: Surface, others: str) -> Array:
    """What the landscape is where the surface says what it is: the same parameters held or averaged over the same points, on the folds that
    all trials share, and no further behind than the reading takes any score to be."""
    space, land = made.landscape.space, made.landscape
    places = [space.place[side.name] for side in (found.across, found.down)]
    spread = np.concatenate([reading.first, reading.second])
    bases = near(reading, *places)[:1] if others == NEAR else spread[: OVER // 2]
    scored = [t for t in made.material.tried if t.mean is not None]
    ease = np.mean([(t.mean or 0.0) - land.value(t.configuration) for t in scored])
    floor = reading.in_scores(reading.standard).min()
    told = np.zeros((len(found.down.positions), len(found.across.positions)))
    for j, down in enumerate(found.down.positions):
        for i, across in enumerate(found.across.positions):
            points = bases.copy()
            points[:, places] = across, down
            told[j, i] = np.mean([max(land.value(space.decode(point)) + ease, floor) for point in points])
    return told


def held(seed: int) -> tuple[float, float, float, float] | None:
    """Of one search: R² and share of trials in the band, both left out; shares of the surface's points whose truth lies in its band, near the
    best and averaged. None where nothing can be drawn."""
    made = search(seed)
    reading = made.material.reading
    if reading is None or made.material.importances is None or len(reading.space.searched) < 2:
        return None
    across, down = (single.name for single in made.material.importances.singles[:2])
    shares = []
    for others in (NEAR, AVERAGED):
        found = surface(reading, across, down, others)
        off = np.abs(truth(made, reading, found, others) - found.mean)
        shares.append(float((off <= BAND * found.deviation).mean()))
    return reading.explained, reading.covered, shares[0], shares[1]


def speed() -> str:
    """What is drawn of 2,000 trials of 12 parameters once importance is there."""
    space, points, scores, rng = many()
    reading = read(space, [space.decode(row) for row in points], scores, rng)
    assert reading is not None
    importances(reading, rng)
    begun = time.perf_counter()
    along(reading)
    curves = time.perf_counter() - begun
    begun = time.perf_counter()
    surface(reading, "p1", "p2")
    return f"2,000 trials × 12 parameters: the lanes' curves {curves:.2f} s after importance (wanted: 1), a surface {time.perf_counter() - begun:.2f} s."


def main() -> None:
    searches = int(sys.argv[1]) if len(sys.argv) > 1 else 200
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        found = np.array([one for one in pool.map(held, range(FIRST_SEED, FIRST_SEED + searches)) if one is not None])
    explained, trials, best, mean = found.T
    lines = [
        f"Written by `make bench-evidence` on {date.today().isoformat()}: {os.cpu_count()} shared cores, Python {platform.python_version()}; seeds from {FIRST_SEED} on.",
        "",
        f"{searches} made-up searches (those of the findings, other seeds), of {len(found)} of which a surface can be drawn, over the two settings that matter most.",
        "",
        "| what lies in the 80 % band | on average (wanted: 80 ± 7 %) | of the searches with R² ≥ 0.5 |",
        "|---|---|---|",
        *(
            f"| {words} | {100 * shares.mean():.0f} % | {100 * shares[explained >= 0.5].mean():.0f} % |"
            for words, shares in (
                ("trials that the model did not see: what the page prints", trials),
                ("the truth at the surface's points, the others near the best", best),
                ("the truth at the surface's points, the others averaged", mean),
            )
        ),
        "",
        speed(),
    ]
    put("surfaces", lines)


if __name__ == "__main__":
    main()
