"""Linear models: logistic regression for classes, ridge regression for numbers."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pellux.core.judging import BINARY, MULTICLASS, REGRESSION
from pellux.objectives.tabular.learners.settings import MORE_COSTS_LESS, MORE_COSTS_MORE, Circumstances, Learner, Setting

BALANCE = Setting(
    "balance", "Weights rows so that rare classes count as much as common ones.", False, "yes | no", "yes | no",
    tasks=(BINARY, MULTICLASS),
)  # fmt: skip


def _logistic(settings: Mapping[str, Any], around: Circumstances) -> Any:
    from sklearn.linear_model import LogisticRegression

    return LogisticRegression(
        C=settings["C"],
        class_weight="balanced" if settings["balance"] else None,
        max_iter=settings["steps"],
        random_state=around.seed,
    )


LOGISTIC = Learner(
    key="logistic",
    label="Logistic regression",
    sentence="A weighted sum of the columns turned into probabilities: fast, hard to overfit, a fair yardstick.",
    tasks=(BINARY, MULTICLASS),
    preparation="scaled",
    settings=(
        Setting(
            "C", "How far the weights may grow; small values pull them to zero and guard against overfitting.",
            1.0, "1e-4 .. 1e3 log", "1e-12 .. 1e12 log", "more costs more",
        ),
        BALANCE,
        Setting(
            "steps", "The most steps the solver may take before it must answer.", 500, "500",
            "1 .. 1000000 int", "more costs more",
        ),
    ),
    build=_logistic,
)  # fmt: skip


def _elastic(settings: Mapping[str, Any], around: Circumstances) -> Any:
    from sklearn.linear_model import ElasticNet, LogisticRegression

    if around.task == REGRESSION:
        return ElasticNet(
            alpha=settings["pull"], l1_ratio=float(settings["sparsity"]), max_iter=settings["steps"], random_state=around.seed
        )
    return LogisticRegression(
        C=1 / settings["pull"],
        l1_ratio=float(settings["sparsity"]),
        solver="saga",
        class_weight="balanced" if settings["balance"] else None,
        max_iter=settings["steps"],
        random_state=around.seed,
    )


ELASTIC = Learner(
    key="elastic",
    label="Elastic net",
    sentence="A weighted sum of the columns that drops columns which do not earn their place: for many columns, few of them useful.",
    tasks=(BINARY, MULTICLASS, REGRESSION),
    preparation="scaled",
    settings=(
        Setting(
            "pull", "Strength of the pull of all weights towards zero; more is smoother and sparser.",
            0.1, "1e-3 .. 1e3 log", "1e-12 .. 1e12 log", MORE_COSTS_LESS,
        ),
        Setting(
            "sparsity", "How much of the pull sets weights to exactly zero instead of making all smaller.",
            0.5, "0 .. 1", "0 .. 1",
        ),
        BALANCE,
        Setting(
            "steps", "The most steps the solver may take before it must answer.", 300, "300", "1 .. 1000000 int", MORE_COSTS_MORE,
        ),
    ),
    build=_elastic,
)  # fmt: skip


def _ridge(settings: Mapping[str, Any], around: Circumstances) -> Any:
    from sklearn.linear_model import Ridge

    return Ridge(alpha=settings["alpha"], random_state=around.seed)


RIDGE = Learner(
    key="ridge",
    label="Ridge regression",
    sentence="A weighted sum of the columns with a pull of all weights towards zero: fast and steady.",
    tasks=(REGRESSION,),
    preparation="scaled",
    settings=(
        Setting(
            "alpha", "Strength of the pull of all weights towards zero; more is smoother.",
            1.0, "1e-4 .. 1e4 log", "1e-12 .. 1e12 log",
        ),
    ),
    build=_ridge,
)  # fmt: skip
