"""What the winners of the first twenty trials are worth when they are fitted anew, beside those of Random's hundred and sixty.

A table has one score for a configuration: whoever asks for more of them finds the luckiest, and the regret counts its luck as worth.
Here both winners are judged by folds that no search has seen.

python -m benchmarks.strategies.refitted 9      # how many seeds; writes its part of docs/benchmarks.md
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
from sklearn.model_selection import KFold, cross_val_score

from benchmarks.document import put
from benchmarks.strategies import tables
from benchmarks.strategies.beginning import AGAINST, FIRST_SEED, TRIALS
from benchmarks.strategies.functions import Configuration
from benchmarks.strategies.playing import play
from pellux.core.strategies import STRATEGIES

REPEATS = 10  # of 5 folds, shuffled anew each time


def main(seeds: int) -> None:
    began = time.perf_counter()
    chosen = range(FIRST_SEED, FIRST_SEED + seeds)
    lines = [
        "### The same winners, fitted anew", "",
        f"`python -m benchmarks.strategies.refitted {seeds}`, {date.today()}: the best of {TRIALS} trials of the Gaussian process and of {AGAINST} of Random "
        f"by the table's scores, {seeds} seeds from {FIRST_SEED} on, both fitted anew in {REPEATS} × 5 shuffled folds that no search has seen, the same for both. "
        "Means over seeds, larger is better; the difference with its standard error over the seeds' own differences.", "",
        f"| table | by the table: gaussian process | random × {AGAINST // TRIALS} | anew: gaussian process | random × {AGAINST // TRIALS} | difference | no worse in |",
        "|---|---|---|---|---|---|---|",
    ]  # fmt: skip
    with ProcessPoolExecutor() as pool:
        asked = {name: pool.map(partial(pair, name), chosen) for name in tables.SOURCES}
        for name, found in asked.items():
            lines.append(_row(name, np.array(list(found))))
            print(lines[-1], flush=True)
    minutes = (time.perf_counter() - began) / 60
    put("refitted", [*lines, "", f"{minutes:.0f} minutes."], aloud=False)


def pair(name: str, seed: int) -> list[float]:
    """Scores of both winners by the table, then anew: of the Gaussian process and of Random."""
    won = [winner(name, "gaussian process", TRIALS, seed), winner(name, "random", AGAINST, seed)]
    return [*(tables.look_up(name, c)[0] for c in won), *(anew(name, c) for c in won)]


def winner(name: str, strategy: str, trials: int, seed: int) -> Configuration:
    found = play(tables.problem(name), STRATEGIES[strategy].propose, trials, seed)
    best: Configuration = found.history[int(np.argmax([trial.mean for trial in found.history]))].configuration
    return best


def anew(name: str, configuration: Configuration) -> float:
    """Mean score of fits in folds that are drawn anew, with other random states than the table's."""
    source = tables.SOURCES[name]
    inputs, target = source.data()
    scores = []
    for repeat in range(1, REPEATS + 1):
        model = source.build(configuration)
        if "random_state" in model.get_params():
            model.set_params(random_state=repeat)
        folds = KFold(5, shuffle=True, random_state=repeat)
        scores.append(cross_val_score(model, inputs, target, cv=folds, scoring=source.scoring).mean())
    return float(np.mean(scores))


def _row(name: str, found: np.ndarray) -> str:
    """`found` has a row for each seed, of `pair`'s four scores."""
    means, differences = found.mean(axis=0), found[:, 2] - found[:, 3]
    error = differences.std(ddof=1) / np.sqrt(len(differences))
    cells = [name, *(f"{mean:.4g}" for mean in means), f"{differences.mean():+.2g} ± {error:.1g}"]
    return f"| {' | '.join(cells)} | {(differences >= 0).sum()} of {len(found)} |"


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 9)
