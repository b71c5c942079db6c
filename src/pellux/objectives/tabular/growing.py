"""Fits that grow: train some iterations, tell the score, go on later from where they stopped, in another process too."""

from __future__ import annotations

import warnings
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pellux.core.errors import InvalidPlan
from pellux.core.judging import Brief
from pellux.objectives.tabular.fitting import Fitted, Given, kept_predictions, other_scores, predict
from pellux.objectives.tabular.fold_data import PreparedFold
from pellux.objectives.tabular.learners.settings import Circumstances, Growth, Learner

Array = NDArray[Any]
Stage = tuple[Mapping[str, Any], int]  # settings, and the iteration up to which they hold


@dataclass
class Progress:
    """A fit on its way: what a checkpoint holds.

    Attributes
    ----------
    curve : list of (iteration, score)
        From the fit's start; a score that is not finite is left out.
    predictions : dict of int to bytes
        Of the test rows at each point of the curve, encoded.
    recorded : dict of int to scores by metric
        By the metrics beside the one that decides, at each point of the curve.
    """

    iteration: int = 0
    model: Any = None
    curve: list[tuple[int, float]] = field(default_factory=list)
    predictions: dict[int, bytes] = field(default_factory=dict)
    recorded: dict[int, dict[str, float]] = field(default_factory=dict)


def growth_of(learner: Learner) -> Growth:
    if learner.growth is None:
        raise InvalidPlan(
            f"{learner.label} is not trained in iterations; let rows or folds grow instead.", at="plan.stopping.resource"
        )
    return learner.growth


@dataclass(frozen=True)
class Tending:
    """What a growing fit reports to and asks of those who wait for it.

    Attributes
    ----------
    tell : function of (iteration, score)
    stop : function that says whether to end now
    keep : function that may keep a checkpoint of what there is
    """

    tell: Callable[[int, float], None] = lambda iteration, score: None
    stop: Callable[[], bool] = lambda: False
    keep: Callable[[Progress], None] = lambda progress: None


def grow_fold(
    fold: PreparedFold, learner: Learner, stages: Sequence[Stage], grid: Sequence[int], brief: Brief,
    clock: Callable[[], float], begun: Progress, tending: Tending,
) -> Fitted:  # fmt: skip
    """Train to the last stage's end, from wherever `begun` is; `begun` grows along.

    The stages are a schedule: settings that change on the way. Training stops early when `tending.stop` says so; the
    outcome is then of the last point reached.
    """
    growth, around = growth_of(learner), Circumstances(brief.task, brief.seed, fold.category_columns)
    seconds = judging = 0.0
    with warnings.catch_warnings(record=True) as caught:
        warnings.simplefilter("always")
        for settings, until in stages:
            whole = {**learner.defaults, **settings}
            for iteration in [i for i in grid if begun.iteration < i <= until]:
                start = clock()
                if begun.model is None:
                    begun.model = learner.build(whole, around)
                growth.steer(begun.model, whole)
                growth.grow(begun.model, fold.train, fold.train_target, fold.train_weight, begun.iteration, iteration)
                learnt = clock()
                score = _look(begun, fold, brief, iteration)
                judging = clock() - learnt
                seconds += learnt - start + judging
                begun.iteration = iteration
                tending.tell(iteration, score)
                if tending.stop():
                    break
                tending.keep(begun)
    seen = tuple(dict.fromkeys(f"{w.category.__name__}: {w.message}" for w in caught if "Maximum iterations" not in str(w.message)))
    score = begun.curve[-1][1] if begun.curve else float("nan")
    recorded = begun.recorded.get(begun.curve[-1][0], {}) if begun.curve else {}
    return Fitted(score, seconds, judging, seen, b"", begun.model, recorded)


def _look(progress: Progress, fold: PreparedFold, brief: Brief, iteration: int) -> float:
    """Judge the model as it is now, and keep what it predicts."""
    predicted = predict(progress.model, fold.test, brief)
    score = float("nan")
    if brief.judged_by.needs == "labels" or np.isfinite(np.asarray(predicted, dtype=float)).all():
        score = float(brief.judged_by.compute(fold.test_target, predicted, len(brief.classes), fold.test_weight))
    if np.isfinite(score):
        progress.curve.append((iteration, score))
        given = Given(progress.model, fold, predicted, brief)
        progress.predictions[iteration] = kept_predictions(given)
        progress.recorded[iteration] = other_scores(given)
    return score
