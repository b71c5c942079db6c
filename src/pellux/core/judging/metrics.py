"""The metrics: direction, what each needs, which tasks it suits, one plain sentence. The only list of them.

scikit-learn is imported when a score is computed: whoever only shows the list starts a second sooner.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pellux.core.errors import InvalidBrief
from pellux.core.judging.ranking import average_precision, roc_auc

Array = NDArray[Any]
Weight = Array | None
Compute = Callable[[Array, Array, int, Weight], float]
BINARY, MULTICLASS, REGRESSION = "binary", "multiclass", "regression"
TASKS = (BINARY, MULTICLASS, REGRESSION)
LABELS, PROBABILITIES, VALUES = "labels", "probabilities", "values"
NEEDS = (LABELS, PROBABILITIES, VALUES)


@dataclass(frozen=True)
class Metric:
    """How a fold is judged.

    Attributes
    ----------
    needs : str
        'labels', 'probabilities' or 'values': what the learner has to predict.
    judge : callable (truth, predicted, classes, weight) -> float
        `truth` holds class codes 0 .. classes-1, shape (n,), or numbers. `predicted` holds codes, shape (n,),
        or probabilities, shape (n, classes), or numbers, shape (n,). In a binary task class 1 is the positive one.
        `weight` is how much each row counts, shape (n,), or None when all count the same.
    least, most : float
        Between which ends every score lies.
    weighs : bool
        Whether it can take `weight`.
    ranks : bool
        Whether nothing but the order of each class's probabilities counts.
    """

    key: str
    larger_is_better: bool
    needs: str
    tasks: tuple[str, ...]
    sentence: str
    judge: Compute
    least: float = 0.0
    most: float = 1.0
    weighs: bool = True
    ranks: bool = False

    def compute(self, truth: Array, predicted: Array, classes: int, weight: Weight = None) -> float:
        """The score, in the metric's own direction; NaN when these rows do not determine one."""
        return self.judge(truth, predicted, classes, weight)

    @property
    def sign(self) -> int:
        """Factor that turns scores so that larger is better."""
        return 1 if self.larger_is_better else -1

    @property
    def label(self) -> str:
        return f"{self.key} {'↑' if self.larger_is_better else '↓'}"


def _score(name: str, *given: Any, weight: Weight, **options: Any) -> float:
    from sklearn import config_context, metrics

    with config_context(skip_parameter_validation=True):  # what is given is ours; checking its types costs as much as a small score
        return float(getattr(metrics, name)(*given, sample_weight=weight, **options))


def _by_sklearn(name: str, **options: Any) -> Compute:
    return lambda truth, predicted, classes, weight: _score(name, truth, predicted, weight=weight, **options)


def _where_positive(name: str, **options: Any) -> Compute:
    """Not determined when no row is positive."""
    return lambda truth, predicted, classes, weight: (
        _score(name, truth, predicted, weight=weight, zero_division=0, **options) if truth.any() else np.nan
    )


def _average_precision(truth: Array, predicted: Array, classes: int, weight: Weight) -> float:
    return average_precision(truth, predicted[:, 1], weight)


def _roc_auc(truth: Array, predicted: Array, classes: int, weight: Weight) -> float:
    if classes == 2:
        return roc_auc(truth, predicted[:, 1], weight)
    labels = np.arange(classes)
    return _score("roc_auc_score", truth, predicted, weight=weight, multi_class="ovr", average="macro", labels=labels)


def _log_loss(truth: Array, predicted: Array, classes: int, weight: Weight) -> float:
    return _score("log_loss", truth, predicted, weight=weight, labels=np.arange(classes))


def _brier(truth: Array, predicted: Array, classes: int, weight: Weight) -> float:
    if classes == 2:
        return _score("brier_score_loss", truth, predicted[:, 1], weight=weight)
    missed = ((predicted - (truth[:, None] == np.arange(classes))) ** 2).sum(axis=1)
    return float(np.average(missed, weights=weight))


def _top_two(truth: Array, predicted: Array, classes: int, weight: Weight) -> float:
    return float(np.average(among_the_first_two(truth, predicted), weights=weight))


def among_the_first_two(truth: Array, predicted: Array) -> Array:
    """Which rows' true class is among the two that seem likeliest, shape (n,); of equals the higher code goes first, as in
    scikit-learn's top_k_accuracy_score."""
    own = predicted[np.arange(len(truth)), truth]
    later = np.arange(predicted.shape[1])[None, :] > truth[:, None]
    ahead = (predicted > own[:, None]) | ((predicted == own[:, None]) & later)
    return np.asarray(ahead.sum(axis=1) < 2)


def _rmsle(truth: Array, predicted: Array, classes: int, weight: Weight) -> float:
    if truth.min() <= -1:
        return float("nan")
    return float(np.sqrt(np.average((np.log1p(truth) - np.log1p(np.maximum(predicted, 0))) ** 2, weights=weight)))


def _largest(truth: Array, predicted: Array, classes: int, weight: Weight) -> float:
    there = np.ones(len(truth), bool) if weight is None else weight > 0
    return float(np.abs(truth - predicted)[there].max())


def _spearman(truth: Array, predicted: Array, classes: int, weight: Weight) -> float:
    import scipy

    ranks = np.stack([scipy.stats.rankdata(truth), scipy.stats.rankdata(predicted)])
    spread = np.cov(ranks, aweights=weight)
    scale = np.sqrt(spread[0, 0] * spread[1, 1])
    # The same for all rows: it ranks nothing.
    return float(spread[0, 1] / scale) if scale > 0 else 0.0


_CLASSES = (BINARY, MULTICLASS)
METRICS = {
    metric.key: metric
    for metric in (
        Metric(
            "average precision", True, PROBABILITIES, (BINARY,),
            "How well the rare class is ranked above the rest; the right first choice when positives are few.",
            _average_precision, ranks=True,
        ),
        Metric(
            "ROC AUC", True, PROBABILITIES, _CLASSES,
            "The chance that a random positive is ranked above a random negative; 0.5 is guessing.", _roc_auc, ranks=True,
        ),
        Metric(
            "log loss", False, PROBABILITIES, _CLASSES,
            "Punishes confident wrong probabilities hard; choose it when the probabilities themselves are used.",
            _log_loss, most=np.inf,
        ),
        Metric(
            "Brier score", False, PROBABILITIES, _CLASSES,
            "Mean squared error of the predicted probability; rewards calibration and ranking together.", _brier, most=2.0,
        ),
        Metric(
            "top-2 accuracy", True, PROBABILITIES, (MULTICLASS,),
            "The share of rows whose class is among the two likeliest; for lists that a person looks through.", _top_two,
        ),
        Metric(
            "accuracy", True, LABELS, _CLASSES,
            "The share of rows labelled rightly; misleading when one class is rare.", _by_sklearn("accuracy_score"),
        ),
        Metric(
            "balanced accuracy", True, LABELS, _CLASSES,
            "Accuracy averaged over classes, so that a rare class counts as much as a common one.",
            _by_sklearn("balanced_accuracy_score"),
        ),
        Metric(
            "precision", True, LABELS, (BINARY,),
            "Of the rows called positive, the share that are; choose it when a false alarm is dear.",
            _where_positive("precision_score"),
        ),
        Metric(
            "recall", True, LABELS, (BINARY,),
            "Of the positive rows, the share that was found; choose it when a miss is dear.", _where_positive("recall_score"),
        ),
        Metric(
            "specificity", True, LABELS, (BINARY,),
            "Of the negative rows, the share that was left alone.",
            lambda truth, predicted, classes, weight: (
                _score("recall_score", 1 - truth, 1 - predicted, weight=weight, zero_division=0) if not truth.all() else np.nan
            ),
        ),
        Metric(
            "F1", True, LABELS, (BINARY,),
            "Harmonic mean of precision and recall of the positive class at the 0.5 threshold.", _where_positive("f1_score"),
        ),
        Metric(
            "F2", True, LABELS, (BINARY,),
            "As F1, but recall counts twice as much as precision: for when a miss is worse than a false alarm.",
            _where_positive("fbeta_score", beta=2),
        ),
        Metric(
            "macro F1", True, LABELS, _CLASSES,
            "F1 of each class, averaged with equal weight; every class matters.",
            _by_sklearn("f1_score", average="macro", zero_division=0),
        ),
        Metric(
            "weighted F1", True, LABELS, _CLASSES,
            "F1 of each class, averaged by how many rows it has; common classes matter most.",
            _by_sklearn("f1_score", average="weighted", zero_division=0),
        ),
        Metric(
            "macro precision", True, LABELS, _CLASSES,
            "Precision of each class, averaged with equal weight.",
            _by_sklearn("precision_score", average="macro", zero_division=0),
        ),
        Metric(
            "Matthews correlation", True, LABELS, _CLASSES,
            "Correlation between predicted and true labels; 0 is guessing, robust to imbalance.",
            _by_sklearn("matthews_corrcoef"), least=-1.0,
        ),
        Metric(
            "Cohen's kappa", True, LABELS, _CLASSES,
            "Agreement with the truth beyond what the class shares alone would give; 0 is guessing.",
            _by_sklearn("cohen_kappa_score"), least=-1.0,
        ),
        Metric(
            "RMSE", False, VALUES, (REGRESSION,),
            "Root mean squared error in the target's own units; large misses weigh most.",
            _by_sklearn("root_mean_squared_error"), most=np.inf,
        ),
        Metric(
            "MAE", False, VALUES, (REGRESSION,),
            "Mean absolute error in the target's own units; every unit of error weighs the same.",
            _by_sklearn("mean_absolute_error"), most=np.inf,
        ),
        Metric(
            "median absolute error", False, VALUES, (REGRESSION,),
            "The error of the typical row; ignores a few wild misses altogether.", _by_sklearn("median_absolute_error"), most=np.inf,
        ),
        Metric(
            "MAPE", False, VALUES, (REGRESSION,),
            "Mean absolute error as a share of the true value; blows up where the truth is near 0.",
            _by_sklearn("mean_absolute_percentage_error"), most=np.inf,
        ),
        Metric(
            "RMSLE", False, VALUES, (REGRESSION,),
            "Root mean squared error of log(1 + value): ratios count, not differences; predictions below 0 count as 0.",
            _rmsle, most=np.inf,
        ),
        Metric(
            "largest error", False, VALUES, (REGRESSION,), "The worst miss of all rows, in the target's own units.", _largest, most=np.inf,
        ),
        Metric(
            "pinball 0.1", False, VALUES, (REGRESSION,),
            "Rewards the value that a tenth of the truths lie below: for a careful lower estimate.",
            _by_sklearn("mean_pinball_loss", alpha=0.1), most=np.inf,
        ),
        Metric(
            "pinball 0.9", False, VALUES, (REGRESSION,),
            "Rewards the value that nine tenths of the truths lie below: for a careful upper estimate.",
            _by_sklearn("mean_pinball_loss", alpha=0.9), most=np.inf,
        ),
        Metric(
            "R2", True, VALUES, (REGRESSION,),
            "Share of the target's variance explained; 0 is the mean, 1 is perfect.", _by_sklearn("r2_score"), least=-np.inf,
        ),
        Metric(
            "explained variance", True, VALUES, (REGRESSION,),
            "As R2, but a constant offset of all predictions is forgiven.",
            _by_sklearn("explained_variance_score"), least=-np.inf,
        ),
        Metric(
            "Spearman correlation", True, VALUES, (REGRESSION,),
            "How well the order of the predictions matches the order of the truths; their size does not matter.",
            _spearman, least=-1.0,
        ),
    )
}  # fmt: skip


@dataclass(frozen=True)
class Metrics:
    """Every metric there is for somebody: ours, and `own` ones by their keys. Passed to whoever looks one up."""

    own: Mapping[str, Metric] = field(default_factory=dict)

    def every(self) -> list[Metric]:
        return [*METRICS.values(), *self.own.values()]

    def get(self, key: str) -> Metric:
        """The metric; InvalidBrief when there is none."""
        found = METRICS.get(key) or self.own.get(key)
        if found is None:
            raise InvalidBrief(f"Metric '{key}' is unknown. Allowed: {', '.join([*METRICS, *self.own])}.", at="metric")
        return found

    def of_task(self, task: str) -> list[Metric]:
        return [m for m in self.every() if task in m.tasks]

    def beside(self, task: str, named: Collection[str]) -> list[Metric]:
        """Ours of a task, and of the own ones those that are named: one made for another problem means nothing here."""
        return [m for m in self.of_task(task) if m.key in METRICS or m.key in named]

    def suiting(self, key: str, task: str, *, at: str = "metric") -> Metric:
        """The metric, or InvalidBrief when it cannot judge this task."""
        found = self.get(key)
        if task not in found.tasks:
            allowed = ", ".join(m.key for m in self.of_task(task))
            raise InvalidBrief(f"{key} does not suit a {task} target. Choose one of: {allowed}.", at=at)
        return found


OURS = Metrics()


def default_metric(task: str, rarest_share: float = 0.5) -> str:
    """The metric offered first: average precision when the positive class is rare, otherwise the task's all-rounder."""
    if task == REGRESSION:
        return "RMSE"
    if task == MULTICLASS:
        return "macro F1"
    return "average precision" if rarest_share < 0.25 else "ROC AUC"
