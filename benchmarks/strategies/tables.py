"""Real problems as tables: 5-fold scores and seconds of random configurations, made once by `python -m benchmarks.strategies.tables`.

A strategy may ask for any configuration: the score is interpolated from the table by the nearest twelve rows, weighted by
distance, so that it has the roughness of the real one. Larger is better; the regret is to the best row after the same smoothing.
"""

from __future__ import annotations

import json
import math
import time
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np

from benchmarks.strategies.functions import Configuration, Problem
from pellux.core.space import Space, parse
from pellux.core.strategies.even_spread import sobol

FOLDER = Path(__file__).parent / "tables"
ROWS = 250
NEAREST = 12


@dataclass(frozen=True)
class Source:
    """Where a table comes from: a space and a function that makes an estimator of a configuration."""

    space: Space
    data: Callable[[], tuple[np.ndarray, np.ndarray]]
    build: Callable[[Configuration], Any]
    scoring: str


def _warm() -> tuple[np.ndarray, np.ndarray]:
    """1,500 loads of the demo data, numbers only, missing ones at the median."""
    import csv

    path = Path(__file__).parents[2] / "src/pellux/demo/data/warm_arrivals.csv"
    with path.open() as file:
        rows = list(csv.DictReader(file))[:1500]
    names = [n for n in rows[0] if n not in ("arrived_warm", "unit_id") and _all_numbers(rows, n)]
    table = np.array([[float(r[n]) if r[n] else np.nan for n in names] for r in rows])
    table = np.where(np.isnan(table), np.nanmedian(table, axis=0), table)
    return table, np.array([r["arrived_warm"] in ("yes", "True", "true", "1") for r in rows], dtype=int)


def _all_numbers(rows: list[dict[str, str]], name: str) -> bool:
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
    "forest, diabetes": Source(parse(FOREST), _diabetes, _forest, "neg_root_mean_squared_error"),
    "boosting, warm arrivals": Source(parse(BOOSTING), _warm, _boosting, "average_precision"),
    "support vectors, diabetes": Source(
        parse("C: 0.01 .. 1e4 log\ngamma: 1e-4 .. 1 log\nslack: 0.01 .. 50 log"), _diabetes, _vectors, "neg_root_mean_squared_error"
    ),
    "PCA + logistic, wine": Source(parse("kept: 1 .. 13 int\nC: 1e-4 .. 1e3 log"), _wine, _projected, "neg_log_loss"),
}


def make() -> None:
    from sklearn.model_selection import cross_val_score

    FOLDER.mkdir(exist_ok=True)
    for name, source in SOURCES.items():
        target_file = FOLDER / f"{name.replace(', ', '-').replace(' ', '_')}.json"
        if target_file.exists():
            continue
        inputs, target = source.data()
        rows = []
        for point in sobol(source.space.dimension, ROWS, np.random.default_rng(0)):
            configuration = source.space.decode(point)
            began = time.perf_counter()
            scores = cross_val_score(source.build(configuration), inputs, target, cv=5, scoring=source.scoring)
            rows.append(
                {**configuration, "score": round(float(scores.mean()), 6), "seconds": round(time.perf_counter() - began, 5)}
            )
        target_file.write_text(json.dumps(rows))
        print(name, len(rows), max(r["score"] for r in rows), flush=True)


@lru_cache(maxsize=8)
def _table(name: str) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    rows = json.loads((FOLDER / f"{name.replace(', ', '-').replace(' ', '_')}.json").read_text())
    space = SOURCES[name].space
    points = np.array([space.encode({p.name: r[p.name] for p in space.parameters}) for r in rows])
    return points, np.array([r["score"] for r in rows]), np.log([r["seconds"] for r in rows])


def look_up(name: str, configuration: Configuration) -> tuple[float, float]:
    """Score and seconds of any configuration."""
    points, scores, seconds = _table(name)
    distance = ((points - SOURCES[name].space.encode(configuration)) ** 2).sum(1)
    near = np.argpartition(distance, NEAREST)[:NEAREST]
    weights = 1 / (distance[near] + 1e-3) ** 1.5
    weights /= weights.sum()
    return float(weights @ scores[near]), math.exp(float(weights @ seconds[near]))


@lru_cache(maxsize=8)
def best(name: str) -> float:
    """The best smoothed score: of the rows and a fine spread of the space, then of ever smaller changes of the best eight."""
    space, rng = SOURCES[name].space, np.random.default_rng(1)
    points = np.concatenate([_table(name)[0], sobol(space.dimension, 4096, rng)])
    scores = np.array([look_up(name, space.decode(p))[0] for p in points])
    for step in np.geomspace(0.1, 1e-4, 24):
        top = np.argsort(-scores)[:8]
        more = np.clip(np.repeat(points[top], 12, axis=0) + step * rng.standard_normal((96, space.dimension)), 0, 1)
        points = np.concatenate([points[top], more])
        scores = np.concatenate([scores[top], [look_up(name, space.decode(p))[0] for p in more]])
    return float(scores.max())


def problem(name: str) -> Problem:
    return Problem(name, SOURCES[name].space, lambda c: look_up(name, c)[0] - best(name))


if __name__ == "__main__":
    make()
