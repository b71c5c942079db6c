"""What finalists are weighed by beside their score: cost, size, and other metrics computed from their predictions."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from pellux.core.judging import mean
from pellux.core.judging.limits import MODEL_MB, PREDICT_MS
from pellux.core.judging.predictions import as_needed, assemble_repeats
from pellux.core.judging.weighted import weighted_scores
from pellux.objectives.code.brief import KINDS as CODE
from pellux.service.decisions.grounds import ground_of
from pellux.service.decisions.honest import Judged
from pellux.service.decisions.measures import COSTS, FIT_SECONDS, MODEL_SIZE, PREDICTION_SECONDS
from pellux.service.workspace import Workspace
from pellux.store import decisions, fits
from pellux.store.database import Session
from pellux.store.predictions import read_predictions
from pellux.store.records import Problem, Trial

NOISE = {FIT_SECONDS: 1.25, PREDICTION_SECONDS: 1.25}  # measured seconds that differ by less say nothing; a size is exact
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


def values_of(
    workspace: Workspace, problem: Problem, trials: Sequence[Trial], costs: Mapping[int, Costs], measure: str
) -> dict[int, float]:
    """A measure of each trial, by id; trials of which it is not known are left out."""
    measured = {trial.id: trial.measured[measure] for trial in trials if trial.measured and measure in trial.measured}
    trials = [trial for trial in trials if trial.id not in measured]
    return measured | (_looked_up(workspace, problem, trials, costs, measure) if trials else {})


def _looked_up(
    workspace: Workspace, problem: Problem, trials: Sequence[Trial], costs: Mapping[int, Costs], measure: str
) -> dict[int, float]:
    """The same of trials that were not measured for it while they were searched."""
    if measure in (PREDICT_MS, MODEL_MB):  # timed, or written down, only where a search asked for it
        return {}
    if measure in COSTS:
        known = ((trial.id, costs[trial.id].of(measure)) for trial in trials if trial.id in costs)
        return {trial_id: float(value) for trial_id, value in known if value is not None}
    if problem.objective in CODE:
        return _recorded(workspace, trials, measure)
    scores = side_scores(workspace, ground_of(workspace, problem.id), trials, [measure])[measure]
    return {t: v for t, v in scores.items() if v is not None}


def _recorded(workspace: Workspace, trials: Sequence[Trial], metric: str) -> dict[int, float]:
    """Means over folds of what own code told besides; a trial with a fold that did not tell it is left out."""
    found: dict[int, float] = {}
    with workspace.database.read() as session:
        told = {search_id: fits.recorded(session, search_id) for search_id in {t.search_id for t in trials}}
    for trial in trials:
        values = [told[trial.search_id].get((trial.number, fold), {}).get(metric) for fold in range(len(trial.scores))]
        known = [value for value in values if value is not None]
        if known and len(known) == len(values):
            found[trial.id] = mean(known)
    return found


def side_scores(
    workspace: Workspace, ground: Judged, trials: Sequence[Trial], metrics: Sequence[str]
) -> dict[str, dict[int, float | None]]:
    """Mean fold scores by other metrics, from the stored predictions; computed once, then kept."""
    wanted = [t.id for t in trials]
    with workspace.database.read() as session:
        kept = decisions.side_scores(session, wanted, metrics)
    found: dict[str, dict[int, float | None]] = {key: {} for key in metrics}
    for key, trial_id, score in kept:
        found[key][trial_id] = score
    missing = {t.id: [m for m in metrics if t.id not in found[m]] for t in trials}
    fresh = _computed(workspace, ground, [t for t in trials if missing[t.id]], missing)
    if fresh:
        with workspace.database.write() as session:
            decisions.add_side_scores(session, fresh)
    for row in fresh:
        found[row["metric"]][row["trial_id"]] = row["mean"]
    return found


def _computed(
    workspace: Workspace, ground: Judged, trials: Sequence[Trial], missing: Mapping[int, Sequence[str]]
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
        predicted = assemble_repeats(ground.matching(found), lines, ground.folds.folds, classes)
        for key in missing[trial.id]:
            given = None if predicted is None else as_needed(predicted, ground.brief.metrics.get(key).needs)
            if given is None:
                made.append({"trial_id": trial.id, "metric": key, "mean": None})
                continue
            scores = weighted_scores(ground.brief.metrics.get(key), truth[order], given[order], classes, ones, group, counts)
            average = float(scores.mean())
            made.append({"trial_id": trial.id, "metric": key, "mean": average if np.isfinite(average) else None})
    return made
