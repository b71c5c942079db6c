"""Learners of the catalogue on ten data sets and on twelve of one haulier, as tables of real fits, made once by `python -m benchmarks.memory.tables`.

A row is a configuration of the learner's own default space with its mean score of 3 folds and the seconds. A strategy may ask for any
configuration: a smoothed thin-plate spline through all rows (Duchon 1977) gives its score. Larger is better.
"""

from __future__ import annotations

import csv
import json
import time
import warnings
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from functools import cache, partial
from pathlib import Path

import numpy as np
from scipy.interpolate import RBFInterpolator
from sklearn.model_selection import KFold, StratifiedKFold, cross_val_score
from sklearn.pipeline import make_pipeline
from sklearn.preprocessing import StandardScaler

from benchmarks.memory.data import DATA, KIN, REGRESSION, UNLIKE, loaded
from benchmarks.strategies.functions import Problem
from pellux.core.space import Configuration, Space, Value
from pellux.core.strategies.even_spread import sobol
from pellux.objectives.tabular.learners.building import estimator
from pellux.objectives.tabular.learners.catalogue import OURS
from pellux.objectives.tabular.learners.settings import Circumstances

FOLDER = Path(__file__).parent / "tables"
LEARNERS = ("support", "neighbours", "elastic", "tree")
ROWS, FOLDS, SMOOTH = 192, 3, 1e-3


@dataclass(frozen=True)
class Case:
    """A learner on a data set."""

    learner: str
    data: str

    @property
    def name(self) -> str:
        return f"{self.learner}, {self.data}"

    @property
    def space(self) -> Space:
        return space_of(self.learner, DATA[self.data].task)

    @property
    def file(self) -> Path:
        return FOLDER / f"{self.learner}-{self.data.replace(',', '').replace(' ', '_')}.csv"


CASES = tuple(Case(learner, data) for learner in LEARNERS for data in UNLIKE)
KIN_CASES = tuple(Case(learner, data) for learner in LEARNERS for data in KIN)


@cache
def space_of(learner: str, task: str) -> Space:
    return OURS.learner(learner, task).default_space()


def make() -> None:
    """Measure what is not there yet."""
    FOLDER.mkdir(exist_ok=True)
    for case in (*CASES, *KIN_CASES):
        if case.file.exists():
            continue
        space = case.space
        points = sobol(space.dimension, ROWS, np.random.default_rng(0))
        defaults = OURS.learner(case.learner, DATA[case.data].task).defaults
        usual = {p.name: defaults[p.name] for p in space.parameters}
        asked = [usual, *(space.decode(point) for point in points)]
        with ProcessPoolExecutor(2) as pool:
            measured = list(pool.map(partial(measure, case), asked, chunksize=4))
        rows = list({json.dumps(row[0], sort_keys=True): row for row in measured}.values())
        with case.file.open("w", newline="") as file:
            writer = csv.writer(file, lineterminator="\n")
            writer.writerow([*(p.name for p in space.parameters), "score", "seconds"])
            writer.writerows([[*values.values(), score, seconds] for values, score, seconds in rows])
        print(case.name, len(rows), max(row[1] for row in rows), flush=True)


def measure(case: Case, configuration: Configuration) -> tuple[dict[str, Value], float, float]:
    """A row: the values to four digits, the mean score of the folds of just those, the seconds."""
    values: dict[str, Value] = {k: float(f"{v:.4g}") if isinstance(v, float) else v for k, v in configuration.items()}
    data, (inputs, target) = DATA[case.data], loaded(case.data)
    learner = OURS.learner(case.learner, data.task)
    model = make_pipeline(StandardScaler(), estimator(learner, values, Circumstances(data.task, 0)))
    splits = (KFold if data.task == REGRESSION else StratifiedKFold)(FOLDS, shuffle=True, random_state=0)
    began = time.perf_counter()
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # of those that would want more steps: that is what a setting is for
        score = float(cross_val_score(model, inputs, target, cv=splits, scoring=data.scoring, error_score="raise").mean())
    return values, round(score, 6), round(time.perf_counter() - began, 4)


@dataclass(frozen=True)
class Table:
    """A case's rows: points of the unit cube, shape (rows, dimension), configurations and scores; what gives scores between them."""

    space: Space
    points: np.ndarray
    configurations: tuple[dict[str, Value], ...]
    scores: np.ndarray
    spline: RBFInterpolator

    def score(self, configuration: Configuration) -> float:
        return float(self.spline(self.space.encode(configuration)[None])[0])


@cache
def table(case: Case) -> Table:
    space = case.space
    with case.file.open() as file:
        rows = list(csv.DictReader(file))
    kept = tuple({p.name: _typed(row[p.name]) for p in space.parameters} for row in rows)
    points = np.array([space.encode(c) for c in kept])
    scores = np.array([float(row["score"]) for row in rows])
    spread = float(scores.std()) or 1.0
    spline = RBFInterpolator(points, scores / spread, kernel="thin_plate_spline", smoothing=SMOOTH * len(points))
    return Table(space, points, kept, scores, _Scaled(spline, spread))


class _Scaled:
    """A spline in the score's own units."""

    def __init__(self, spline: RBFInterpolator, spread: float) -> None:
        self._spline, self._spread = spline, spread

    def __call__(self, points: np.ndarray) -> np.ndarray:
        found: np.ndarray = self._spline(points) * self._spread
        return found


def _typed(text: str) -> Value:
    if text in ("True", "False"):
        return text == "True"
    for kind in (int, float):
        try:
            return kind(text)
        except ValueError:
            continue
    return text


@cache
def best(case: Case) -> float:
    """The score of the best configuration: of a fine spread, then of ever smaller changes of the best eight."""
    space, rng, found = case.space, np.random.default_rng(1), table(case)
    points = np.concatenate([found.points, sobol(space.dimension, 4096, rng)])
    scores = np.array([found.score(space.decode(p)) for p in points])
    for step in np.geomspace(0.1, 1e-3, 16):
        top = np.argsort(-scores)[:8]
        more = np.clip(np.repeat(points[top], 12, axis=0) + step * rng.standard_normal((96, space.dimension)), 0, 1)
        points = np.concatenate([points[top], more])
        scores = np.concatenate([scores[top], [found.score(space.decode(p)) for p in more]])
    return float(scores.max())


@cache
def range_of(case: Case) -> float:
    """From the median configuration to the best: what there is to gain."""
    return best(case) - float(np.median(table(case).scores))


def problem(case: Case) -> Problem:
    """Its regret, in shares of what there is to gain."""
    found = table(case)
    return Problem(case.name, case.space, lambda c: (found.score(c) - best(case)) / range_of(case))


if __name__ == "__main__":
    make()
