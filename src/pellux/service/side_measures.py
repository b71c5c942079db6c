"""What finalists are weighed by beside their score: cost, size, and other metrics computed from their predictions."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from sqlalchemy import case, func, select
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session

from pellux.core.errors import InvalidPlan
from pellux.core.judging import Brief, check_suits, every_metric, metric, metrics_for
from pellux.core.judging.predictions import as_needed, assemble
from pellux.core.judging.weighted import weighted_scores
from pellux.learners.whole_fit import Ground
from pellux.service.workspace import Workspace
from pellux.store.models import Fit, SideScore, Trial
from pellux.store.predictions import read_predictions

FIT_SECONDS, PREDICTION_SECONDS, MODEL_SIZE = "fit seconds", "prediction seconds", "model size"
COSTS = (FIT_SECONDS, PREDICTION_SECONDS, MODEL_SIZE)
CHEAPER = {
    FIT_SECONDS: "its fits are {}× quicker",
    PREDICTION_SECONDS: "it predicts {}× faster",
    MODEL_SIZE: "its model is {}× smaller",
}


@dataclass(frozen=True)
class Costs:
    """Seconds of a mean fit, seconds to predict 1,000 rows, bytes of the fitted model (None: not measured)."""

    fit_seconds: float
    prediction_seconds: float
    model_bytes: int | None

    def of(self, measure: str) -> float | None:
        return {FIT_SECONDS: self.fit_seconds, PREDICTION_SECONDS: self.prediction_seconds, MODEL_SIZE: self.model_bytes}[measure]


def costs_of(session: Session, trials: Sequence[Trial], rows: int) -> dict[int, Costs]:
    """By trial id; `rows` is how many rows all folds together predict."""
    by_key = {(t.search_id, t.number): t for t in trials}
    found: dict[int, Costs] = {}
    for search_id in {t.search_id for t in trials}:
        numbers = [t.number for t in trials if t.search_id == search_id]
        folds = func.count(Fit.fold.distinct())  # a fold has a fit for every rung that the trial climbed
        query = (
            select(
                Fit.trial,
                func.sum(Fit.seconds) / folds,
                func.sum(Fit.predict_seconds) * folds / func.count(),
                func.max(case((Fit.fold == 0, Fit.model_bytes))),
            )
            .where(Fit.search_id == search_id, Fit.trial.in_(numbers), Fit.state == "done")
            .group_by(Fit.trial)
        )
        for number, seconds, predicting, size in session.execute(query):
            found[by_key[search_id, number].id] = Costs(seconds, 1000 * predicting / max(rows, 1), size)
    return found


def measures_of(brief: Brief) -> list[str]:
    """Everything that a finalist of this problem can be weighed by beside its score."""
    return [*COSTS, *(m.key for m in metrics_for(brief.task) if m.key != brief.metric)]


def larger_is_better(measure: str) -> bool:
    return measure not in COSTS and metric(measure).larger_is_better


def check_measure(brief: Brief, measure: str, at: str) -> None:
    if measure not in COSTS and measure not in {m.key for m in every_metric()}:
        raise InvalidPlan(f"'{measure}' is no measure. Allowed: {', '.join(measures_of(brief))}.", at=at)
    if measure not in COSTS:
        check_suits(measure, brief.task, at=at)


def values_of(
    workspace: Workspace, ground: Ground, trials: Sequence[Trial], costs: Mapping[int, Costs], measure: str
) -> dict[int, float]:
    """A measure of each trial, by id; trials of which it is not known are left out."""
    if measure in COSTS:
        known = ((trial.id, costs[trial.id].of(measure)) for trial in trials if trial.id in costs)
        return {trial_id: float(value) for trial_id, value in known if value is not None}
    return {t: v for t, v in side_scores(workspace, ground, trials, [measure])[measure].items() if v is not None}


def side_scores(
    workspace: Workspace, ground: Ground, trials: Sequence[Trial], metrics: Sequence[str]
) -> dict[str, dict[int, float | None]]:
    """Mean fold scores by other metrics, from the stored predictions; computed once, then kept."""
    wanted = [t.id for t in trials]
    with workspace.database.read() as session:
        kept = session.execute(
            select(SideScore.metric, SideScore.trial_id, SideScore.mean).where(
                SideScore.trial_id.in_(wanted), SideScore.metric.in_(metrics)
            )
        ).all()
    found: dict[str, dict[int, float | None]] = {key: {} for key in metrics}
    for key, trial_id, mean in kept:
        found[key][trial_id] = mean
    missing = {t.id: [m for m in metrics if t.id not in found[m]] for t in trials}
    fresh = _computed(workspace, ground, [t for t in trials if missing[t.id]], missing)
    if fresh:
        with workspace.database.write() as session:
            session.execute(insert(SideScore).on_conflict_do_nothing(), fresh)
    for row in fresh:
        found[row["metric"]][row["trial_id"]] = row["mean"]
    return found


def _computed(
    workspace: Workspace, ground: Ground, trials: Sequence[Trial], missing: Mapping[int, Sequence[str]]
) -> list[dict[str, Any]]:
    if not trials:
        return []
    rows = np.flatnonzero(ground.assigned >= 0)
    fold, truth, classes = ground.assigned[rows], ground.target[rows], len(ground.brief.classes)
    order = np.argsort(fold, kind="stable")
    group, ones = np.unique(fold[order], return_inverse=True)[1], np.ones((len(rows), 1))
    weight = ground.weight_of(rows)
    counts = None if weight is None else weight[order]
    made = []
    parts = read_predictions(workspace.database.path, [(t.search_id, t.number) for t in trials])
    for trial, found in zip(trials, parts, strict=True):
        predicted = assemble(found, fold, classes)
        for key in missing[trial.id]:
            given = None if predicted is None else as_needed(predicted, metric(key).needs)
            if given is None:
                made.append({"trial_id": trial.id, "metric": key, "mean": None})
                continue
            scores = weighted_scores(metric(key), truth[order], given[order], classes, ones, group, counts)
            mean = float(scores.mean())
            made.append({"trial_id": trial.id, "metric": key, "mean": mean if np.isfinite(mean) else None})
    return made
