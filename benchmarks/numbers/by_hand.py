"""The same scores computed by hand: plain CSV, NumPy and scikit-learn, nothing of Pellux.

What the documentation promises (docs/judging.md, docs/learners.md) is written down here a second time, on purpose.
"""

from __future__ import annotations

import csv
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import stats
from sklearn import (
    calibration,
    compose,
    ensemble,
    impute,
    linear_model,
    metrics,
    model_selection,
    naive_bayes,
    neighbors,
    neural_network,
    pipeline,
    preprocessing,
    svm,
    tree,
)

Array = NDArray[Any]
NATIVE, FILLED = ("boosting", "lightgbm"), ("bayes", "tree", "forest", "extra", "xgboost")  # the others: scaled
BY_EPOCH = ("sgd", "network")


@dataclass(frozen=True)
class Rows:
    """A data file, read: numbers first, then categories as their places among the sorted labels; NaN where missing."""

    matrix: Array
    categories: int
    target: Array
    weight: Array | None
    group: Array
    time: Array
    part: Array


def read(path: Path, target: str, weighted: bool) -> Rows:
    with path.open(encoding="utf-8", newline="") as file:
        found = list(csv.DictReader(file))

    def numbers(name: str) -> Array:
        return np.array([float(row[name]) if row[name] else np.nan for row in found])

    def codes(name: str) -> Array:
        labels = sorted({row[name] for row in found} - {""})
        return np.array([labels.index(row[name]) if row[name] else np.nan for row in found])

    values = numbers(target) if target == "amount" else codes(target).astype(int)
    days = np.array([row["day"] for row in found], dtype="datetime64[D]").astype(float)
    return Rows(
        np.column_stack([numbers(name) for name in ("a", "b", "whole")] + [codes("kind")]), 1, values,
        numbers("weight") if weighted else None, codes("group"), days, np.array([row["part"] for row in found]),
    )  # fmt: skip


def cuts(rows: Rows, plan: Mapping[str, Any]) -> Iterator[tuple[Array, Array]]:
    """What each fold learns from and is tested on, as indices."""
    kind, folds, seed, share = plan["kind"], plan["folds"], plan["seed"], plan["holdout"]
    inside = np.arange(len(rows.target))
    if kind == "column":
        for part in ("a", "b", "c"):
            yield np.flatnonzero(~np.isin(rows.part, [part, "holdout"])), np.flatnonzero(rows.part == part)
        return
    if kind == "ordered":
        last = np.sort(rows.time)[round(len(inside) * (1 - share))]
        inside = inside[rows.time < last - plan["gap"]] if plan["gap"] else inside[rows.time < last]
        ordered = np.sort(rows.time[inside])
        begins = [ordered[round(len(ordered) * cut / (folds + 1))] for cut in range(1, folds + 1)]
        for fold, begin in enumerate(begins):
            end = begins[fold + 1] if fold + 1 < folds else np.inf
            time = rows.time[inside]
            yield inside[time < begin - plan["gap"]], inside[(time >= begin) & (time < end)]
        return
    grouped = kind.endswith("grouped")
    holding = {"stratified": model_selection.StratifiedShuffleSplit, "shuffled": model_selection.ShuffleSplit}
    holder = holding.get(kind, model_selection.GroupShuffleSplit)(n_splits=1, test_size=share, random_state=seed)
    [(kept, _)] = holder.split(inside, rows.target, rows.group if grouped else None)
    inside = np.sort(inside[kept])
    kinds = {
        "stratified": model_selection.StratifiedKFold, "shuffled": model_selection.KFold, "grouped": model_selection.GroupKFold,
        "stratified grouped": model_selection.StratifiedGroupKFold,
    }  # fmt: skip
    for repeat in range(plan.get("repeats", 1)):
        splitter = kinds[kind](folds, shuffle=True, random_state=seed + 1000 * repeat)
        for train, test in splitter.split(inside, rows.target[inside], rows.group[inside] if grouped else None):
            yield inside[train], inside[test]


def prepared(rows: Rows, key: str) -> Any:
    """The preset of a learner's columns, as docs/learners.md gives it."""
    if key in NATIVE:
        return "passthrough"
    numbers: Any = impute.SimpleImputer(strategy="median", keep_empty_features=True)
    if key not in FILLED:
        numbers = pipeline.make_pipeline(numbers, preprocessing.StandardScaler())
    labels = pipeline.make_pipeline(
        impute.SimpleImputer(strategy="constant", fill_value=-1.0, keep_empty_features=True),
        preprocessing.OneHotEncoder(handle_unknown="infrequent_if_exist", max_categories=60, sparse_output=False),
    )
    width = rows.matrix.shape[1]
    first = width - rows.categories
    return compose.ColumnTransformer([("numbers", numbers, list(range(first))), ("labels", labels, list(range(first, width)))])


def learner(key: str, task: str, s: Mapping[str, Any], seed: int, categories: list[int]) -> Any:
    """The estimator that a learner's settings mean, by docs/learners.md."""
    regression = task == "regression"
    balance = {} if regression else {"class_weight": "balanced" if s.get("balance") else None}
    trees = lambda: {  # noqa: E731
        "max_depth": s["depth"], "min_samples_leaf": s["min_leaf"], "max_features": float(s["features"]), "random_state": seed, **balance
    }  # fmt: skip
    in_own_units = lambda model: (  # noqa: E731
        compose.TransformedTargetRegressor(model, transformer=preprocessing.StandardScaler()) if regression else model
    )

    def boosted() -> dict[str, Any]:
        return {"n_estimators": s["rounds"], "learning_rate": s["rate"], "reg_lambda": s["pull"], "subsample": float(s["row_share"]),
                "colsample_bytree": float(s["features"]), "random_state": seed, "n_jobs": 1}  # fmt: skip

    def lightgbm() -> Any:
        import lightgbm as library

        known = {"categorical_feature": categories} if categories else {}
        given = {
            **boosted(),
            "num_leaves": s["leaves"],
            "min_child_samples": s["min_leaf"],
            "subsample_freq": 1,
            "verbose": -1,
            **known,
        }
        kind = library.LGBMRegressor if regression else library.LGBMClassifier
        return kind(**given, deterministic=True, force_col_wise=True, **balance)

    def xgboost() -> Any:
        import xgboost as library

        kind = library.XGBRegressor if regression else library.XGBClassifier
        return kind(**boosted(), max_depth=s["depth"], min_child_weight=s["min_weight"], tree_method="hist", verbosity=0)

    made: dict[str, Callable[[], Any]] = {
        "logistic": lambda: linear_model.LogisticRegression(C=s["C"], max_iter=s["steps"], random_state=seed, **balance),
        "ridge": lambda: linear_model.Ridge(alpha=s["alpha"], random_state=seed),
        "elastic": lambda: linear_model.ElasticNet(
            alpha=s["pull"], l1_ratio=float(s["sparsity"]), max_iter=s["steps"], random_state=seed
        ) if regression else linear_model.LogisticRegression(
            C=1 / s["pull"], l1_ratio=float(s["sparsity"]), solver="saga", max_iter=s["steps"], random_state=seed, **balance
        ),
        "sgd": lambda: (linear_model.SGDRegressor if regression else linear_model.SGDClassifier)(
            loss="squared_error" if regression else "log_loss", penalty="elasticnet", alpha=s["pull"], l1_ratio=float(s["sparsity"]),
            learning_rate=s["schedule_kind"], eta0=s["rate"], average=s["average"], max_iter=s["epochs"], tol=None, random_state=seed,
        ),
        "neighbours": lambda: (neighbors.KNeighborsRegressor if regression else neighbors.KNeighborsClassifier)(
            n_neighbors=s["neighbours"], weights="distance" if s["nearer_counts"] else "uniform", p=float(s["power"])
        ),
        "support": lambda: in_own_units(svm.SVR(C=s["C"], kernel=s["kernel"], gamma=s["gamma"], epsilon=s["tube"])) if regression
        else calibration.CalibratedClassifierCV(
            svm.SVC(C=s["C"], kernel=s["kernel"], gamma=s["gamma"], random_state=seed, **balance), method="sigmoid", ensemble=False, cv=3
        ),
        "bayes": lambda: naive_bayes.GaussianNB(var_smoothing=s["smoothing"]),
        "tree": lambda: (tree.DecisionTreeRegressor if regression else tree.DecisionTreeClassifier)(**trees(), ccp_alpha=s["trim"]),
        "forest": lambda: (ensemble.RandomForestRegressor if regression else ensemble.RandomForestClassifier)(
            n_estimators=s["trees"], **trees()
        ),
        "extra": lambda: (ensemble.ExtraTreesRegressor if regression else ensemble.ExtraTreesClassifier)(
            n_estimators=s["trees"], bootstrap=s["draw_rows"], **trees()
        ),
        "boosting": lambda: (ensemble.HistGradientBoostingRegressor if regression else ensemble.HistGradientBoostingClassifier)(
            learning_rate=s["rate"], max_iter=s["rounds"], max_leaf_nodes=s["leaves"], min_samples_leaf=s["min_leaf"],
            l2_regularization=s["pull"], max_features=float(s["features"]), max_bins=s["bins"], categorical_features=categories or None,
            early_stopping=False, random_state=seed, **balance,
        ),
        "lightgbm": lightgbm,
        "xgboost": xgboost,
        "network": lambda: (neural_network.MLPRegressor if regression else neural_network.MLPClassifier)(
            hidden_layer_sizes=(s["width"],) * s["layers"], activation=s["activation"], alpha=s["pull"], batch_size=s["batch"],
            learning_rate_init=s["rate"], max_iter=s["epochs"], tol=0.0, n_iter_no_change=s["epochs"] + 1, random_state=seed,
        ),
    }  # fmt: skip
    return made[key]()


class ByEpoch:
    """Trained epoch by epoch from one stream of random numbers, a regression on a target of mean 0 and variance 1."""

    def __init__(self, rows: Rows, key: str, task: str, settings: Mapping[str, Any], seed: int, train: Array) -> None:
        self.columns, self.model = prepared(rows, key), learner(key, task, settings, seed, [])
        matrix, target = self.columns.fit_transform(rows.matrix[train]), rows.target[train]
        self.mean, self.scale = float(target.mean()), float(target.std())
        given: dict[str, Any] = {} if task == "regression" else {"classes": np.unique(target)}
        if rows.weight is not None:
            given["sample_weight"] = rows.weight[train]
        self.model.random_state = np.random.RandomState(seed)
        for _ in range(settings["epochs"]):
            self.model.partial_fit(matrix, (target - self.mean) / self.scale if task == "regression" else target, **given)

    @property
    def classes_(self) -> Array:
        return np.asarray(self.model.classes_)

    def predict(self, matrix: Array) -> Array:
        said = self.model.predict(self.columns.transform(matrix))
        return np.asarray(said if hasattr(self.model, "classes_") else self.mean + self.scale * said)

    def predict_proba(self, matrix: Array) -> Array:
        return np.asarray(self.model.predict_proba(self.columns.transform(matrix)))


def fitted(rows: Rows, key: str, task: str, settings: Mapping[str, Any], seed: int, train: Array) -> Any:
    """The whole pipeline, fitted on some rows."""
    places = list(range(rows.matrix.shape[1] - rows.categories, rows.matrix.shape[1])) if key in NATIVE else []
    if key in BY_EPOCH:
        return ByEpoch(rows, key, task, settings, seed, train)
    model = pipeline.Pipeline([("prepare", prepared(rows, key)), ("learn", learner(key, task, settings, seed, places))])
    given = {} if rows.weight is None else {"learn__sample_weight": rows.weight[train]}
    return model.fit(rows.matrix[train], rows.target[train], **given)


Judge = Callable[[Array, Any, Array | None], float]


def scores(truth: Array, model: Any, rows: Array, weight: Array | None, classes: int) -> dict[str, float]:
    """Every metric of the task, by its definition in scikit-learn or in docs/judging.md."""
    said = np.asarray(model.predict(rows), dtype=int if classes else float)
    w = {"sample_weight": weight}
    m = metrics
    if not classes:
        there = np.ones(len(truth), bool) if weight is None else weight > 0
        ranks = np.cov(stats.rankdata(truth), stats.rankdata(said), aweights=weight)
        spread = np.sqrt(ranks[0, 0] * ranks[1, 1])
        found = {
            "RMSE": m.root_mean_squared_error(truth, said, **w), "MAE": m.mean_absolute_error(truth, said, **w),
            "median absolute error": m.median_absolute_error(truth, said, **w), "R2": m.r2_score(truth, said, **w),
            "MAPE": m.mean_absolute_percentage_error(truth, said, **w), "largest error": np.abs(truth - said)[there].max(),
            "pinball 0.1": m.mean_pinball_loss(truth, said, alpha=0.1, **w), "pinball 0.9": m.mean_pinball_loss(truth, said, alpha=0.9, **w),
            "explained variance": m.explained_variance_score(truth, said, **w),
            "Spearman correlation": ranks[0, 1] / spread if spread > 0 else 0.0,
            "RMSLE": m.root_mean_squared_log_error(truth, np.maximum(said, 0), **w),
        }  # fmt: skip
        return {key: float(value) for key, value in found.items()}
    codes = np.arange(classes)
    probabilities = np.zeros((len(rows), classes))
    probabilities[:, np.asarray(model.classes_, dtype=int)] = model.predict_proba(rows)
    # docs/judging.md: labels are those of the likeliest class.
    said = probabilities.argmax(axis=1)
    found = {
        "accuracy": m.accuracy_score(truth, said, **w), "balanced accuracy": m.balanced_accuracy_score(truth, said, **w),
        "macro F1": m.f1_score(truth, said, average="macro", zero_division=0, **w),
        "weighted F1": m.f1_score(truth, said, average="weighted", zero_division=0, **w),
        "macro precision": m.precision_score(truth, said, average="macro", zero_division=0, **w),
        "Matthews correlation": m.matthews_corrcoef(truth, said, **w), "Cohen's kappa": m.cohen_kappa_score(truth, said, **w),
        "log loss": m.log_loss(truth, probabilities, labels=codes, **w),
    }  # fmt: skip
    if classes == 2:
        positive = probabilities[:, 1]
        found |= {
            "average precision": m.average_precision_score(truth, positive, **w), "ROC AUC": m.roc_auc_score(truth, positive, **w),
            "Brier score": m.brier_score_loss(truth, positive, **w), "F1": m.f1_score(truth, said, zero_division=0, **w),
            "F2": m.fbeta_score(truth, said, beta=2, zero_division=0, **w), "precision": m.precision_score(truth, said, zero_division=0, **w),
            "recall": m.recall_score(truth, said, zero_division=0, **w),
            "specificity": m.recall_score(1 - truth, 1 - said, zero_division=0, **w),
        }  # fmt: skip
    else:
        missed = ((probabilities - (truth[:, None] == codes)) ** 2).sum(axis=1)
        found |= {
            "ROC AUC": m.roc_auc_score(truth, probabilities, multi_class="ovr", average="macro", labels=codes, **w),
            "Brier score": np.average(missed, weights=weight),
            "top-2 accuracy": m.top_k_accuracy_score(truth, probabilities, k=2, labels=codes, **w),
        }  # fmt: skip
    return {key: float(value) for key, value in found.items()}
