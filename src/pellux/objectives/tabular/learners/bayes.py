"""Naive Bayes: each column speaks for itself."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pellux.core.judging import BINARY, MULTICLASS
from pellux.objectives.tabular.learners.settings import Circumstances, Learner, Setting


def _bayes(settings: Mapping[str, Any], around: Circumstances) -> Any:
    from sklearn.naive_bayes import GaussianNB

    return GaussianNB(var_smoothing=settings["smoothing"])


BAYES = Learner(
    key="bayes",
    label="Naive Bayes",
    sentence="Takes every column as a bell curve of its own in each class: done at once, over-sure where columns repeat each other.",
    tasks=(BINARY, MULTICLASS),
    preparation="filled",
    settings=(
        Setting(
            "smoothing", "Widens all bell curves by this share of the widest; steadies columns that hardly vary.",
            1e-9, "1e-10 .. 0.1 log", "0 .. 1e3",
        ),
    ),
    build=_bayes,
)  # fmt: skip
