"""How far the tables are from fits made anew, at configurations that are in none of them.

A difference between two strategies on a table says nothing if it is smaller than what the table gets wrong among good configurations.
"""

from __future__ import annotations

from concurrent.futures import Executor, ProcessPoolExecutor
from functools import partial

import numpy as np
from scipy.stats import spearmanr

from benchmarks.strategies import tables

FRESH = 200
HEAD = [
    "| table | rows | best fresh score over the median | error (root mean square), best quarter | rank correlation there "
    "| best of the table less a fit there |",
    "|---|---|---|---|---|---|",
]


def rows() -> list[str]:
    """A row for each table."""
    with ProcessPoolExecutor() as pool:
        return [*HEAD, *(_row(name, pool) for name in tables.SOURCES)]


def _row(name: str, pool: Executor) -> str:
    space = tables.SOURCES[name].space
    points = np.random.default_rng(901).random((FRESH, space.dimension))
    real = np.array(list(pool.map(partial(_score, name), points, chunksize=4)))
    said = np.array([tables.look_up(name, space.decode(point))[0] for point in points])
    good = real >= np.quantile(real, 0.75)
    where, height = tables.best_point(name)
    cells = (
        f"{real.max() - np.median(real):.3g}",
        f"{np.sqrt(((said - real)[good] ** 2).mean()):.2g}",
        f"{spearmanr(said[good], real[good])[0]:.2f}",
        f"{height - _score(name, where):+.2g}",
    )
    return f"| {name} | {tables.size(name):,} | " + " | ".join(cells) + " |"


def _score(name: str, point: np.ndarray) -> float:
    return tables.measure(name, point)[-2]
