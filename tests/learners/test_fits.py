"""Fold scores equal those of a scikit-learn pipeline put together by hand from the same file."""

from __future__ import annotations

import csv
from pathlib import Path

import numpy as np
import pytest
from sklearn.compose import ColumnTransformer
from sklearn.ensemble import (
    HistGradientBoostingClassifier,
    HistGradientBoostingRegressor,
    RandomForestClassifier,
    RandomForestRegressor,
)
from sklearn.impute import SimpleImputer
from sklearn.linear_model import LogisticRegression, Ridge
from sklearn.model_selection import PredefinedSplit, cross_val_score
from sklearn.pipeline import Pipeline, make_pipeline
from sklearn.preprocessing import OneHotEncoder, OrdinalEncoder, StandardScaler
from sklearn.tree import DecisionTreeClassifier, DecisionTreeRegressor

from pellux.objectives.tabular.fitting import fit_fold
from pellux.objectives.tabular.fold_data import FoldData
from pellux.objectives.tabular.learners.catalogue import OURS
from pellux.objectives.tabular.prefixes import Prefixes
from pellux.objectives.tabular.preparation import steps_of
from pellux.objectives.tabular.target import telling
from pellux.service.planning.requests import BriefRequest
from pellux.service.problems.framing import Framed, frame
from pellux.service.workspace import Workspace
from tests.making import imported, mixed_columns

SEED = 13
SCALED, FILLED, NATIVE = (steps_of(OURS.learner(key), {}) for key in ("logistic", "forest", "boosting"))
NUMBERS, LABELS = ["a", "b", "whole"], ["kind"]


def by_hand(folder: Path, target: str, folds: np.ndarray) -> tuple[np.ndarray, np.ndarray, PredefinedSplit]:
    """Read the file with the csv module alone; rows outside the folds are dropped."""
    with (folder / "mixed.csv").open(newline="") as file:
        rows = list(csv.DictReader(file))
    matrix = np.empty((len(rows), 4), dtype=object)
    for i, row in enumerate(rows):
        matrix[i] = [*(float(row[n]) if row[n] else np.nan for n in NUMBERS), row["kind"] or np.nan]
    truth = np.array([row[target] for row in rows])
    truth = (truth == "yes").astype(int) if target == "label" else truth.astype(float)
    used = folds >= 0
    return matrix[used], truth[used], PredefinedSplit(folds[used])


def linear(estimator: object) -> Pipeline:
    numbers = make_pipeline(SimpleImputer(strategy="median"), StandardScaler())
    labels = make_pipeline(SimpleImputer(strategy="constant", fill_value="?"), OneHotEncoder(handle_unknown="ignore"))
    return make_pipeline(ColumnTransformer([("n", numbers, [0, 1, 2]), ("c", labels, [3])]), estimator)


def trees(estimator: object) -> Pipeline:
    labels = make_pipeline(SimpleImputer(strategy="constant", fill_value="?"), OneHotEncoder(sparse_output=False))
    return make_pipeline(ColumnTransformer([("n", SimpleImputer(strategy="median"), [0, 1, 2]), ("c", labels, [3])]), estimator)


def native(estimator: object) -> Pipeline:
    labels = OrdinalEncoder(categories=[["blue", "green", "red"]], handle_unknown="use_encoded_value", unknown_value=np.nan)
    return make_pipeline(ColumnTransformer([("n", "passthrough", [0, 1, 2]), ("c", labels, [3])]), estimator)


BOOST = {"max_iter": 40, "learning_rate": 0.2, "early_stopping": False, "random_state": SEED, "categorical_features": [3]}
TREE = {"max_depth": 6, "min_samples_leaf": 4, "max_features": 0.6, "random_state": SEED}
CASES = [
    ("label", "average precision", "average_precision", "logistic", {"C": 0.3}, linear(LogisticRegression(C=0.3, max_iter=500))),
    ("label", "log loss", "neg_log_loss", "logistic", {"balance": True}, linear(LogisticRegression(class_weight="balanced", max_iter=500))),
    ("label", "ROC AUC", "roc_auc", "tree", {"depth": 6, "min_leaf": 4, "features": 0.6}, trees(DecisionTreeClassifier(**TREE))),
    ("label", "accuracy", "accuracy", "forest", {"trees": 25, "depth": 6, "min_leaf": 4, "features": 0.6},
     trees(RandomForestClassifier(25, **TREE))),
    ("label", "Brier score", "neg_brier_score", "boosting", {"rounds": 40, "rate": 0.2}, native(HistGradientBoostingClassifier(**BOOST))),
    ("amount", "RMSE", "neg_root_mean_squared_error", "ridge", {"alpha": 2.5}, linear(Ridge(alpha=2.5))),
    ("amount", "MAE", "neg_mean_absolute_error", "tree", {"depth": 6, "min_leaf": 4, "features": 0.6}, trees(DecisionTreeRegressor(**TREE))),
    ("amount", "R2", "r2", "forest", {"trees": 25, "depth": 6, "min_leaf": 4, "features": 0.6}, trees(RandomForestRegressor(25, **TREE))),
    ("amount", "RMSE", "neg_root_mean_squared_error", "boosting", {"rounds": 40, "rate": 0.2}, native(HistGradientBoostingRegressor(**BOOST))),
]  # fmt: skip


def framed(workspace: Workspace, folder: Path, target: str, metric: str) -> tuple[Framed, FoldData]:
    table = imported(workspace, folder)
    other = {"label": "amount", "amount": "label"}[target]
    made = frame(table, BriefRequest(data=table.hash, target=target, metric=metric, ignore=["ticket", other], seed=SEED))
    return made, FoldData(table, made.brief, made.folds.kept)


@pytest.mark.parametrize(
    ("target", "metric", "scorer", "key", "settings", "pipeline"), CASES, ids=[f"{c[3]}-{c[1]}" for c in CASES]
)
def test_scores_equal_an_independent_pipeline(
    workspace: Workspace, tmp_path: Path, target: str, metric: str, scorer: str, key: str, settings: dict[str, object], pipeline: Pipeline
) -> None:  # fmt: skip
    made, data = framed(workspace, tmp_path, target, metric)
    chosen = OURS.learner(key, made.brief.task)
    ours = [
        fit_fold(data.prepared(f, steps_of(chosen, settings)), chosen, settings, made.brief, lambda: 0.0).score for f in range(5)
    ]
    matrix, truth, split = by_hand(tmp_path, target, made.folds.first)
    theirs = cross_val_score(pipeline, matrix, truth, cv=split, scoring=scorer) * (-1 if scorer.startswith("neg_") else 1)
    assert ours == pytest.approx(theirs, abs=1e-12)


def test_no_search_row_is_a_holdout_row(workspace: Workspace, tmp_path: Path) -> None:
    made, data = framed(workspace, tmp_path, "label", "ROC AUC")
    seen = sum(len(data.prepared(f, NATIVE).test) for f in range(5))
    assert seen == (made.folds.first >= 0).sum()
    assert (made.folds.first == -1).sum() == pytest.approx(0.2 * 240, abs=1)
    for fold in range(5):
        prepared = data.prepared(fold, NATIVE)
        assert len(prepared.train) + len(prepared.test) == seen


def test_keeping_prepared_folds_changes_no_score(workspace: Workspace, tmp_path: Path) -> None:
    made, kept = framed(workspace, tmp_path, "label", "ROC AUC")
    table = imported(workspace, tmp_path)
    scant = FoldData(table, made.brief, made.folds.kept, Prefixes(budget=0))
    forest = OURS.learner("forest", "binary")
    for fold in (0, 3, 0, 3):
        scores = [fit_fold(d.prepared(fold, FILLED), forest, {"trees": 8}, made.brief, lambda: 0.0).score for d in (kept, scant)]
        assert scores[0] == scores[1]
    assert len(scant._prefixes._kept) == 1


def test_a_class_missing_from_the_training_rows_gets_probability_zero(workspace: Workspace, tmp_path: Path) -> None:
    columns = mixed_columns(60)
    columns["label"] = ["red" if i < 30 else "green" for i in range(59)] + ["blue"]
    table = imported(workspace, tmp_path, columns, "three.csv")
    request = BriefRequest(
        data=table.hash, target="label", metric="log loss", folds="3 shuffled", holdout=0, ignore=["amount", "ticket"]
    )
    made = frame(table, request)
    data = FoldData(table, made.brief, made.folds.kept)
    tree = OURS.learner("tree", "multiclass")
    scores = [fit_fold(data.prepared(f, FILLED), tree, {"min_leaf": 5}, made.brief, lambda: 0.0).score for f in range(3)]
    assert np.isfinite(scores).all()
    lonely = int(made.folds.first[-1])
    assert scores[lonely] == max(scores)


def test_a_fit_keeps_its_warnings_and_its_time(workspace: Workspace, tmp_path: Path) -> None:
    made, data = framed(workspace, tmp_path, "label", "ROC AUC")
    ticks = iter([10.0, 12.5, 13.0])
    fitted = fit_fold(
        data.prepared(0, SCALED), OURS.learner("logistic", "binary"), {"steps": 1, "C": 1000.0}, made.brief, lambda: next(ticks)
    )
    assert (fitted.seconds, fitted.predict_seconds) == (3.0, 0.5)
    assert any("ConvergenceWarning" in w for w in fitted.warnings)


def test_weights_that_are_all_the_same_are_left_away() -> None:
    assert telling(None) is None
    assert telling(np.full(5, 2.5)) is None
    weights = np.array([1.0, 1.0, 2.0])
    assert telling(weights) is weights
