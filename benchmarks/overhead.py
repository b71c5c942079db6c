"""Overhead: a search on two workers against a bare loop of the same fits in joblib on two processes."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path
from typing import Any

import numpy as np
from joblib import Parallel, delayed
from sklearn.ensemble import HistGradientBoostingClassifier
from sklearn.impute import SimpleImputer
from sklearn.metrics import average_precision_score
from sklearn.pipeline import make_pipeline
from sklearn.tree import DecisionTreeClassifier

from benchmarks.scenes import warm_arrivals
from pellux.objectives.tabular.preparation import feature_matrix
from pellux.objectives.tabular.target import target_array
from pellux.service.engine.engine import Engine
from pellux.service.planning.launching import launch
from pellux.service.planning.requests import SearchRequest, SettingsRequest
from pellux.service.problems.datasets import open_table
from pellux.service.problems.problems import stored_brief
from pellux.service.searches.schemas import PageQuery
from pellux.service.searches.trials import lanes, trial_page
from pellux.service.workspace import Workspace

NUMBERS = ["ambient_c", "door_openings"]
CASES: dict[str, tuple[str, str, dict[str, Any], float]] = {
    "fits of about 100 ms": ("boosting", "rate: 0.05 .. 0.2 log\nrounds: 20 .. 40 int\nleaves: 8 .. 24 int", {}, 1.0),
    "short fits: a small tree on two columns": (
        "tree",
        "depth: 2 .. 5 int\nmin_leaf: 20 .. 200 int\nfeatures: 0.5 .. 1",
        {"features": NUMBERS},
        0.65,
    ),
}
TRIALS, ROUNDS = 60, 3


def bare_fit(matrix: Any, labels: int, target: Any, folds: Any, key: str, settings: dict[str, Any], fold: int) -> float:
    """One fit as a person writes it."""
    train, test = (folds >= 0) & (folds != fold), folds == fold
    if key == "boosting":
        model: Any = HistGradientBoostingClassifier(
            learning_rate=settings["rate"], max_iter=settings["rounds"], max_leaf_nodes=settings["leaves"], early_stopping=False,
            categorical_features=list(range(matrix.shape[1] - labels, matrix.shape[1])), random_state=7,
        )  # fmt: skip
    else:
        tree = DecisionTreeClassifier(
            max_depth=settings["depth"], min_samples_leaf=settings["min_leaf"], max_features=settings["features"], random_state=7
        )
        model = make_pipeline(SimpleImputer(strategy="median"), tree)
    model.fit(matrix[train], target[train])
    return float(average_precision_score(target[test], model.predict_proba(matrix[test])[:, 1]))


def measure(folder: Path, key: str, space: str, brief_: dict[str, Any]) -> tuple[float, float, float]:
    """Seconds of Pellux, seconds of the bare loop, mean seconds of a bare fit."""
    workspace = Workspace(folder)
    problem = warm_arrivals(workspace, **brief_)
    engine = Engine(workspace)
    plan = SettingsRequest(strategy="random", trials=TRIALS, workers=2, seed=5)
    search = launch(engine, problem, SearchRequest(learner=key, space=space, plan=plan))
    engine.join(search)
    fits = lanes(workspace, search).fits
    ours = max(f.ended_at or 0 for f in fits) - min(f.started_at or 1e18 for f in fits)
    trials = [t for t in trial_page(workspace, search, PageQuery(limit=1000)).trials if t.origin == "proposed"]
    baseline = sum(f.seconds for f in fits if f.trial == 0) / 2  # half its work falls on each worker
    brief = stored_brief(workspace, problem)
    table = open_table(workspace, brief.data)
    matrix, categories = feature_matrix(table, brief.features)
    target, _ = target_array(table, brief)
    folds = np.load(workspace.folds_file(problem))
    with Parallel(2) as pool:
        pool(delayed(bare_fit)(matrix, len(categories), target, folds, key, trials[0].configuration, f) for f in range(4))
        begun = time.perf_counter()
        scores = pool(
            delayed(bare_fit)(matrix, len(categories), target, folds, key, t.configuration, f) for t in trials for f in range(5)
        )
        theirs = time.perf_counter() - begun
    expected = [s for t in trials for s in t.scores]
    assert np.allclose(scores, expected, atol=1e-9), "the two do not do the same fits"
    engine.close()
    workspace.close()
    return ours - baseline, theirs, theirs * 2 / len(scores)


def run() -> list[str]:
    lines = ["| case | Pellux | joblib loop | mean bare fit | wall ratio | wanted |", "|---|---|---|---|---|---|"]
    for name, (key, space, brief, wanted) in CASES.items():
        rounds = []
        for _ in range(ROUNDS):
            with tempfile.TemporaryDirectory() as folder:
                rounds.append(measure(Path(folder), key, space, brief))
        ours, theirs, fit = (float(np.median(column)) for column in zip(*rounds, strict=True))
        ratio = float(np.median([a / b for a, b, _ in rounds]))
        lines.append(f"| {name} | {ours:.2f} s | {theirs:.2f} s | {1000 * fit:.1f} ms | **{ratio:.2f}** | ≤ {wanted} |")
    return lines
