"""The one look at the holdout: fitted on all rows of the folds, judged on rows that no search has seen."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from pellux.core.judging.predictions import encode
from pellux.core.judging.weighted import weighted_scores
from pellux.objectives.tabular.whole_fit import Ground, fitted, score

ROUNDS = 1000


@dataclass(frozen=True)
class HoldoutJudgement:
    """Scores in the metric's own direction.

    Attributes
    ----------
    train, holdout : float
        Score on the rows learnt from, and on the holdout.
    error : float
        Standard error of the holdout score: its standard deviation over draws of the holdout's rows.
    low, high : float
        95 % interval from the same draws.
    """

    train: float
    holdout: float
    error: float
    low: float
    high: float
    predictions: bytes


def judge_on_holdout(ground: Ground, chosen: Sequence[tuple[str, Mapping[str, Any]]]) -> list[HoldoutJudgement]:
    """Fit and judge (learner, settings) pairs, all on the same draws of the holdout's rows (Efron 1979)."""
    brief = ground.brief
    held = np.flatnonzero(ground.folds.held)
    rng = np.random.default_rng([brief.seed, len(held)])
    weights = rng.multinomial(len(held), np.full(len(held), 1 / len(held)), size=ROUNDS).T.astype(np.float32, order="C")
    together = np.zeros(len(held), dtype=int)
    found = []
    for key, settings in chosen:
        pipeline = fitted(key, settings, ground, ground.folds.outside)
        train, _ = score(pipeline, ground, ground.folds.outside)
        holdout, predicted = score(pipeline, ground, held)
        drawn = weighted_scores(
            brief.judged_by, ground.target[held], predicted, len(brief.classes), weights, together, ground.weight_of(held)
        )[0]
        drawn = drawn[np.isfinite(drawn)]
        low, high = (float(q) for q in np.quantile(drawn, (0.025, 0.975))) if len(drawn) else (holdout, holdout)
        error = float(drawn.std()) if len(drawn) else 0.0
        found.append(HoldoutJudgement(train, holdout, error, low, high, encode(predicted, brief.judged_by.needs)))
    return found
