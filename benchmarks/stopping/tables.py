"""Tables of real learning curves and fold scores, made once by `python -m benchmarks.stopping.tables [NAME …]`.

Random configurations of a learner's space, each fitted on every fold at every level of a resource. Scores are turned so
that larger is better. Nothing is interpolated: a benchmark may ask for the rows of the table and for nothing else.
"""

from __future__ import annotations

import csv
import sys
import tempfile
import time
import warnings
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from functools import lru_cache, partial
from pathlib import Path
from typing import Any

import numpy as np

from pellux.core.space import Space, draw, parse

FOLDER = Path(__file__).parent / "tables"
DEMO = Path(__file__).parents[2] / "src/pellux/demo/data"
Configuration = dict[str, Any]


@dataclass(frozen=True)
class Source:
    """Where a table comes from: data, learner, space, and the levels at which it is looked at."""

    data: str
    target: str
    metric: str
    learner: str
    space: str
    rows: int
    folds: int = 5
    resource: str = ""
    levels: tuple[int, ...] = (1,)
    ignore: tuple[str, ...] = ()


# Wide, as somebody sets it who does not know where to look: most of it is poor.
NETWORK = """\
rate:   1e-5 .. 1 log
width:  4 .. 128 int log
layers: 1 .. 3 int
pull:   1e-6 .. 10 log
batch:  48 .. 256 int log
activation: relu | tanh | logistic
"""
BOOSTING = """\
rate:     0.01 .. 0.3 log
rounds:   30 .. 80 int log, costly
leaves:   4 .. 32 int log
min_leaf: 2 .. 120 int log
pull:     1e-3 .. 100 log
features: 0.2 .. 1
"""
FOREST = """\
trees:    15 .. 40 int log, costly
depth:    2 .. 20 int
min_leaf: 1 .. 60 int log
features: 0.1 .. 1
"""
# As wide as the network's above.
WIDE_BOOSTING = """\
rate:     1e-3 .. 1 log
rounds:   5 .. 80 int log, costly
leaves:   2 .. 64 int log
min_leaf: 1 .. 300 int log
pull:     1e-3 .. 1e3 log
features: 0.1 .. 1
"""
WIDE_FOREST = """\
trees:    3 .. 40 int log, costly
depth:    1 .. 20 int
min_leaf: 1 .. 200 int log
features: 0.05 .. 1
"""
WARM = {"data": "warm_arrivals.csv", "target": "arrived_warm", "metric": "average precision", "ignore": ("unit_id", "departed_on")}
ENERGY = {"data": "energy_per_trip.csv", "target": "energy_kwh", "metric": "RMSE", "ignore": ("unit_id",)}
ROWS = (1, 3, 9, 27)  # of 27 parts
SOURCES = {
    "sound network by epochs": Source(
        "compressor_sound.csv", "fault", "macro F1", "network", NETWORK, 432, 3, "iterations", tuple(range(1, 28))
    ),
    "warm boosting by rows": Source(**WARM, learner="boosting", space=BOOSTING, rows=220, resource="rows", levels=ROWS),
    "warm forest by rows": Source(**WARM, learner="forest", space=FOREST, rows=220, folds=3, resource="rows", levels=ROWS),
    "energy boosting by rows": Source(**ENERGY, learner="boosting", space=WIDE_BOOSTING, rows=400, folds=3, resource="rows", levels=ROWS),
    "energy forest by rows": Source(**ENERGY, learner="forest", space=WIDE_FOREST, rows=400, folds=3, resource="rows", levels=ROWS),
    "energy boosting": Source(**ENERGY, learner="boosting", space=BOOSTING, rows=240),
    "sound logistic": Source("compressor_sound.csv", "fault", "macro F1", "logistic", "C: 1e-4 .. 1e3 log\nbalance: yes | no\n", 240),
    "wine forest": Source("wine", "target", "log loss", "forest", FOREST, 240),
    "diabetes forest": Source("diabetes", "target", "RMSE", "forest", FOREST, 240),
}  # fmt: skip


@dataclass(frozen=True)
class Table:
    """Scores, shape (configurations, levels, folds), larger is better; seconds, shape (configurations, levels)."""

    name: str
    source: Source
    points: np.ndarray
    scores: np.ndarray
    seconds: np.ndarray

    @property
    def space(self) -> Space:
        return parse(self.source.space)

    @property
    def configurations(self) -> list[Configuration]:
        return [self.space.decode(point) for point in self.points]


def table(name: str) -> Table:
    with np.load(FOLDER / f"{name.replace(' ', '-')}.npz") as found:
        return Table(name, SOURCES[name], found["points"], found["scores"].astype(float), found["seconds"].astype(float))


@lru_cache(maxsize=2)
def _ground(name: str) -> Any:
    """The problem as it is framed, and its folds, ready to be fitted on."""
    from pellux.objectives.tabular.fold_data import FoldData
    from pellux.service.planning.requests import BriefRequest
    from pellux.service.problems.datasets import import_file, open_table
    from pellux.service.problems.framing import frame
    from pellux.service.workspace import Workspace

    source = SOURCES[name]
    with tempfile.TemporaryDirectory() as folder:
        workspace = Workspace(Path(folder))
        path = DEMO / source.data if source.data.endswith(".csv") else _shipped(source.data, Path(folder))
        data = import_file(workspace, path)
        asked = BriefRequest(
            data=data.hash, target=source.target, metric=source.metric, folds=source.folds, seed=7, ignore=list(source.ignore)
        )
        found = open_table(workspace, data.hash)
        framed = frame(found, asked)
        folds = FoldData(found, framed.brief, framed.folds.kept)
        workspace.close()
        return framed, folds


@lru_cache(maxsize=8)
def telling(name: str) -> float:
    """How few of the rows still tell something, as the product sees it."""
    from pellux.objectives.tabular.objective import telling_share_of

    framed, _ = _ground(name)
    return telling_share_of(framed.brief, framed.folds, framed.rows)


def _shipped(name: str, folder: Path) -> Path:
    import sklearn.datasets

    rows, target = getattr(sklearn.datasets, f"load_{name}")(return_X_y=True)
    path = folder / f"{name}.csv"
    with path.open("w", newline="") as file:
        writer = csv.writer(file)
        writer.writerow([*(f"x{i}" for i in range(rows.shape[1])), "target"])
        # Letters: three numbers would read as a quantity to predict.
        writer.writerows([*row, "abc"[int(t)] if name == "wine" else t] for row, t in zip(rows, target, strict=True))
    return path


def _fit(name: str, configuration: Configuration) -> tuple[np.ndarray, np.ndarray]:
    from pellux.objectives.tabular.fitting import fit_fold
    from pellux.objectives.tabular.growing import Progress, Tending, grow_fold
    from pellux.objectives.tabular.learners.catalogue import OURS
    from pellux.objectives.tabular.preparation import steps_of

    warnings.simplefilter("ignore")
    source = SOURCES[name]
    framed, data = _ground(name)
    brief = framed.brief
    chosen, sign = OURS.learner(source.learner, brief.task), brief.judged_by.sign
    scores, seconds = np.full((len(source.levels), source.folds), np.nan), np.zeros(len(source.levels))
    for fold in range(source.folds):
        if source.resource == "iterations":
            told: list[tuple[int, float]] = []
            tending = Tending(lambda i, s, told=told: told.append((time.perf_counter(), s)))  # type: ignore[misc]
            ready, begun = data.prepared(fold, steps_of(chosen, {})), time.perf_counter()
            stages = [(configuration, source.levels[-1])]
            grow_fold(ready, chosen, stages, source.levels, brief, time.perf_counter, Progress(), tending)
            scores[:, fold] = [sign * s for _, s in told]
            seconds += np.diff([begun, *(at for at, _ in told)]) / source.folds
            continue
        for place, level in enumerate(source.levels):
            ready = data.prepared(fold, steps_of(chosen, {}), level / source.levels[-1])
            fitted = fit_fold(ready, chosen, configuration, brief, time.perf_counter)
            scores[place, fold] = sign * fitted.score
            seconds[place] += fitted.seconds / source.folds
    return scores, seconds


def make(name: str, pool: ProcessPoolExecutor, say: Callable[[str], None] = print) -> None:
    source = SOURCES[name]
    space, rng = parse(source.space), np.random.default_rng(20260)
    chosen = [dict(draw(space, rng)) for _ in range(source.rows)]
    begun = time.perf_counter()
    found = list(pool.map(partial(_fit, name), chosen, chunksize=4))
    FOLDER.mkdir(exist_ok=True)
    np.savez_compressed(
        FOLDER / f"{name.replace(' ', '-')}.npz",
        points=np.array([space.encode(c) for c in chosen]),
        scores=np.array([s for s, _ in found]).astype(np.float32),
        seconds=np.array([s for _, s in found]).astype(np.float32),
    )
    say(f"{name}: {source.rows} configurations in {time.perf_counter() - begun:.0f} s")


def main(names: list[str]) -> None:
    from threadpoolctl import threadpool_limits

    with ProcessPoolExecutor(2, initializer=partial(threadpool_limits, 1)) as pool:
        for name in names or list(SOURCES):
            make(name, pool)


if __name__ == "__main__":
    main(sys.argv[1:])
