"""How large models of two learners get, beside their scores in `tables.py`: made once by `python -m benchmarks.memory.sizes`.

A file has the bytes of the pickled model of each row of the learner's table, in the same order, fitted to all rows of the data.
"""

from __future__ import annotations

import pickle
import warnings
from concurrent.futures import ProcessPoolExecutor
from functools import cache, partial
from pathlib import Path

import numpy as np
from scipy.interpolate import RBFInterpolator
from sklearn.pipeline import make_pipeline
from sklearn.preprocessing import StandardScaler

from benchmarks.memory.data import DATA, loaded
from benchmarks.memory.tables import CASES, FOLDER, SMOOTH, Case, table
from pellux.core.space import Configuration
from pellux.objectives.tabular.learners.building import estimator
from pellux.objectives.tabular.learners.catalogue import OURS
from pellux.objectives.tabular.learners.settings import Circumstances

SIZED = tuple(case for case in CASES if case.learner in ("support", "tree"))  # those of the others are much the same


def file_of(case: Case) -> Path:
    return FOLDER / f"{case.file.stem}-bytes.csv"


def size_of(case: Case, values: Configuration) -> int:
    data = DATA[case.data]
    model = make_pipeline(StandardScaler(), estimator(OURS.learner(case.learner, data.task), values, Circumstances(data.task, 0)))
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # of those that would want more steps: that is what a setting is for
        return len(pickle.dumps(model.fit(*loaded(case.data))))


@cache
def _spline(case: Case) -> RBFInterpolator:
    told = np.log10(np.array(file_of(case).read_text().split()[1:], dtype=float))
    points = table(case).points
    return RBFInterpolator(points, told, kernel="thin_plate_spline", smoothing=SMOOTH * len(points))


def log_bytes(case: Case, points: np.ndarray) -> np.ndarray:
    """Of configurations given as points of the unit cube, shape (n, dimension)."""
    found: np.ndarray = _spline(case)(points)
    return found


def make() -> None:
    for case in SIZED:
        with ProcessPoolExecutor(2) as pool:
            told = list(pool.map(partial(size_of, case), table(case).configurations, chunksize=8))
        file_of(case).write_text("\n".join(["bytes", *map(str, told)]) + "\n")
        print(case.name, min(told), max(told), flush=True)


if __name__ == "__main__":
    make()
