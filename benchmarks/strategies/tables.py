"""Real problems as tables: 5-fold scores and seconds of many configurations, made once by `python -m benchmarks.strategies.tables`.

A strategy may ask for any configuration: a thin-plate spline through all rows (Duchon 1977) gives its score and its seconds.
How far that is from fits made anew: `benchmarks.strategies.fidelity`. Larger is better; the regret is to the spline's own best.
"""

from __future__ import annotations

import csv
import math
import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from functools import lru_cache, partial
from itertools import product
from pathlib import Path
from typing import Any

import numpy as np
from scipy.interpolate import RBFInterpolator
from sklearn.model_selection import cross_val_score

from benchmarks.strategies.functions import Configuration, Problem
from pellux.core.space import Space, parse
from pellux.core.strategies.even_spread import sobol

FOLDER = Path(__file__).parent / "tables"
MANY, FEW = 4096, 1024  # rows; few where a fit takes long


@dataclass(frozen=True)
class Source:
    """Where a table comes from: a space and a function that makes an estimator of a configuration."""

    space: Space
    data: Callable[[], tuple[np.ndarray, np.ndarray]]
    build: Callable[[Configuration], Any]
    scoring: str
    rows: int


def _warm() -> tuple[np.ndarray, np.ndarray]:
    """1,500 loads of the demo data, numbers only, missing ones at the median."""
    path = Path(__file__).parents[2] / "src/pellux/demo/data/warm_arrivals.csv"
    with path.open() as file:
        rows = list(csv.DictReader(file))[:1500]
    names = [n for n in rows[0] if n not in ("arrived_warm", "unit_id") and all_numbers(rows, n)]
    table = np.array([[float(r[n]) if r[n] else np.nan for n in names] for r in rows])
    table = np.where(np.isnan(table), np.nanmedian(table, axis=0), table)
    return table, np.array([r["arrived_warm"] in ("yes", "True", "true", "1") for r in rows], dtype=int)


def all_numbers(rows: list[dict[str, str]], name: str) -> bool:
    """Whether a column holds nothing but numbers and gaps."""
    try:
        [float(r[name]) for r in rows if r[name]]
    except ValueError:
        return False
    return True


def _wine() -> tuple[np.ndarray, np.ndarray]:
    from sklearn.datasets import load_wine

    return load_wine(return_X_y=True)  # type: ignore[no-any-return]


def _diabetes() -> tuple[np.ndarray, np.ndarray]:
    from sklearn.datasets import load_diabetes

    return load_diabetes(return_X_y=True)  # type: ignore[no-any-return]


def _forest(c: Configuration) -> Any:
    from sklearn.ensemble import RandomForestRegressor

    return RandomForestRegressor(
        int(c["trees"]), max_depth=int(c["depth"]), min_samples_leaf=int(c["leaf"]), max_features=float(c["share"]), random_state=0
    )


def _boosting(c: Configuration) -> Any:
    from sklearn.ensemble import HistGradientBoostingClassifier

    return HistGradientBoostingClassifier(
        learning_rate=float(c["rate"]), max_iter=int(c["rounds"]), max_leaf_nodes=int(c["leaves"]),
        min_samples_leaf=int(c["leaf"]), early_stopping=False, random_state=0,
    )  # fmt: skip


def _vectors(c: Configuration) -> Any:
    from sklearn.pipeline import make_pipeline
    from sklearn.preprocessing import StandardScaler
    from sklearn.svm import SVR

    return make_pipeline(StandardScaler(), SVR(C=float(c["C"]), gamma=float(c["gamma"]), epsilon=float(c["slack"])))


def _projected(c: Configuration) -> Any:
    from sklearn.decomposition import PCA
    from sklearn.linear_model import LogisticRegression
    from sklearn.pipeline import make_pipeline
    from sklearn.preprocessing import StandardScaler

    return make_pipeline(StandardScaler(), PCA(int(c["kept"])), LogisticRegression(C=float(c["C"]), max_iter=2000))


FOREST = "trees: 5 .. 200 int log, costly\ndepth: 1 .. 20 int, costly\nleaf: 1 .. 60 int log\nshare: 0.1 .. 1"
BOOSTING = "rate: 0.01 .. 0.5 log\nrounds: 5 .. 150 int log, costly\nleaves: 2 .. 48 int log, costly\nleaf: 2 .. 100 int log"
SOURCES = {
    "forest, diabetes": Source(parse(FOREST), _diabetes, _forest, "neg_root_mean_squared_error", FEW),
    "boosting, warm arrivals": Source(parse(BOOSTING), _warm, _boosting, "average_precision", FEW),
    "support vectors, diabetes": Source(
        parse("C: 0.01 .. 1e4 log\ngamma: 1e-4 .. 1 log\nslack: 0.01 .. 50 log"),
        _diabetes,
        _vectors,
        "neg_root_mean_squared_error",
        MANY,
    ),
    "PCA + logistic, wine": Source(parse("kept: 1 .. 13 int\nC: 1e-4 .. 1e3 log"), _wine, _projected, "neg_log_loss", MANY),
}


def make() -> None:
    """Measure what is not yet there: the grid of lowest, middle and highest values, so that rims are known, and a spread of the rest."""
    FOLDER.mkdir(exist_ok=True)
    for name, source in SOURCES.items():
        if file_of(name).exists():
            continue
        rims = np.array(list(product((0.0, 0.5, 1.0), repeat=source.space.dimension)))
        points = np.concatenate([rims, sobol(source.space.dimension, source.rows, np.random.default_rng(0))])
        with ProcessPoolExecutor() as pool:
            measured = list(pool.map(partial(measure, name), points, chunksize=4))
        rows = list({tuple(row[:-2]): row for row in measured}.values())  # whole numbers make some of the grid's the same
        with file_of(name).open("w", newline="") as file:
            csv.writer(file, lineterminator="\n").writerows(
                [[*(p.name for p in source.space.parameters), "score", "seconds"], *rows]
            )
        print(name, len(rows), max(row[-2] for row in rows), flush=True)


def measure(name: str, point: np.ndarray) -> list[float]:
    """A row: the values at a point of the unit cube to five digits, the mean score of 5 folds of just those, the seconds."""
    return _measure(SOURCES[name], SOURCES[name].space.decode(point))


def _measure(source: Source, values: Configuration) -> list[float]:
    numbers: list[float] = [v if isinstance(v, int) else float(f"{float(v):.5g}") for v in values.values()]
    inputs, target = source.data()
    began = time.perf_counter()
    estimator = source.build(dict(zip(values, numbers, strict=True)))
    score = float(cross_val_score(estimator, inputs, target, cv=5, scoring=source.scoring).mean())
    return [*numbers, round(score, 6), round(time.perf_counter() - began, 5)]


def file_of(name: str) -> Path:
    """The table, as CSV: a column for each parameter, `score` and `seconds`."""
    return FOLDER / f"{name.replace(', ', '-').replace(' ', '_')}.csv"


@lru_cache(maxsize=8)
def _table(name: str) -> tuple[np.ndarray, RBFInterpolator]:
    """Its rows as points of the unit cube, and what gives score and log seconds between them."""
    space = SOURCES[name].space
    with file_of(name).open() as file:
        rows = list(csv.DictReader(file))
    points = np.array([space.encode({p.name: float(r[p.name]) for p in space.parameters}) for r in rows])
    known = np.array([[float(r["score"]), math.log(float(r["seconds"]))] for r in rows])
    return points, RBFInterpolator(points, known, kernel="thin_plate_spline")


def look_up(name: str, configuration: Configuration) -> tuple[float, float]:
    """Score and seconds of any configuration."""
    score, seconds = _table(name)[1](SOURCES[name].space.encode(configuration)[None])[0]
    return float(score), math.exp(float(seconds))


@lru_cache(maxsize=8)
def best_point(name: str) -> tuple[np.ndarray, float]:
    """The best of all configurations and its score: of the rows and a fine spread, then of ever smaller changes of the best eight."""
    space, rng = SOURCES[name].space, np.random.default_rng(1)
    points = np.concatenate([_table(name)[0], sobol(space.dimension, 4096, rng)])
    scores = np.array([look_up(name, space.decode(p))[0] for p in points])
    for step in np.geomspace(0.1, 1e-4, 24):
        top = np.argsort(-scores)[:8]
        more = np.clip(np.repeat(points[top], 12, axis=0) + step * rng.standard_normal((96, space.dimension)), 0, 1)
        points = np.concatenate([points[top], more])
        scores = np.concatenate([scores[top], [look_up(name, space.decode(p))[0] for p in more]])
    return points[scores.argmax()], float(scores.max())


def best(name: str) -> float:
    """The score of the best configuration."""
    return best_point(name)[1]


def size(name: str) -> int:
    """Rows of a table."""
    return len(_table(name)[0])


def problem(name: str) -> Problem:
    return Problem(name, SOURCES[name].space, lambda c: look_up(name, c)[0] - best(name))


def real(name: str) -> Problem:
    """The same without a table: every score is of 5 fits, made when it is asked for."""
    source = SOURCES[name]
    return Problem(f"{name}, real fits", source.space, lambda c: _measure(source, c)[-2] - best(name))


if __name__ == "__main__":
    make()
