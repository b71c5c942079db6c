"""What to expect of the trial that is chosen on a front: each of its metrics without the luck that put it there.

As for one score (`honest_score.py`) the rows are drawn anew many times; each time the front is found and the choice made on the rows drawn,
and the chosen trial is judged on the rows left out. Quantities that are measured and not predicted, such as seconds, do not change with the rows.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.random import Generator
from numpy.typing import NDArray

from pellux.core.errors import Conflict
from pellux.core.judging.fronts import choose, standing
from pellux.core.judging.honest_score import Resampler, interval
from pellux.core.judging.metrics import Metric

Array = NDArray[Any]
CONTENDERS = 60  # trials nearest to the front: who is further behind does not come onto it by drawing rows anew
ROUNDS = 200


@dataclass(frozen=True)
class Expected:
    """Of one metric, in its own direction; `low` and `high` are None where it does not depend on the rows."""

    raw: float
    score: float
    low: float | None
    high: float | None


def honest_front(
    metrics: Sequence[Metric | None], values: Array, truth: Array, fold: Array, classes: int,
    predictions: Callable[[Metric, Sequence[int]], Iterable[Array]], rng: Generator, counts: Array | None = None,
) -> list[Expected]:  # fmt: skip
    """What to expect of the knee of the front, metric by metric.

    Parameters
    ----------
    metrics : sequence of Metric or None, one a column of `values`
        None for what is measured and not predicted.
    values : ndarray, shape (trials, metrics)
        As the search saw them, larger is better; trials whose row has NaN in it are left out.
    truth, fold, classes, counts
        As in `honest_score`.
    predictions : callable
        Gives, for a metric and a list of trial indices, each trial's out-of-fold predictions in turn, as that metric needs them.
    """
    near = np.argsort(-standing(values), kind="stable")[:CONTENDERS]
    near = near[np.isfinite(values[near]).all(1)]
    if not len(near):
        raise Conflict("No trial has all metrics that decide.")
    inside = np.repeat(values[near][:, :, None], ROUNDS, axis=2)
    outside = inside.copy()
    draws: Array | None = None
    for column, metric in enumerate(metrics):
        if metric is None:
            continue
        resampler = Resampler(metric, truth, fold, classes, counts)
        draws = resampler.draw(ROUNDS, rng) if draws is None else draws  # the same rows for all metrics
        left_out = (draws == 0).astype(draws.dtype)
        for place, predicted in enumerate(predictions(metric, near.tolist())):
            inside[place, column] = metric.sign * resampler.scores(predicted, draws)
            outside[place, column] = metric.sign * resampler.scores(predicted, left_out)
    usable = np.flatnonzero(np.isfinite(inside).all((0, 1)) & np.isfinite(outside).all((0, 1)))
    if not len(usable):
        raise Conflict("The folds hold too few rows to draw them anew: a class is missing from every draw.")
    chosen = [choose(inside[:, :, r]) for r in usable]
    found = np.array([outside[place, :, r] for place, r in zip(chosen, usable, strict=True) if place is not None])
    # Some metrics depend on the number of rows: what that alone changes, chosen or not, is taken out again.
    found = found - (outside[:, :, usable].mean((0, 2)) - values[near].mean(0))
    raw = values[near][choose(values[near])]
    return [_expected(metric, float(raw[column]), found[:, column]) for column, metric in enumerate(metrics)]


def _expected(metric: Metric | None, raw: float, judged: Array) -> Expected:
    if metric is None:
        return Expected(raw, float(judged.mean()), None, None)
    return Expected(metric.sign * raw, metric.sign * float(judged.mean()), *interval(judged, metric.sign))
