"""Tuned against baseline: what both predict out of fold, as curves, tables and dots."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from pellux.core.errors import Conflict
from pellux.core.judging import BINARY, METRICS, REGRESSION, Brief
from pellux.core.judging.diagnostics import Cuts, calibration, confusion, most_confused, per_class, some_rows, spread_of
from pellux.core.judging.predictions import assemble
from pellux.core.judging.weighted import weighted_scores
from pellux.objectives.code.ground import CodeGround
from pellux.service.decisions.grounds import judged_on
from pellux.service.decisions.honest import Judged
from pellux.service.decisions.schemas import (
    CalibrationView,
    ClassView,
    ConfusedView,
    CutsView,
    DiagnosticsView,
    LabelsView,
    MetricPair,
    PredictionsView,
    ResidualsView,
)
from pellux.service.decisions.side_measures import side_scores
from pellux.service.searches.lookups import check_belongs, learner_of, whose
from pellux.service.workspace import Workspace
from pellux.store.database import Session
from pellux.store.predictions import read_predictions
from pellux.store.records import Trial
from pellux.store.trials import baselines

MOST_CELLS = 20  # classes up to which the whole confusion matrix is shown
Array = NDArray[Any]


def diagnostics(workspace: Workspace, trial_id: int) -> DiagnosticsView:
    """A trial's out-of-fold predictions beside those of its problem's baseline."""
    with workspace.database.read() as session:
        trial, search, problem = whose(session, trial_id)
        check_belongs(workspace, session, problem, trial, search)
        if trial.mean is None:
            raise Conflict(f"Trial {trial.number} is {trial.state}: it has no predictions on all folds.")
        baseline = baseline_for(session, problem.id, learner_of(workspace.objective(problem), search, trial))
    ground = judged_on(workspace, search.problem_id)  # refuses what has no rows to look at
    pair = [trial] if baseline is None or baseline.id == trial.id else [trial, baseline]
    shown = [_predictions(workspace, ground, one) for one in pair]
    return DiagnosticsView(
        task=ground.brief.task, classes=list(ground.brief.classes), rows=int((ground.assigned >= 0).sum()),
        trial=shown[0], baseline=shown[1] if len(shown) > 1 else None, metrics=_metrics(workspace, ground, pair),
    )  # fmt: skip


def baseline_for(session: Session, problem_id: int, key: str) -> Trial | None:
    """The baseline of the learner, or else the best of the problem's baselines."""
    found = baselines(session, problem_id)
    own = [trial for trial, _, its in found if (trial.learner or its) == key]
    return own[0] if own else found[0][0] if found else None


def _metrics(workspace: Workspace, ground: Judged, pair: list[Trial]) -> list[MetricPair]:
    brief = ground.brief
    named = not isinstance(ground, CodeGround) or ground.named  # else the score that decides is nobody's here
    others = [m.key for m in brief.metrics.beside(brief.task, brief.recorded) if not (named and m.key == brief.metric)]
    found = side_scores(workspace, ground, pair, others)
    lines = {**({brief.metric: {t.id: t.mean for t in pair}} if named else {}), **found}
    return [
        MetricPair(
            key=key, larger_is_better=brief.metrics.get(key).larger_is_better, decides=named and key == brief.metric,
            trial=values.get(pair[0].id), baseline=values.get(pair[1].id) if len(pair) > 1 else None,
        )
        for key, values in lines.items()
    ]  # fmt: skip


def _predictions(workspace: Workspace, ground: Judged, trial: Trial) -> PredictionsView:
    brief = ground.brief
    rows = np.flatnonzero(ground.assigned >= 0)
    [parts] = read_predictions(workspace.database.path, [(trial.search_id, trial.number)])
    predicted = assemble(ground.matching(parts), ground.assigned[rows], len(brief.classes))
    name = "Baseline" if trial.origin == "baseline" else f"Trial {trial.number}"
    empty = PredictionsView(trial_id=trial.id, name=name, missing="", cuts=None, calibration=[], labels=None, residuals=None)
    if predicted is None:
        why = f"{name} kept no predictions of these rows: what scored it did not store them. Try its configuration again."
        return empty.model_copy(update={"missing": why})
    truth = ground.target[rows]
    if brief.task == REGRESSION:
        return empty.model_copy(update={"residuals": _residuals(truth, predicted)})
    probabilities = predicted.ndim == 2
    said = predicted.argmax(axis=1) if probabilities else predicted
    view = {"labels": _labels(truth, said, brief)}
    if not probabilities:
        return empty.model_copy(
            update={**view, "missing": "This learner gives labels without probabilities: no curves, thresholds or calibration."}
        )
    if brief.task == BINARY:
        positive = predicted[:, 1]
        return empty.model_copy(update={**view, "cuts": _cuts(truth, predicted), "calibration": _calibration(truth == 1, positive)})
    return empty.model_copy(update={**view, "calibration": _calibration(said == truth, predicted.max(axis=1))})


def _cuts(truth: Array, predicted: Array) -> CutsView:
    cuts = Cuts.of(truth == 1, predicted[:, 1])
    together, one = np.zeros(len(truth), dtype=int), np.ones((len(truth), 1))
    areas = {
        key: float(weighted_scores(METRICS[key], truth, predicted, 2, one, together)[0, 0])
        for key in ("ROC AUC", "average precision")
    }
    thin = cuts.thinned()
    return CutsView(
        threshold=[None if not np.isfinite(t) else float(t) for t in thin.threshold], hits=thin.hits.tolist(),
        false_alarms=thin.false_alarms.tolist(), positives=cuts.positives, negatives=cuts.negatives,
        area=areas["ROC AUC"], average_precision=areas["average precision"],
    )  # fmt: skip


def _calibration(came: Array, score: Array) -> list[CalibrationView]:
    return [CalibrationView(said=b.said, came=b.came, rows=b.rows) for b in calibration(came, score)]


def _labels(truth: Array, said: Array, brief: Brief) -> LabelsView:
    matrix = confusion(truth, said, len(brief.classes))
    lines = [
        ClassView(label=label, rows=line.rows, precision=line.precision, recall=line.recall, f1=line.f1)
        for label, line in zip(brief.classes, per_class(matrix), strict=True)
    ]
    confused = [ConfusedView(true=brief.classes[i], said=brief.classes[j], rows=n) for i, j, n in most_confused(matrix)]
    whole = matrix.tolist() if len(matrix) <= MOST_CELLS else None
    return LabelsView(confusion=whole, classes=lines, confused=confused)


def _residuals(truth: Array, predicted: Array) -> ResidualsView:
    missed = truth - predicted
    dots = some_rows(len(truth))
    return ResidualsView(
        predicted=predicted[dots].tolist(), actual=truth[dots].tolist(), quantiles=spread_of(missed),
        mean=float(missed.mean()), rows=len(truth),
    )  # fmt: skip
