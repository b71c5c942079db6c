"""One fit: learn from a fold's training rows, judge on its test rows."""

from __future__ import annotations

import pickle
import warnings
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pellux.core.judging import REGRESSION, Brief
from pellux.core.judging.metrics import Metric
from pellux.core.judging.predictions import as_needed, encode
from pellux.objectives.tabular.fold_data import FALSE_ALARM, PreparedFold
from pellux.objectives.tabular.learners.building import estimator
from pellux.objectives.tabular.learners.settings import Circumstances, Learner


@dataclass(frozen=True)
class Fitted:
    """The outcome of a fit. `seconds` covers learning and predicting; `predictions` are of the test rows, encoded."""

    score: float
    seconds: float
    predict_seconds: float
    warnings: tuple[str, ...]
    predictions: bytes
    model: Any
    recorded: Mapping[str, float] = field(default_factory=dict)


def fit_fold(fold: PreparedFold, learner: Learner, settings: Mapping[str, Any], brief: Brief, clock: Callable[[], float]) -> Fitted:
    """Fit and score one configuration on one fold; `clock` gives seconds. `recorded` holds the other metrics' scores."""
    around = Circumstances(brief.task, brief.seed, fold.category_columns)
    model = estimator(learner, settings, around)
    with warnings.catch_warnings(record=True) as caught:
        warnings.simplefilter("always")
        warnings.filterwarnings("ignore", message=FALSE_ALARM)
        begun = clock()
        learn(model, fold)
        learnt = clock()
        predicted = predict(model, fold.test, brief)
        judged = clock()
        given = Given(model, fold, predicted, brief)
        score = given.own_score(brief.judged_by, predicted)
        recorded = other_scores(given)
        kept = kept_predictions(given)
    seen = tuple(dict.fromkeys(f"{w.category.__name__}: {w.message}" for w in caught))
    return Fitted(score, judged - begun, judged - learnt, seen, kept, model, recorded)


def learn(model: Any, fold: PreparedFold) -> None:
    if fold.train_weight is None:
        model.fit(fold.train, fold.train_target)
    else:
        model.fit(fold.train, fold.train_target, sample_weight=fold.train_weight)


FAITHFUL = 1e-7  # how far a score from kept predictions may be off


@dataclass
class Given:
    """What a model predicts for a fold's test rows, in the forms that metrics need: as it was, never as it is kept.

    `predicted` is what the deciding metric needs.
    """

    model: Any
    fold: PreparedFold
    predicted: NDArray[Any]
    brief: Brief
    known: dict[str, float] = field(default_factory=dict)  # scores of what was predicted, by metric

    @cached_property
    def probabilities(self) -> NDArray[Any] | None:
        """Of every class, whatever the deciding metric needs; None of a model that has none."""
        if self.predicted.ndim == 2 or not hasattr(self.model, "predict_proba"):
            return as_needed(self.predicted, "probabilities")
        return probabilities(self.model, self.fold.test, len(self.brief.classes))

    def as_needed(self, needs: str) -> NDArray[Any] | None:
        return self.probabilities if needs == "probabilities" else as_needed(self.predicted, needs)

    def score(self, metric: Metric, given: NDArray[Any]) -> float:
        return float(metric.compute(self.fold.test_target, given, len(self.brief.classes), self.fold.test_weight))

    def own_score(self, metric: Metric, predicted: NDArray[Any]) -> float:
        """Of what was predicted, in the form that the metric needs; worked out once, for scoring can take longer than a short fit."""
        if metric.key not in self.known:
            self.known[metric.key] = self.score(metric, predicted)
        return self.known[metric.key]


def other_scores(given: Given) -> dict[str, float]:
    """Scores by the metrics that are recorded beside the one that decides; those that cannot be had are left out."""
    found = {}
    for metric in given.brief.also:
        predicted = given.as_needed(metric.needs)
        if predicted is None:
            continue
        try:
            score = given.own_score(metric, predicted)
        except Exception as error:  # it decides nothing: its value is missing, the trial is not
            warnings.warn(f"{metric.key} could not be recorded: {error}", stacklevel=2)
            continue
        if np.isfinite(score):
            found[metric.key] = score
    return found


def kept_predictions(given: Given) -> bytes:
    """What is stored of the predictions: probabilities wherever they say all that the metric judged, for they say more."""
    brief, predicted = given.brief, given.predicted
    if brief.task == REGRESSION or given.probabilities is None:
        return encode(predicted, brief.judged_by.needs)
    said = given.probabilities.argmax(axis=1)
    if predicted.ndim == 1 and not np.array_equal(said, predicted):
        return encode(predicted, brief.judged_by.needs)
    said_of = given.probabilities
    judges = [m for m in (brief.judged_by, *brief.also) if m.needs == "probabilities"]

    def faithful(back: NDArray[Any]) -> bool:
        """Whether every score from what is read back is the one from what was predicted."""
        if not np.array_equal(back.argmax(axis=1), said):
            return False
        ordered = same_order(said_of, back)
        try:
            with warnings.catch_warnings(action="ignore"):  # of sums that are 1 but for single precision
                return all(
                    abs(given.score(m, back) - given.own_score(m, said_of)) <= FAITHFUL for m in judges if not (m.ranks and ordered)
                )
        except Exception:  # a metric that does not take what is read back
            return False

    return encode(said_of, "probabilities", faithful)


def same_order(one: NDArray[Any], other: NDArray[Any]) -> bool:
    """Whether rows stand in the same order in each column, equal ones included; shapes (rows, columns)."""
    for column in range(one.shape[1]):
        order = np.argsort(one[:, column], kind="stable")
        steps, others = np.diff(one[order, column]), np.diff(other[order, column])
        if (others < 0).any() or not np.array_equal(steps > 0, others > 0):
            return False
    return True


class _Counter:
    """A file that only counts what is written to it."""

    def __init__(self) -> None:
        self.bytes = 0

    def write(self, part: Any) -> int:
        size = memoryview(part).nbytes
        self.bytes += size
        return size


def model_bytes(model: Any) -> int | None:
    """How large a fitted model is when it is saved; None of one that cannot be saved so, which is no failure of its fit."""
    counter = _Counter()
    try:
        pickle.Pickler(counter, protocol=5).dump(model)
    except Exception:  # somebody's own class: whatever its parts raise
        return None
    return counter.bytes


def predict(model: Any, rows: NDArray[np.float64], brief: Brief) -> NDArray[Any]:
    """Codes, probabilities of every class of the brief (rows, classes), or numbers: what the metric needs."""
    if brief.task == REGRESSION:
        return np.asarray(model.predict(rows), dtype=float)
    if brief.judged_by.needs != "probabilities":
        return np.asarray(model.predict(rows))
    return probabilities(model, rows, len(brief.classes))


def probabilities(model: Any, rows: NDArray[np.float64], classes: int) -> NDArray[np.float64]:
    """Probabilities of every class of the brief, shape (rows, classes)."""
    found = model.predict_proba(rows)
    if found.shape[1] == classes:
        return np.asarray(found, dtype=float)  # what comes in single precision would be judged in it, and cut off at 1e-7
    # A class that the fold's training rows do not hold has probability 0.
    full = np.zeros((len(rows), classes))
    full[:, np.asarray(model.classes_, dtype=int)] = found
    return full
