"""LightGBM and XGBoost, where they are installed. Their fits cannot be resumed exactly, so only rows and folds grow."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pellux.core.judging import BINARY, MULTICLASS, REGRESSION
from pellux.objectives.tabular.learners.boosting import LEAVES, MIN_LEAF, PULL, RATE, ROUNDS
from pellux.objectives.tabular.learners.linear import BALANCE
from pellux.objectives.tabular.learners.settings import MORE_COSTS_LESS, MORE_COSTS_MORE, Circumstances, Learner, Setting

ROWS = Setting("row_share", "Share of the rows that each tree is grown on.", 1.0, "0.5 .. 1", "0.01 .. 1", MORE_COSTS_MORE)
COLUMNS = Setting(
    "features", "Share of the columns that each tree may use; fewer make the trees differ more.",
    1.0, "0.2 .. 1", "0.01 .. 1", MORE_COSTS_MORE,
)  # fmt: skip


def _lightgbm(settings: Mapping[str, Any], around: Circumstances) -> Any:
    from lightgbm import LGBMClassifier, LGBMRegressor

    shared: dict[str, Any] = {
        "n_estimators": settings["rounds"],
        "learning_rate": settings["rate"],
        "num_leaves": settings["leaves"],
        "min_child_samples": settings["min_leaf"],
        "reg_lambda": settings["pull"],
        "colsample_bytree": float(settings["features"]),
        "subsample": float(settings["row_share"]),
        "subsample_freq": 1,
        "random_state": around.seed,
        "n_jobs": 1,
        "deterministic": True,
        "force_col_wise": True,
        "verbose": -1,
    }
    if around.category_columns:
        shared["categorical_feature"] = list(around.category_columns)
    if around.task == REGRESSION:
        return LGBMRegressor(**shared)
    return LGBMClassifier(**shared, class_weight="balanced" if settings["balance"] else None)


LIGHTGBM = Learner(
    key="lightgbm",
    label="LightGBM",
    sentence="Gradient boosting that grows each tree leaf by leaf: quick on many rows and columns.",
    tasks=(BINARY, MULTICLASS, REGRESSION),
    preparation="native",
    settings=(
        RATE,
        ROUNDS,
        LEAVES,
        MIN_LEAF,
        PULL,
        COLUMNS,
        ROWS,
        BALANCE,
    ),
    build=_lightgbm,
    missing=True,
    categories=True,
    package="lightgbm",
)  # fmt: skip


def _xgboost(settings: Mapping[str, Any], around: Circumstances) -> Any:
    from xgboost import XGBClassifier, XGBRegressor

    kind = XGBRegressor if around.task == REGRESSION else XGBClassifier
    return kind(
        n_estimators=settings["rounds"],
        learning_rate=settings["rate"],
        max_depth=settings["depth"],
        min_child_weight=settings["min_weight"],
        reg_lambda=settings["pull"],
        colsample_bytree=float(settings["features"]),
        subsample=float(settings["row_share"]),
        tree_method="hist",
        random_state=around.seed,
        n_jobs=1,
        verbosity=0,
    )


XGBOOST = Learner(
    key="xgboost",
    label="XGBoost",
    sentence="Gradient boosting that grows each tree level by level, with a second-order view of the loss.",
    tasks=(BINARY, MULTICLASS, REGRESSION),
    preparation="filled",
    settings=(
        RATE,
        ROUNDS,
        Setting("depth", "How many questions a tree may ask in a row.", 6, "2 .. 10 int", "1 .. 50 int", MORE_COSTS_MORE),
        Setting(
            "min_weight", "The least that the rows of a leaf must weigh together; larger gives smoother answers.",
            1.0, "0.5 .. 60 log", "0 .. 1e6", MORE_COSTS_LESS,
        ),
        PULL,
        COLUMNS,
        ROWS,
    ),
    build=_xgboost,
    missing=True,
    package="xgboost",
)  # fmt: skip
