"""Ten data sets that differ in size, columns, task and noise: shipped with scikit-learn, of the demo, or made from a seed.

And twelve of one haulier: three questions of the demo, each asked of four kinds of loads or in four years.
"""

from __future__ import annotations

import csv
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache, partial
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from sklearn import datasets

from benchmarks.strategies.tables import all_numbers
from pellux.demo.generator import compressor_sound, energy_per_trip, warm_arrivals

Array = NDArray[np.float64]
ROWS = 400  # at the most: what is compared is what settings do, and that many fits have to be made
KIN_ROWS = 600  # of the haulier's loads
DEMO = Path(__file__).parents[2] / "src/pellux/demo/data"
BINARY, MULTICLASS, REGRESSION = "binary", "multiclass", "regression"


@dataclass(frozen=True)
class Data:
    """A data set: its task and what gives inputs, shape (rows, columns), and target."""

    name: str
    task: str
    load: Callable[[], tuple[Array, Array]]

    @property
    def scoring(self) -> str:
        """What scikit-learn calls the metric; larger is better."""
        return {REGRESSION: "neg_root_mean_squared_error", BINARY: "roc_auc"}.get(self.task, "balanced_accuracy")


def _filled(table: Array) -> Array:
    return np.where(np.isnan(table), np.nanmedian(table, axis=0), table)


def _of_demo(file: str, target: str, skip: tuple[str, ...]) -> tuple[Array, Array]:
    """Every so many rows of a file of the demo, numbers only, missing ones at the median."""
    with (DEMO / file).open() as opened:
        rows = list(csv.DictReader(opened))
    rows = rows[:: max(1, len(rows) // ROWS)][:ROWS]
    names = [n for n in rows[0] if n != target and n not in skip and all_numbers(rows, n)]
    table = np.array([[float(r[n]) if r[n] else np.nan for n in names] for r in rows])
    table = _filled(table)
    told = [r[target] for r in rows]
    try:
        return table, np.array([float(t) for t in told])
    except ValueError:
        kinds = sorted(set(told))
        return table, np.array([float(kinds.index(t)) for t in told])


def _shipped(load: Callable[..., tuple[Array, Array]]) -> tuple[Array, Array]:
    inputs, target = load(return_X_y=True)
    return inputs[:ROWS], target[:ROWS].astype(float)


def _classes(seed: int, rows: int, columns: int, telling: int, kinds: int, apart: float, wrong: float) -> tuple[Array, Array]:
    inputs, target = datasets.make_classification(
        rows, columns, n_informative=telling, n_redundant=columns // 5, n_classes=kinds, class_sep=apart, flip_y=wrong,
        random_state=seed,
    )  # fmt: skip
    return inputs, target.astype(float)


def _rings(rows: int, columns: int) -> tuple[Array, Array]:
    inputs, target = datasets.make_gaussian_quantiles(n_samples=rows, n_features=columns, n_classes=3, random_state=5)
    return np.hstack([inputs, np.random.default_rng(5).standard_normal((rows, 4))]), target.astype(float)


def _loads(
    make: Callable[[int, int], dict[str, Array]], target: str, seed: int, column: str, low: float, high: float
) -> tuple[Array, Array]:
    """Of loads of their own the first whose column lies between two values, numbers only, missing ones at the median."""
    table = make(seed, 3000)
    rows = np.flatnonzero((table[column] > low) & (table[column] <= high))[:KIN_ROWS]
    told = table[target][rows]
    inputs = np.column_stack([v[rows] for n, v in table.items() if v.dtype.kind in "if" and n != target]).astype(float)
    return _filled(inputs), told.astype(float) if told.dtype.kind == "f" else np.asarray(told == "yes", dtype=float)


def _sounds(seed: int, rows: int) -> tuple[Array, Array]:
    table = compressor_sound(seed, rows)
    kinds = sorted(set(table["fault"]))
    return np.column_stack([v for n, v in table.items() if n != "fault"]), np.array([float(kinds.index(k)) for k in table["fault"]])


UNLIKE = {
    d.name: d
    for d in (
        Data("wine", MULTICLASS, lambda: _shipped(datasets.load_wine)),
        Data("diabetes", REGRESSION, lambda: _shipped(datasets.load_diabetes)),
        Data("warm arrivals", BINARY, lambda: _of_demo("warm_arrivals.csv", "arrived_warm", ("unit_id",))),
        Data("energy per trip", REGRESSION, lambda: _of_demo("energy_per_trip.csv", "energy_kwh", ("unit_id",))),
        Data("compressor sound", MULTICLASS, lambda: _of_demo("compressor_sound.csv", "fault", ("window_id",))),
        Data("many columns", BINARY, lambda: _classes(1, 300, 40, 6, 2, 0.8, 0.05)),
        Data("four kinds", MULTICLASS, lambda: _classes(2, 400, 12, 8, 4, 1.0, 0.1)),
        Data("rings", MULTICLASS, lambda: _rings(350, 4)),
        Data("curved", REGRESSION, lambda: datasets.make_friedman1(300, 10, noise=1.0, random_state=3)),
        Data("few that matter", REGRESSION, lambda: datasets.make_sparse_uncorrelated(250, 15, random_state=4)),
    )
}
LOADS = {
    "cold": ("ambient_c", -50.0, 11.0),
    "hot": ("ambient_c", 11.0, 60.0),
    "near": ("route_km", 0.0, 300.0),
    "far": ("route_km", 300.0, 9e9),
}
# None of these seeds is the demo's: what is kept there is not asked again here.
KIN = {
    d.name: d
    for d in (
        *(
            Data(f"warm arrivals, {k}", BINARY, partial(_loads, warm_arrivals, "arrived_warm", 31 + i, *where))
            for i, (k, where) in enumerate(LOADS.items())
        ),
        *(
            Data(f"energy, {k}", REGRESSION, partial(_loads, energy_per_trip, "energy_kwh", 41 + i, *where))
            for i, (k, where) in enumerate(LOADS.items())
        ),
        *(Data(f"sound, year {1 + i}", MULTICLASS, partial(_sounds, 51 + i, rows)) for i, rows in enumerate((250, 350, 450, 600))),
    )
}
DATA = UNLIKE | KIN


@lru_cache(maxsize=32)
def loaded(name: str) -> tuple[Array, Array]:
    """Inputs and target of a data set."""
    return DATA[name].load()
