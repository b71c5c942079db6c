"""Histogram gradient boosting."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from pellux.core.judging import BINARY, MULTICLASS, REGRESSION
from pellux.objectives.tabular.learners.linear import BALANCE
from pellux.objectives.tabular.learners.settings import (
    MORE_COSTS_LESS,
    MORE_COSTS_MORE,
    YES_COSTS_MORE,
    Circumstances,
    Growth,
    Learner,
    Setting,
)


def _boosting(settings: Mapping[str, Any], around: Circumstances) -> Any:
    from sklearn.ensemble import HistGradientBoostingClassifier, HistGradientBoostingRegressor

    shared: dict[str, Any] = {
        "learning_rate": settings["rate"],
        "max_iter": settings["rounds"],
        "max_leaf_nodes": settings["leaves"],
        "min_samples_leaf": settings["min_leaf"],
        "l2_regularization": settings["pull"],
        "max_features": float(settings["features"]),
        "max_bins": settings["bins"],
        "categorical_features": list(around.category_columns) or None,
        "early_stopping": False,
        "random_state": around.seed,
    }
    if around.task == REGRESSION:
        return HistGradientBoostingRegressor(**shared)
    return HistGradientBoostingClassifier(**shared, class_weight="balanced" if settings["balance"] else None)


def _grow(model: Any, rows: Any, target: Any, weight: Any, done: int, to: int) -> None:
    model.set_params(warm_start=True, max_iter=to).fit(rows, target, sample_weight=weight)


def _steer(model: Any, settings: Mapping[str, Any]) -> None:
    model.set_params(
        learning_rate=settings["rate"], max_leaf_nodes=settings["leaves"], min_samples_leaf=settings["min_leaf"],
        l2_regularization=settings["pull"],
    )  # fmt: skip


RATE = Setting(
    "rate", "How much each new tree may change the answer; slow rates need more rounds.",
    0.1, "0.01 .. 0.3 log", "1e-6 .. 10 log",
)  # fmt: skip
ROUNDS = Setting(
    "rounds", "How many trees are added; too many at a fast rate overfit.",
    100, "20 .. 400 int log", "1 .. 100000 int", MORE_COSTS_MORE,
)  # fmt: skip
LEAVES = Setting(
    "leaves", "Leaves of each tree; more leaves let columns interact more.",
    31, "4 .. 128 int log", "2 .. 32768 int", MORE_COSTS_MORE,
)  # fmt: skip
MIN_LEAF = Setting(
    "min_leaf", "The fewest rows a leaf may hold; larger leaves give smoother answers.",
    20, "2 .. 200 int log", "1 .. 1000000 int", MORE_COSTS_LESS,
)  # fmt: skip
PULL = Setting(
    "pull", "Pulls the answers of the leaves towards zero; guards against overfitting.",
    0.0, "1e-3 .. 100 log", "0 .. 1e9",
)  # fmt: skip
DEAR_BALANCE = replace(
    BALANCE, for_uneven=True, cost=YES_COSTS_MORE,
    sentence="Weights rows so that rare classes count as much as common ones. Here a fit takes about ten times as long with it.",
)  # fmt: skip
BOOSTING = Learner(
    key="boosting",
    label="Gradient boosting",
    sentence="Small trees added one after another, each mending what the sum still gets wrong: often the most accurate.",
    tasks=(BINARY, MULTICLASS, REGRESSION),
    preparation="native",
    settings=(
        RATE,
        ROUNDS,
        LEAVES,
        MIN_LEAF,
        PULL,
        Setting(
            "features", "Share of the columns looked at for each split; fewer make the trees differ more.",
            1.0, "0.2 .. 1", "0.001 .. 1", MORE_COSTS_MORE,
        ),
        Setting(
            "bins", "Steps into which every column is cut before growing; 255 is the finest.",
            255, "255", "2 .. 255 int", MORE_COSTS_MORE,
        ),
        DEAR_BALANCE,
    ),
    build=_boosting,
    growth=Growth("rounds", 20, _grow, _steer, steerable=("rate", "leaves", "min_leaf", "pull"), parameter="max_iter"),
    missing=True,
    categories=True,
)  # fmt: skip
