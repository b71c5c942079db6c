"""One fit: learn from a fold's training rows, judge on its test rows."""

from __future__ import annotations

import pickle
import warnings
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pellux.core.judging import Brief
from pellux.core.judging.predictions import as_needed, decode, encode
from pellux.objectives.tabular.fold_data import PreparedFold
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
        begun = clock()
        learn(model, fold)
        learnt = clock()
        predicted = predict(model, fold.test, brief)
        judged = clock()
        score = brief.judged_by.compute(fold.test_target, predicted, len(brief.classes), fold.test_weight)
        kept = kept_predictions(model, fold.test, predicted, brief)
        recorded = other_scores(kept, fold, brief)
    seen = tuple(dict.fromkeys(f"{w.category.__name__}: {w.message}" for w in caught))
    return Fitted(score, judged - begun, judged - learnt, seen, kept, model, recorded)


def learn(model: Any, fold: PreparedFold) -> None:
    if fold.train_weight is None:
        model.fit(fold.train, fold.train_target)
    else:
        model.fit(fold.train, fold.train_target, sample_weight=fold.train_weight)


def other_scores(kept: bytes, fold: PreparedFold, brief: Brief) -> dict[str, float]:
    """Scores by the metrics that are recorded beside the one that decides; those that cannot be had are left out."""
    found = {}
    predicted = decode(kept, len(brief.classes)) if brief.also and kept else None
    for metric in brief.also:
        given = None if predicted is None else as_needed(predicted, metric.needs)
        if given is not None:
            score = metric.compute(fold.test_target, given, len(brief.classes), fold.test_weight)
            if np.isfinite(score):
                found[metric.key] = score
    return found


def kept_predictions(model: Any, rows: NDArray[np.float64], predicted: NDArray[Any], brief: Brief) -> bytes:
    """What is stored of the predictions: probabilities wherever they say all that the metric judged, for they say more."""
    needs = brief.judged_by.needs
    if needs == "labels" and hasattr(model, "predict_proba"):
        found = encode(probabilities(model, rows, len(brief.classes)), "probabilities")
        if np.array_equal(decode(found, len(brief.classes)).argmax(axis=1), predicted):
            return found
    return encode(predicted, needs)


class _Counter:
    """A file that only counts what is written to it."""

    def __init__(self) -> None:
        self.bytes = 0

    def write(self, part: Any) -> int:
        size = memoryview(part).nbytes
        self.bytes += size
        return size


def model_bytes(model: Any) -> int:
    """How large a fitted model is when it is saved."""
    counter = _Counter()
    pickle.Pickler(counter, protocol=5).dump(model)
    return counter.bytes


def predict(model: Any, rows: NDArray[np.float64], brief: Brief) -> NDArray[Any]:
    """Codes, probabilities of every class of the brief (rows, classes), or numbers: what the metric needs."""
    if brief.judged_by.needs != "probabilities":
        return np.asarray(model.predict(rows))
    return probabilities(model, rows, len(brief.classes))


def probabilities(model: Any, rows: NDArray[np.float64], classes: int) -> NDArray[np.float64]:
    """Probabilities of every class of the brief, shape (rows, classes)."""
    found = model.predict_proba(rows)
    if found.shape[1] == classes:
        return np.asarray(found)
    # A class that the fold's training rows do not hold has probability 0.
    full = np.zeros((len(rows), classes))
    full[:, np.asarray(model.classes_, dtype=int)] = found
    return full
