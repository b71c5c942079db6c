"""A metric under many weightings of the same rows at once: what resampling needs, without scoring row lists one by one.

Weights are whole numbers: a row with weight 2 counts as two rows, one with 0 is not there. For every metric of the
registry the result equals that of the metric on the repeated rows; a metric without a form here is computed just so.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pellux.core.judging.metrics import Metric, among_the_first_two

Array = NDArray[Any]
FEW_CLASSES = 6  # up to here a dense product is faster than a sparse one
Weighted = Callable[[Array, Array, int, Array], Array]


def weighted_scores(
    metric: Metric, truth: Array, predicted: Array, classes: int, weights: Array, group: Array, counts: Array | None = None
) -> Array:
    """Scores of one set of predictions, by group of rows, under every weighting.

    Parameters
    ----------
    truth, predicted : ndarray
        As in `Metric.compute`: n rows.
    weights : ndarray, shape (n, weightings)
    group : ndarray of int, shape (n,)
        0, 1, … in ascending order, none left out: rows that are scored together, such as a fold.
    counts : ndarray, shape (n,), or None
        How much each row counts besides: the weights of the data. They need not be whole numbers.

    Returns
    -------
    ndarray, shape (groups, weightings)
        NaN where the rows that are left do not determine a score.
    """
    with np.errstate(divide="ignore", invalid="ignore"):
        if metric.key in RANK_FORMS:
            if counts is not None:
                weights = weights * counts[:, None].astype(weights.dtype)
            return np.asarray(RANK_FORMS[metric.key](truth, predicted, classes, weights, group), dtype=float)
        ends = np.searchsorted(group, np.arange(int(group[-1]) + 2))
        parts = [slice(begin, end) for begin, end in pairwise(ends)]
        of = [None if counts is None else counts[p] for p in parts]
        return np.array([_of_group(metric, truth[p], predicted[p], classes, weights[p], c) for p, c in zip(parts, of, strict=True)])


def _of_group(metric: Metric, truth: Array, predicted: Array, classes: int, weights: Array, counts: Array | None) -> Array:
    form = FORMS.get(metric.key)
    if form is not None and (counts is None or metric.key not in WHOLE_ONLY):
        given = weights if counts is None else weights * counts[:, None].astype(weights.dtype)
        return np.asarray(form(truth, predicted, classes, given), dtype=float)
    times = weights.astype(int)
    return np.array([_repeated(metric, truth, predicted, classes, times[:, i], counts) for i in range(times.shape[1])])


def _repeated(metric: Metric, truth: Array, predicted: Array, classes: int, times: Array, counts: Array | None) -> float:
    rows = np.repeat(np.arange(len(truth)), times)
    if not len(rows):
        return np.nan
    return metric.compute(truth[rows], predicted[rows], classes, None if counts is None else counts[rows])


# Means over rows


def _mean(losses: Array, weights: Array) -> Array:
    both = np.stack([losses, np.ones_like(losses)]).astype(weights.dtype) @ weights
    return np.asarray(both[0] / both[1])


def _log_loss(truth: Array, predicted: Array, classes: int, weights: Array) -> Array:
    tiny = np.finfo(float).eps
    chosen = np.clip(predicted[np.arange(len(truth)), truth].astype(float), tiny, 1 - tiny)
    return _mean(-np.log(chosen), weights)


def _brier(truth: Array, predicted: Array, classes: int, weights: Array) -> Array:
    if classes == 2:
        return _mean((predicted[:, 1] - truth) ** 2, weights)
    return _mean(((predicted - (truth[:, None] == np.arange(classes))) ** 2).sum(axis=1), weights)


def _top_two(truth: Array, predicted: Array, classes: int, weights: Array) -> Array:
    return _mean(among_the_first_two(truth, predicted).astype(float), weights)


def _rmse(truth: Array, predicted: Array, classes: int, weights: Array) -> Array:
    return np.sqrt(_mean((truth - predicted) ** 2, weights))


def _mae(truth: Array, predicted: Array, classes: int, weights: Array) -> Array:
    return _mean(np.abs(truth - predicted), weights)


def _r2(truth: Array, predicted: Array, classes: int, weights: Array) -> Array:
    weights = weights.astype(float)
    shifted = truth - truth.mean()  # for the digits: a large offset would swallow the variance
    spread = _mean(shifted**2, weights) - _mean(shifted, weights) ** 2
    return np.asarray(1 - _mean((truth - predicted) ** 2, weights) / np.where(spread > 0, spread, np.nan))


def _mape(truth: Array, predicted: Array, classes: int, weights: Array) -> Array:
    return _mean(np.abs(truth - predicted) / np.maximum(np.abs(truth), np.finfo(float).eps), weights)


def _rmsle(truth: Array, predicted: Array, classes: int, weights: Array) -> Array:
    return np.sqrt(_mean((np.log1p(truth) - np.log1p(np.maximum(predicted, 0))) ** 2, weights))


def _pinball(alpha: float) -> Weighted:
    def form(truth: Array, predicted: Array, classes: int, weights: Array) -> Array:
        missed = truth - predicted
        return _mean(np.maximum(alpha * missed, (alpha - 1) * missed), weights)

    return form


def _explained(truth: Array, predicted: Array, classes: int, weights: Array) -> Array:
    weights = weights.astype(float)
    shifted, missed = truth - truth.mean(), truth - predicted
    missed = missed - missed.mean()
    spread = _mean(shifted**2, weights) - _mean(shifted, weights) ** 2
    left = _mean(missed**2, weights) - _mean(missed, weights) ** 2
    return np.asarray(1 - left / np.where(spread > 0, spread, np.nan))


def _largest(truth: Array, predicted: Array, classes: int, weights: Array) -> Array:
    found = np.where(weights > 0, np.abs(truth - predicted)[:, None], -1.0).max(axis=0)
    return np.where(found >= 0, found, np.nan)


def _median_error(truth: Array, predicted: Array, classes: int, weights: Array) -> Array:
    losses = np.abs(truth - predicted)
    order = np.argsort(losses, kind="stable")
    reached = np.cumsum(weights[order], axis=0)
    total = reached[-1]
    lower = np.argmax(reached >= np.floor((total + 1) / 2), axis=0)
    upper = np.argmax(reached >= np.floor(total / 2) + 1, axis=0)
    found = (losses[order][lower] + losses[order][upper]) / 2
    return np.where(total > 0, found, np.nan)


# Ranks


def _totals(place: Array, places: int, weights: Array, counted: Array | None = None) -> Array:
    """Weights summed by place, shape (places, weightings); `place` gives one a row, `counted` which rows matter."""
    from scipy import sparse

    entry = np.ones(len(place), dtype=weights.dtype) if counted is None else counted.astype(weights.dtype)
    where = sparse.csc_array((entry, place.astype(np.int32), np.arange(len(place) + 1, dtype=np.int32)), shape=(places, len(place)))
    return np.asarray(where @ weights)


@dataclass(frozen=True)
class _Steps:
    """Within each group the distinct scores of the positive rows, best first, and a last step below all of them.

    Between the steps nothing changes that rank metrics look at. The steps of all groups stand one below the other.

    Attributes
    ----------
    positive : ndarray, shape (steps, weightings)
        Positive weight at each step.
    others : ndarray, shape (steps, weightings)
        Weight of the other rows that reach this step and no earlier one.
    level : ndarray, shape (steps, weightings), or None
        The part of `others` whose score equals the step's; None when there are no such rows.
    first : ndarray, shape (groups,)
        Each group's first step.
    """

    positive: Array
    others: Array
    level: Array | None
    first: Array

    @staticmethod
    def of(positive: Array, score: Array, weights: Array, group: Array) -> _Steps:
        groups = int(group[-1]) + 1
        # One number a row that sorts by group, then by score from best to worst.
        _, rank = np.unique(-score, return_inverse=True)
        width = int(rank.max()) + 2
        key = group * width + rank
        ends = np.arange(1, groups + 1) * width - 1
        steps, place = np.unique(np.r_[key[positive], ends], return_inverse=True)
        # Picking the other rows out of the weights would cost more than passing over the positive ones with a zero.
        reached = np.searchsorted(steps, key)
        level = (steps[reached] == key) & ~positive
        return _Steps(
            _totals(place[: len(place) - groups], len(steps), weights[positive]),
            _totals(reached, len(steps), weights, ~positive),
            _totals(reached, len(steps), weights, level) if level.any() else None,
            np.r_[0, np.searchsorted(steps, ends[:-1]) + 1],
        )

    def cumulated(self, counts: Array) -> Array:
        """Running sums of `counts`, which begin anew in every group."""
        total = np.cumsum(counts, axis=0)
        before = np.concatenate([np.zeros_like(total[:1]), total[self.first[1:] - 1]])
        sizes = np.diff(np.r_[self.first, len(counts)])
        return np.asarray(total - np.repeat(before, sizes, axis=0))

    def summed(self, counts: Array) -> Array:
        """Sums by group, shape (groups, weightings)."""
        return np.asarray(np.add.reduceat(counts, self.first, axis=0))


def _average_precision(truth: Array, predicted: Array, classes: int, weights: Array, group: Array) -> Array:
    steps = _Steps.of(truth == 1, predicted[:, 1], weights, group)
    found = steps.cumulated(steps.positive)
    looked = found + steps.cumulated(steps.others)
    looked = np.where(looked > 0, looked, 1)  # where nothing was looked at, nothing was found
    return np.asarray(steps.summed(steps.positive * found / looked) / steps.summed(steps.positive))


def _area(positive: Array, score: Array, weights: Array, group: Array) -> Array:
    """Area under the ROC curve; ties count half. Steps along the rarer class, the other way round if need be."""
    if positive.sum() > len(positive) / 2:
        positive, score = ~positive, -score
    steps = _Steps.of(positive, score, weights, group)
    above = steps.cumulated(steps.others)
    if steps.level is not None:
        above -= steps.level / 2
    total = steps.summed(steps.positive).astype(float) * steps.summed(steps.others)
    return np.asarray(1 - steps.summed(steps.positive * above) / total)


def _roc_auc(truth: Array, predicted: Array, classes: int, weights: Array, group: Array) -> Array:
    if classes == 2:
        return _area(truth == 1, predicted[:, 1], weights, group)
    return np.asarray(np.mean([_area(truth == c, predicted[:, c], weights, group) for c in range(classes)], axis=0))


# Labels


@dataclass(frozen=True)
class _Counts:
    """Weights by class, shape (classes, weightings): rows labelled rightly, rows of the class, rows said to be of it."""

    right: Array
    true: Array
    said: Array

    @staticmethod
    def of(truth: Array, predicted: Array, classes: int, weights: Array) -> _Counts:
        right = truth == predicted
        if classes > FEW_CLASSES:
            by_right = _totals(truth[right], classes, weights[right])
            return _Counts(by_right, _totals(truth, classes, weights), _totals(predicted, classes, weights))
        codes = np.arange(classes)[:, None]
        members = np.concatenate([(truth == codes) & right, truth == codes, predicted == codes])
        return _Counts(*np.split(members.astype(weights.dtype) @ weights, 3))


def _accuracy(truth: Array, predicted: Array, classes: int, weights: Array) -> Array:
    return _mean((truth == predicted).astype(float), weights)


def _balanced_accuracy(truth: Array, predicted: Array, classes: int, weights: Array) -> Array:
    counts = _Counts.of(truth, predicted, classes, weights)
    there = counts.true > 0
    recall = np.where(there, counts.right / np.where(there, counts.true, 1), 0)
    return np.asarray(recall.sum(axis=0) / there.sum(axis=0))


def _f1_by_class(counts: _Counts) -> tuple[Array, Array]:
    there = counts.true + counts.said > 0
    return np.where(there, 2 * counts.right / np.where(there, counts.true + counts.said, 1), 0), there


def _f1(truth: Array, predicted: Array, classes: int, weights: Array) -> Array:
    counts = _Counts.of(truth, predicted, classes, weights)
    return np.where(counts.true[1] > 0, _f1_by_class(counts)[0][1], np.nan)


def _macro_f1(truth: Array, predicted: Array, classes: int, weights: Array) -> Array:
    each, there = _f1_by_class(_Counts.of(truth, predicted, classes, weights))
    return np.asarray(each.sum(axis=0) / there.sum(axis=0))


def _matthews(truth: Array, predicted: Array, classes: int, weights: Array) -> Array:
    """Gorodkin 2004, for any number of classes."""
    counts = _Counts.of(truth, predicted, classes, weights)
    total = counts.true.sum(axis=0)
    shared = counts.right.sum(axis=0) * total - (counts.true * counts.said).sum(axis=0)
    spread = (total**2 - (counts.said**2).sum(axis=0)) * (total**2 - (counts.true**2).sum(axis=0))
    return np.where(spread > 0, shared / np.sqrt(np.where(spread > 0, spread, 1)), 0.0)


def _precision(truth: Array, predicted: Array, classes: int, weights: Array) -> Array:
    counts = _Counts.of(truth, predicted, classes, weights)
    found = np.where(counts.said[1] > 0, counts.right[1] / np.where(counts.said[1] > 0, counts.said[1], 1), 0)
    return np.where(counts.true[1] > 0, found, np.nan)


def _recall(of: int) -> Weighted:
    def form(truth: Array, predicted: Array, classes: int, weights: Array) -> Array:
        counts = _Counts.of(truth, predicted, classes, weights)
        return np.asarray(counts.right[of] / np.where(counts.true[of] > 0, counts.true[of], np.nan))

    return form


def _f2(truth: Array, predicted: Array, classes: int, weights: Array) -> Array:
    counts = _Counts.of(truth, predicted, classes, weights)
    return np.asarray(5 * counts.right[1] / np.where(counts.true[1] > 0, 4 * counts.true[1] + counts.said[1], np.nan))


def _weighted_f1(truth: Array, predicted: Array, classes: int, weights: Array) -> Array:
    counts = _Counts.of(truth, predicted, classes, weights)
    return np.asarray((_f1_by_class(counts)[0] * counts.true).sum(axis=0) / counts.true.sum(axis=0))


def _macro_precision(truth: Array, predicted: Array, classes: int, weights: Array) -> Array:
    counts = _Counts.of(truth, predicted, classes, weights)
    there = counts.true + counts.said > 0
    each = np.where(counts.said > 0, counts.right / np.where(counts.said > 0, counts.said, 1), 0)
    return np.asarray(np.where(there, each, 0).sum(axis=0) / there.sum(axis=0))


def _kappa(truth: Array, predicted: Array, classes: int, weights: Array) -> Array:
    counts = _Counts.of(truth, predicted, classes, weights.astype(float))
    total = counts.true.sum(axis=0)
    agreed, by_chance = counts.right.sum(axis=0) / total, (counts.true * counts.said).sum(axis=0) / total**2
    return np.asarray((agreed - by_chance) / np.where(by_chance < 1, 1 - by_chance, np.nan))


WHOLE_ONLY = ("median absolute error",)  # its form knows only whole weights
FORMS: dict[str, Weighted] = {
    "top-2 accuracy": _top_two,
    "precision": _precision,
    "recall": _recall(1),
    "specificity": _recall(0),
    "F2": _f2,
    "weighted F1": _weighted_f1,
    "macro precision": _macro_precision,
    "Cohen's kappa": _kappa,
    "MAPE": _mape,
    "RMSLE": _rmsle,
    "pinball 0.1": _pinball(0.1),
    "pinball 0.9": _pinball(0.9),
    "explained variance": _explained,
    "largest error": _largest,
    "log loss": _log_loss,
    "Brier score": _brier,
    "accuracy": _accuracy,
    "balanced accuracy": _balanced_accuracy,
    "F1": _f1,
    "macro F1": _macro_f1,
    "Matthews correlation": _matthews,
    "RMSE": _rmse,
    "MAE": _mae,
    "median absolute error": _median_error,
    "R2": _r2,
}
RANK_FORMS: dict[str, Callable[[Array, Array, int, Array, Array], Array]] = {
    "average precision": _average_precision,
    "ROC AUC": _roc_auc,
}
