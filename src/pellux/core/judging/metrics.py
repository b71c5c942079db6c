"""The metrics: direction, what each needs, which tasks it suits, one plain sentence. The only list of them.

scikit-learn is imported when a score is computed: whoever only shows the list starts a second sooner.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pellux.core.errors import InvalidBrief

Array = NDArray[Any]
BINARY, MULTICLASS, REGRESSION = "binary", "multiclass", "regression"
TASKS = (BINARY, MULTICLASS, REGRESSION)


@dataclass(frozen=True)
class Metric:
    """How a fold is judged.

    Attributes
    ----------
    needs : str
        'labels', 'probabilities' or 'values': what the learner has to predict.
    compute : callable (truth, predicted, classes) -> float
        `truth` holds class codes 0 .. classes-1, shape (n,), or numbers. `predicted` holds codes, shape (n,),
        or probabilities, shape (n, classes), or numbers, shape (n,). In a binary task class 1 is the positive one.
    least, most : float
        Between which ends every score lies.
    """

    key: str
    larger_is_better: bool
    needs: str
    tasks: tuple[str, ...]
    sentence: str
    compute: Callable[[Array, Array, int], float]
    least: float = 0.0
    most: float = 1.0

    @property
    def sign(self) -> int:
        """Factor that turns scores so that larger is better."""
        return 1 if self.larger_is_better else -1

    @property
    def label(self) -> str:
        return f"{self.key} {'↑' if self.larger_is_better else '↓'}"


def _score(name: str, *given: Any, **options: Any) -> float:
    from sklearn import metrics

    return float(getattr(metrics, name)(*given, **options))


def _average_precision(truth: Array, predicted: Array, classes: int) -> float:
    return _score("average_precision_score", truth, predicted[:, 1]) if truth.any() else np.nan


def _roc_auc(truth: Array, predicted: Array, classes: int) -> float:
    if classes == 2:
        return _score("roc_auc_score", truth, predicted[:, 1])
    return _score("roc_auc_score", truth, predicted, multi_class="ovr", average="macro", labels=np.arange(classes))


def _log_loss(truth: Array, predicted: Array, classes: int) -> float:
    return _score("log_loss", truth, predicted, labels=np.arange(classes))


def _brier(truth: Array, predicted: Array, classes: int) -> float:
    return _score("brier_score_loss", truth, predicted[:, 1])


def _f1(truth: Array, predicted: Array, classes: int) -> float:
    return _score("f1_score", truth, predicted, zero_division=0) if truth.any() else np.nan


def _macro_f1(truth: Array, predicted: Array, classes: int) -> float:
    return _score("f1_score", truth, predicted, average="macro", zero_division=0)


def _simple(name: str) -> Callable[[Array, Array, int], float]:
    return lambda truth, predicted, classes: _score(name, truth, predicted)


_CLASSES = (BINARY, MULTICLASS)
METRICS = {
    metric.key: metric
    for metric in (
        Metric(
            "average precision", True, "probabilities", (BINARY,),
            "How well the rare class is ranked above the rest; the right first choice when positives are few.",
            _average_precision,
        ),
        Metric(
            "ROC AUC", True, "probabilities", _CLASSES,
            "The chance that a random positive is ranked above a random negative; 0.5 is guessing.", _roc_auc,
        ),
        Metric(
            "log loss", False, "probabilities", _CLASSES,
            "Punishes confident wrong probabilities hard; choose it when the probabilities themselves are used.",
            _log_loss, most=np.inf,
        ),
        Metric(
            "Brier score", False, "probabilities", (BINARY,),
            "Mean squared error of the predicted probability; rewards calibration and ranking together.", _brier,
        ),
        Metric(
            "accuracy", True, "labels", _CLASSES,
            "The share of rows labelled rightly; misleading when one class is rare.", _simple("accuracy_score"),
        ),
        Metric(
            "balanced accuracy", True, "labels", _CLASSES,
            "Accuracy averaged over classes, so that a rare class counts as much as a common one.",
            _simple("balanced_accuracy_score"),
        ),
        Metric(
            "F1", True, "labels", (BINARY,),
            "Harmonic mean of precision and recall of the positive class at the 0.5 threshold.", _f1,
        ),
        Metric(
            "macro F1", True, "labels", _CLASSES,
            "F1 of each class, averaged with equal weight; every class matters.", _macro_f1,
        ),
        Metric(
            "Matthews correlation", True, "labels", _CLASSES,
            "Correlation between predicted and true labels; 0 is guessing, robust to imbalance.",
            _simple("matthews_corrcoef"), least=-1.0,
        ),
        Metric(
            "RMSE", False, "values", (REGRESSION,),
            "Root mean squared error in the target's own units; large misses weigh most.",
            _simple("root_mean_squared_error"), most=np.inf,
        ),
        Metric(
            "MAE", False, "values", (REGRESSION,),
            "Mean absolute error in the target's own units; every unit of error weighs the same.",
            _simple("mean_absolute_error"), most=np.inf,
        ),
        Metric(
            "median absolute error", False, "values", (REGRESSION,),
            "The error of the typical row; ignores a few wild misses altogether.", _simple("median_absolute_error"), most=np.inf,
        ),
        Metric(
            "R2", True, "values", (REGRESSION,),
            "Share of the target's variance explained; 0 is the mean, 1 is perfect.", _simple("r2_score"), least=-np.inf,
        ),
    )
}  # fmt: skip


def metric(key: str) -> Metric:
    if key not in METRICS:
        raise InvalidBrief(f"Metric '{key}' is unknown. Allowed: {', '.join(METRICS)}.", at="metric")
    return METRICS[key]


def metrics_for(task: str) -> list[Metric]:
    return [m for m in METRICS.values() if task in m.tasks]


def check_suits(key: str, task: str) -> Metric:
    """The metric, or InvalidBrief when it cannot judge this task."""
    found = metric(key)
    if task not in found.tasks:
        allowed = ", ".join(m.key for m in metrics_for(task))
        raise InvalidBrief(f"{key} does not suit a {task} target. Choose one of: {allowed}.", at="metric")
    return found


def default_metric(task: str, rarest_share: float = 0.5) -> str:
    """The metric offered first: average precision when the positive class is rare, otherwise the task's all-rounder."""
    if task == REGRESSION:
        return "RMSE"
    if task == MULTICLASS:
        return "macro F1"
    return "average precision" if rarest_share < 0.25 else "ROC AUC"
