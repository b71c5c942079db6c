"""How long learners of two tables predict 1,000 rows, measured once by `python -m benchmarks.strategies.prediction_times NAME`.

A thin-plate spline through the logarithms gives the time of any configuration, as `tables.py` does for scores.
"""

from __future__ import annotations

import os

os.environ.update(OMP_NUM_THREADS="1", OPENBLAS_NUM_THREADS="1")

import csv
import math
import sys
import time
from functools import lru_cache

import numpy as np
from scipy.interpolate import RBFInterpolator

from benchmarks.strategies.functions import Configuration
from benchmarks.strategies.tables import FOLDER, SOURCES
from pellux.core.strategies.even_spread import sobol

FOREST, BOOSTING = "forest, diabetes", "boosting, warm arrivals"
ROWS, POINTS, CALLS = 1000, 384, 7
FILES = {FOREST: FOLDER / "forest-diabetes-prediction.csv", BOOSTING: FOLDER / "boosting-warm_arrivals-prediction.csv"}


def make(name: str) -> None:
    source, path = SOURCES[name], FILES[name]
    inputs, target = source.data()
    batch = inputs[np.arange(ROWS) % len(inputs)]
    rows = []
    for point in sobol(source.space.dimension, POINTS, np.random.default_rng(3)):
        values = source.space.decode(point)
        numbers = [v if isinstance(v, int) else float(f"{float(v):.5g}") for v in values.values()]
        fitted = source.build(dict(zip(values, numbers, strict=True))).fit(inputs, target)
        fitted.predict(batch)
        taken = []
        for _ in range(CALLS):
            begun = time.perf_counter()
            fitted.predict(batch)
            taken.append(time.perf_counter() - begun)
        rows.append([*numbers, round(1000 * float(np.median(taken)), 4)])
    with path.open("w", newline="") as file:
        csv.writer(file, lineterminator="\n").writerows([[*(p.name for p in source.space.parameters), "predict_ms"], *rows])
    print(path.name, len(rows), np.quantile([row[-1] for row in rows], (0, 0.25, 0.5, 0.75, 1)))


@lru_cache
def _spline(name: str) -> RBFInterpolator:
    space = SOURCES[name].space
    with FILES[name].open() as file:
        rows = list(csv.DictReader(file))
    points = np.array([space.encode({p.name: float(row[p.name]) for p in space.parameters}) for row in rows])
    return RBFInterpolator(points, np.log([float(row["predict_ms"]) for row in rows]), kernel="thin_plate_spline", smoothing=0.01)


def predict_ms(name: str, configuration: Configuration) -> float:
    """Milliseconds of any configuration."""
    return math.exp(float(_spline(name)(SOURCES[name].space.encode(configuration)[None])[0]))


if __name__ == "__main__":
    make(sys.argv[1])
