"""Nearest neighbours: the answer of the rows that are most alike."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pellux.core.judging import BINARY, MULTICLASS, REGRESSION
from pellux.objectives.tabular.learners.settings import MORE_COSTS_MORE, Circumstances, Learner, Setting


def _neighbours(settings: Mapping[str, Any], around: Circumstances) -> Any:
    from sklearn.neighbors import KNeighborsClassifier, KNeighborsRegressor

    kind = KNeighborsRegressor if around.task == REGRESSION else KNeighborsClassifier
    return kind(
        n_neighbors=settings["neighbours"],
        weights="distance" if settings["nearer_counts"] else "uniform",
        p=float(settings["power"]),
        n_jobs=1,
    )


NEIGHBOURS = Learner(
    key="neighbours",
    label="Nearest neighbours",
    sentence="Answers as the most similar rows did: no training, slow to predict, needs columns of one size.",
    tasks=(BINARY, MULTICLASS, REGRESSION),
    preparation="scaled",
    settings=(
        Setting(
            "neighbours", "How many similar rows are asked; more give smoother answers.",
            15, "3 .. 60 int log", "1 .. 100000 int", MORE_COSTS_MORE,
        ),
        Setting("nearer_counts", "Lets nearer rows count for more.", True, "yes | no", "yes | no"),
        Setting(
            "power", "How distance is measured: 1 adds up the differences of all columns, 2 is the straight line.",
            2.0, "1 .. 2", "1 .. 10",
        ),
    ),
    build=_neighbours,
    weights=False,
)  # fmt: skip
