"""Support vector machines; probabilities by calibration inside the fold."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pellux.core.judging import BINARY, MULTICLASS, REGRESSION
from pellux.objectives.tabular.learners.linear import BALANCE
from pellux.objectives.tabular.learners.settings import MORE_COSTS_LESS, MORE_COSTS_MORE, Circumstances, Learner, Setting


def _support(settings: Mapping[str, Any], around: Circumstances) -> Any:
    from sklearn.svm import SVC, SVR

    shared = {"C": settings["C"], "kernel": settings["kernel"], "gamma": settings["gamma"], "cache_size": 200}
    if around.task == REGRESSION:
        from sklearn.compose import TransformedTargetRegressor
        from sklearn.preprocessing import StandardScaler

        return TransformedTargetRegressor(SVR(epsilon=settings["tube"], **shared), transformer=StandardScaler())
    from sklearn.calibration import CalibratedClassifierCV

    model = SVC(class_weight="balanced" if settings["balance"] else None, random_state=around.seed, **shared)
    return CalibratedClassifierCV(model, method="sigmoid", ensemble=False, cv=3)


SUPPORT = Learner(
    key="support",
    label="Support vectors",
    sentence="Draws the widest border between classes in a bent space: strong on some thousand rows, slow on many more.",
    tasks=(BINARY, MULTICLASS, REGRESSION),
    preparation="scaled",
    settings=(
        Setting(
            "C", "What a row on the wrong side costs; large values follow every row.",
            1.0, "0.01 .. 1e3 log", "1e-9 .. 1e9 log", MORE_COSTS_MORE,
        ),
        Setting(
            "gamma", "How near rows must be to matter to each other; large values make islands.",
            0.05, "1e-4 .. 1 log", "1e-12 .. 1e6 log",
        ),
        Setting("kernel", "The shape of the border: curved, straight, or a polynomial.", "rbf", "rbf", "rbf | linear | poly | sigmoid"),
        Setting(
            "tube", "Misses smaller than this, in standard deviations of the target, cost nothing.",
            0.1, "0.01 .. 0.5 log", "0 .. 100", MORE_COSTS_LESS, tasks=(REGRESSION,),
        ),
        BALANCE,
    ),
    build=_support,
)  # fmt: skip
