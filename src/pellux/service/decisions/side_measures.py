"""What finalists are weighed by beside their score: cost, size, and other metrics computed from their predictions."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from pellux.core.errors import InvalidPlan
from pellux.core.judging import Brief
from pellux.core.judging.predictions import as_needed, assemble_repeats
from pellux.core.judging.weighted import weighted_scores
from pellux.objectives.tabular.whole_fit import Ground
from pellux.service.workspace import Workspace
from pellux.store import decisions, fits
from pellux.store.database import Session
from pellux.store.predictions import read_predictions
from pellux.store.records import Trial

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
        for number, seconds, predicting, size in fits.costs(session, search_id, numbers):
            found[by_key[search_id, number].id] = Costs(seconds, 1000 * predicting / max(rows, 1), size)
    return found


def measures_of(brief: Brief) -> list[str]:
    """Everything that a finalist of this problem can be weighed by beside its score."""
    return [*COSTS, *(m.key for m in brief.metrics.of_task(brief.task) if m.key != brief.metric)]


def larger_is_better(brief: Brief, measure: str) -> bool:
    return measure not in COSTS and brief.metrics.get(measure).larger_is_better


def check_measure(brief: Brief, measure: str, at: str) -> None:
    if measure not in COSTS and measure not in {m.key for m in brief.metrics.every()}:
        raise InvalidPlan(f"'{measure}' is no measure. Allowed: {', '.join(measures_of(brief))}.", at=at)
    if measure not in COSTS:
        brief.metrics.suiting(measure, brief.task, at=at)


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
        kept = decisions.side_scores(session, wanted, metrics)
    found: dict[str, dict[int, float | None]] = {key: {} for key in metrics}
    for key, trial_id, mean in kept:
        found[key][trial_id] = mean
    missing = {t.id: [m for m in metrics if t.id not in found[m]] for t in trials}
    fresh = _computed(workspace, ground, [t for t in trials if missing[t.id]], missing)
    if fresh:
        with workspace.database.write() as session:
            decisions.add_side_scores(session, fresh)
    for row in fresh:
        found[row["metric"]][row["trial_id"]] = row["mean"]
    return found


def _computed(
    workspace: Workspace, ground: Ground, trials: Sequence[Trial], missing: Mapping[int, Sequence[str]]
) -> list[dict[str, Any]]:
    if not trials:
        return []
    rows = np.flatnonzero(ground.assigned >= 0)
    lines, classes = ground.folds.lines[:, rows], len(ground.brief.classes)
    fold = (lines + ground.folds.folds * np.arange(len(lines))[:, None]).ravel()  # they count on from repeat to repeat
    order, truth = np.argsort(fold, kind="stable"), np.tile(ground.target[rows], len(lines))
    group, ones = np.unique(fold[order], return_inverse=True)[1], np.ones((len(fold), 1))
    weight = ground.weight_of(rows)
    counts = None if weight is None else np.tile(weight, len(lines))[order]
    made = []
    parts = read_predictions(workspace.database.path, [(t.search_id, t.number) for t in trials])
    for trial, found in zip(trials, parts, strict=True):
        predicted = assemble_repeats(found, lines, ground.folds.folds, classes)
        for key in missing[trial.id]:
            given = None if predicted is None else as_needed(predicted, ground.brief.metrics.get(key).needs)
            if given is None:
                made.append({"trial_id": trial.id, "metric": key, "mean": None})
                continue
            scores = weighted_scores(ground.brief.metrics.get(key), truth[order], given[order], classes, ones, group, counts)
            mean = float(scores.mean())
            made.append({"trial_id": trial.id, "metric": key, "mean": mean if np.isfinite(mean) else None})
    return made
