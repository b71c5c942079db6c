"""Single trees and forests of them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pellux.core.judging import BINARY, MULTICLASS, REGRESSION
from pellux.objectives.tabular.learners.linear import BALANCE
from pellux.objectives.tabular.learners.settings import MORE_COSTS_LESS, MORE_COSTS_MORE, Circumstances, Growth, Learner, Setting

DEPTH = Setting(
    "depth", "How many questions a tree may ask in a row; deeper trees fit finer detail, and noise.",
    20, "2 .. 30 int", "1 .. 1000 int", MORE_COSTS_MORE,
)  # fmt: skip
MIN_LEAF = Setting(
    "min_leaf", "The fewest rows a leaf may hold; larger leaves give smoother answers.",
    1, "1 .. 60 int log", "1 .. 1000000 int", MORE_COSTS_LESS,
)  # fmt: skip
FEATURES = Setting(
    "features", "Share of the columns looked at for each split; fewer make the trees differ more.",
    0.4, "0.1 .. 1", "0.001 .. 1", MORE_COSTS_MORE,
)  # fmt: skip


def _shared(settings: Mapping[str, Any], around: Circumstances) -> dict[str, Any]:
    found = {
        "max_depth": settings["depth"],
        "min_samples_leaf": settings["min_leaf"],
        "max_features": float(settings["features"]),
        "random_state": around.seed,
    }
    if around.task != REGRESSION:
        found["class_weight"] = "balanced" if settings["balance"] else None
    return found


def _tree(settings: Mapping[str, Any], around: Circumstances) -> Any:
    from sklearn.tree import DecisionTreeClassifier, DecisionTreeRegressor

    kind = DecisionTreeRegressor if around.task == REGRESSION else DecisionTreeClassifier
    return kind(**_shared(settings, around), ccp_alpha=settings["trim"])


TREE = Learner(
    key="tree",
    label="Decision tree",
    sentence="One tree of questions about the columns: easy to read aloud, seldom the most accurate.",
    tasks=(BINARY, MULTICLASS, REGRESSION),
    preparation="filled",
    settings=(
        DEPTH,
        MIN_LEAF,
        Setting(
            "features", "Share of the columns looked at for each split; 1 looks at all.", 1.0, "0.2 .. 1", "0.001 .. 1",
            MORE_COSTS_MORE,
        ),
        Setting(
            "trim", "Cuts branches that earn less than this after growing; 0 keeps them all.",
            0.0, "0 .. 0.02 step 0.001", "0 .. 1e6",
        ),
        BALANCE,
    ),
    build=_tree,
    missing=True,
)  # fmt: skip


def _forest(settings: Mapping[str, Any], around: Circumstances) -> Any:
    from sklearn.ensemble import RandomForestClassifier, RandomForestRegressor

    kind = RandomForestRegressor if around.task == REGRESSION else RandomForestClassifier
    return kind(n_estimators=settings["trees"], n_jobs=1, **_shared(settings, around))


def _extra(settings: Mapping[str, Any], around: Circumstances) -> Any:
    from sklearn.ensemble import ExtraTreesClassifier, ExtraTreesRegressor

    kind = ExtraTreesRegressor if around.task == REGRESSION else ExtraTreesClassifier
    return kind(n_estimators=settings["trees"], n_jobs=1, bootstrap=settings["draw_rows"], **_shared(settings, around))


def _grow(model: Any, rows: Any, target: Any, weight: Any, done: int, to: int) -> None:
    model.set_params(warm_start=True, n_estimators=to).fit(rows, target, sample_weight=weight)


def _steer(model: Any, settings: Mapping[str, Any]) -> None:
    """Trees that stand are not changed any more, and later ones are to be their like."""


TREES = Setting(
    "trees", "How many trees are averaged; more is steadier and never overfits, it only takes longer.",
    100, "40 .. 400 int log", "1 .. 100000 int", MORE_COSTS_MORE,
)  # fmt: skip
FOREST = Learner(
    key="forest",
    label="Random forest",
    sentence="Many trees grown on random shares of rows and columns, averaged: strong without much care.",
    tasks=(BINARY, MULTICLASS, REGRESSION),
    preparation="filled",
    settings=(TREES, DEPTH, MIN_LEAF, FEATURES, BALANCE),
    build=_forest,
    growth=Growth("trees", 20, _grow, _steer, parameter="n_estimators"),
    missing=True,
)  # fmt: skip
EXTRA = Learner(
    key="extra",
    label="Extra trees",
    sentence="A forest that cuts at random places: quicker than a random forest, smoother, a little less sharp.",
    tasks=(BINARY, MULTICLASS, REGRESSION),
    preparation="filled",
    settings=(
        TREES,
        DEPTH,
        MIN_LEAF,
        FEATURES,
        Setting("draw_rows", "Grows each tree on a random draw of the rows instead of all of them.", False, "yes | no", "yes | no"),
        BALANCE,
    ),
    build=_extra,
    growth=Growth("trees", 20, _grow, _steer, parameter="n_estimators"),
    missing=True,
)  # fmt: skip
