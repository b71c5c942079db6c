"""One fit: learn from a fold's training rows, judge on its test rows."""

from __future__ import annotations

import warnings
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pellux.core.judging import Brief
from pellux.learners.fold_data import PreparedFold
from pellux.learners.settings import Circumstances, Learner


@dataclass(frozen=True)
class Fitted:
    """The outcome of a fit. `seconds` covers learning and predicting."""

    score: float
    seconds: float
    predict_seconds: float
    warnings: tuple[str, ...]


def fit_fold(fold: PreparedFold, learner: Learner, settings: Mapping[str, Any], brief: Brief, clock: Callable[[], float]) -> Fitted:
    """Fit and score one configuration on one fold; `clock` gives seconds."""
    around = Circumstances(brief.task, brief.seed, fold.category_columns)
    model = learner.build({**learner.defaults, **settings}, around)
    with warnings.catch_warnings(record=True) as caught:
        warnings.simplefilter("always")
        begun = clock()
        model.fit(fold.train, fold.train_target)
        learnt = clock()
        predicted = predict(model, fold.test, brief)
        judged = clock()
        score = brief.judged_by.compute(fold.test_target, predicted, len(brief.classes))
    seen = tuple(dict.fromkeys(f"{w.category.__name__}: {w.message}" for w in caught))
    return Fitted(score, judged - begun, judged - learnt, seen)


def predict(model: Any, rows: NDArray[np.float64], brief: Brief) -> NDArray[Any]:
    """Codes, probabilities of every class of the brief (rows, classes), or numbers: what the metric needs."""
    if brief.judged_by.needs != "probabilities":
        return np.asarray(model.predict(rows))
    found = model.predict_proba(rows)
    if found.shape[1] == len(brief.classes):
        return np.asarray(found)
    # A class that the fold's training rows do not hold has probability 0.
    full = np.zeros((len(rows), len(brief.classes)))
    full[:, np.asarray(model.classes_, dtype=int)] = found
    return full
