"""What predictions look like beside the truth: curves, tables and bins, thinned to what a screen can show."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

Array = NDArray[Any]
POINTS = 200
BINS = 10
DOTS = 800


@dataclass(frozen=True)
class Cuts:
    """How rows fall at each threshold, from none called positive to all of them, shape (thresholds,) each.

    At `threshold[i]` rows with a score of at least it are called positive; the first threshold is infinite.
    """

    threshold: Array
    hits: Array
    false_alarms: Array
    positives: int
    negatives: int

    @staticmethod
    def of(positive: Array, score: Array) -> Cuts:
        order = np.argsort(-score, kind="stable")
        ranked, found = score[order], positive[order].astype(bool)
        last = np.flatnonzero(np.r_[ranked[1:] != ranked[:-1], True])
        hits, alarms = np.cumsum(found)[last], np.cumsum(~found)[last]
        return Cuts(
            np.r_[np.inf, ranked[last]], np.r_[0, hits], np.r_[0, alarms], int(found.sum()), int((~found).sum())
        )  # fmt: skip

    @property
    def recall(self) -> Array:
        return self.hits / max(self.positives, 1)

    @property
    def false_alarm_rate(self) -> Array:
        return self.false_alarms / max(self.negatives, 1)

    @property
    def precision(self) -> Array:
        """1 where nothing is called positive: the curve's usual end."""
        called = self.hits + self.false_alarms
        return np.where(called > 0, self.hits / np.maximum(called, 1), 1.0)

    def thinned(self, points: int = POINTS) -> Cuts:
        """At most `points` of the thresholds, ends included, even along the curve from (0, 0) to (1, 1)."""
        if len(self.threshold) <= points:
            return self
        way = self.recall + self.false_alarm_rate
        keep = np.unique(np.r_[0, np.searchsorted(way, np.linspace(0, way[-1], points - 1)).clip(0, len(way) - 1), len(way) - 1])
        return Cuts(self.threshold[keep], self.hits[keep], self.false_alarms[keep], self.positives, self.negatives)


def confusion(truth: Array, said: Array, classes: int) -> Array:
    """Rows by true class (first axis) and predicted class, shape (classes, classes)."""
    found = np.zeros((classes, classes), dtype=np.int64)
    np.add.at(found, (truth, said), 1)
    return found


@dataclass(frozen=True)
class ClassLine:
    """One class in the per-class table; a ratio without rows to rest on is None."""

    rows: int
    precision: float | None
    recall: float | None
    f1: float | None


def per_class(matrix: Array) -> list[ClassLine]:
    """Precision, recall and F1 of each class from a confusion matrix, shape (classes, classes): rows are the truth, columns what was said."""
    lines = []
    for code in range(len(matrix)):
        right, true, said = int(matrix[code, code]), int(matrix[code].sum()), int(matrix[:, code].sum())
        lines.append(ClassLine(true, _ratio(right, said), _ratio(right, true), _ratio(2 * right, true + said)))
    return lines


def _ratio(part: int, whole: int) -> float | None:
    return part / whole if whole else None


@dataclass(frozen=True)
class CalibrationBin:
    """Rows with similar predicted probability: what was said on average, and how often it came true."""

    said: float
    came: float
    rows: int


def calibration(positive: Array, score: Array, bins: int = BINS) -> list[CalibrationBin]:
    """Bins of equally many rows; equal probabilities stay in one bin."""
    edges = np.unique(np.quantile(score, np.linspace(0, 1, bins + 1)))
    place = np.clip(np.searchsorted(edges, score, side="left") - 1, 0, max(len(edges) - 2, 0))
    return [
        CalibrationBin(float(score[place == b].mean()), float(positive[place == b].mean()), int((place == b).sum()))
        for b in np.unique(place)
    ]


def most_confused(matrix: Array, pairs: int = 12) -> list[tuple[int, int, int]]:
    """The largest off-diagonal cells as (true class, predicted class, rows), most rows first."""
    wrong = matrix.copy()
    np.fill_diagonal(wrong, 0)
    flat = np.argsort(-wrong, axis=None, kind="stable")[:pairs]
    found = [(int(i), int(j), int(wrong[i, j])) for i, j in zip(*np.unravel_index(flat, wrong.shape), strict=True)]
    return [cell for cell in found if cell[2] > 0]


def spread_of(values: Array) -> list[float]:
    """The 5, 25, 50, 75 and 95 % quantiles."""
    return [float(q) for q in np.quantile(values, (0.05, 0.25, 0.5, 0.75, 0.95))]


def some_rows(count: int, most: int = DOTS) -> Sequence[int]:
    """Evenly spread row places, at most `most`: dots enough for a picture."""
    return [int(i) for i in np.unique(np.linspace(0, count - 1, min(count, most)).round())]
