"""The rows of a problem of own code, as its predictions tell of them: their truth, their folds, and a metric to judge by."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pellux.core.errors import Conflict
from pellux.core.judging import OURS, REGRESSION, Brief, Folds, Metric, SplitPlan
from pellux.core.judging.predictions import truth_in
from pellux.objectives.code.brief import CodeBrief
from pellux.objectives.code.predictions import Truth


@dataclass(frozen=True)
class CodeGround:
    """What `Ground` is for tables, as far as predictions are judged.

    Attributes
    ----------
    brief : Brief
        A made-up one: task, classes, and the metric of ours that the code's score is called like, or the task's usual one.
    folds : Folds
    target : ndarray, shape (rows,)
        Class codes or numbers.
    truths : mapping of fold to bytes
        What predictions have to bring along to be of these rows.
    named : bool
        Whether the code's score is called like a metric of ours.
    """

    brief: Brief
    folds: Folds
    target: NDArray[Any]
    truths: Mapping[int, bytes]
    named: bool

    @property
    def assigned(self) -> NDArray[np.int16]:
        return self.folds.first

    def weight_of(self, rows: NDArray[np.bool_] | NDArray[np.intp]) -> NDArray[np.float64] | None:
        return None

    def matching(self, parts: Mapping[int, bytes]) -> Mapping[int, bytes]:
        """A trial's predictions, if they are of the very same rows; none otherwise."""
        same = parts.keys() == self.truths.keys() and all(truth_in(part) == self.truths[fold] for fold, part in parts.items())
        return parts if same else {}


def ground_from(brief: CodeBrief, parts: Mapping[int, bytes]) -> CodeGround:
    """From the predictions of one trial on all folds; Conflict where they do not fit together."""
    truths = {fold: truth for fold, part in sorted(parts.items()) if (truth := truth_in(part)) is not None}
    if len(truths) < brief.folds or brief.folds < 2:
        raise Conflict("There are no predictions of all folds, of which there have to be two at the least.")
    told = [Truth.from_bytes(content) for content in truths.values()]
    if len({(one.task, one.classes) for one in told}) > 1:
        raise Conflict("The folds' predictions are not of the same classes.")
    task, classes = told[0].task, told[0].classes
    target = np.concatenate([one.truth for one in told])
    fold = np.concatenate([np.full(len(one.truth), number) for number, one in zip(truths, told, strict=True)])
    metric = our_metric(brief.metric, task)
    usual = next(m.key for m in OURS.of_task(task) if m.needs != "probabilities")
    made_up = Brief(
        data="", target="truth", features=("row",), task=task, classes=classes, metric=metric.key if metric else usual,
        split=SplitPlan("shuffled", brief.folds, 0.0, brief.seed), seed=brief.seed,
    )  # fmt: skip
    kind = target if task == REGRESSION else target.astype(np.int64)
    return CodeGround(made_up, Folds(fold.astype(np.int16)[None], None, brief.folds), kind, truths, metric is not None)


def our_metric(name: str, task: str) -> Metric | None:
    """The metric of ours that a score is called like, whatever its spelling: 'val_log_loss' is log loss."""

    def bare(text: str) -> str:
        return re.sub(r"^(val|valid|validation|test|eval|dev)", "", re.sub(r"[^a-z0-9]", "", text.lower()))

    return next((metric for metric in OURS.of_task(task) if bare(metric.key) == bare(name)), None)
