"""Writes a search's saves and ledger entries in one transaction, then wakes the readers of the event stream."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy.orm import Session

from pellux.core.judging import Metric, mean, standard_error
from pellux.engine.messages import Save, SaveFit, SaveSearch, SaveTrial
from pellux.engine.model import Fit, FitState, Trial, TrialState
from pellux.service.workspace import Workspace
from pellux.store import recording

Entry = tuple[float, int | None, str, dict[str, Any]]
UNTOLD = ("rank_score", "learner", "source_id")  # what readers of the event stream have no use for


@dataclass
class _Batch:
    """What one transaction writes."""

    trials: list[dict[str, Any]] = field(default_factory=list)
    fits: list[dict[str, Any]] = field(default_factory=list)
    predictions: list[dict[str, Any]] = field(default_factory=list)
    unscored: list[int] = field(default_factory=list)
    entries: list[Entry] = field(default_factory=list)
    freezes: bool = False


class SearchRecorder:
    """The engine's recorder for one search."""

    def __init__(
        self, workspace: Workspace, search_id: int, problem_id: int, metric: Metric, frozen: bool, *, keep_predictions: bool = True
    ) -> None:
        self._workspace = workspace
        self._search_id = search_id
        self._problem_id = problem_id
        self._metric = metric
        self._frozen = frozen
        self._keep_predictions = keep_predictions

    def save(self, saves: Sequence[Save]) -> None:
        batch = _Batch()
        with self._workspace.database.write() as session:
            for save in saves:
                match save:
                    case SaveTrial(trial=trial, at=at):
                        self._note_trial(batch, trial, at)
                    case SaveFit(fit=fit, at=at):
                        self._note_fit(batch, fit, at)
                    case SaveSearch():
                        batch.entries.append(self._put_search(session, save))
            newest = self._write(session, batch)
        self._frozen = self._frozen or batch.freezes
        self._workspace.hub.publish(newest)

    def _note_trial(self, batch: _Batch, trial: Trial, at: float) -> None:
        row = self._trial_row(trial)
        batch.trials.append(row)
        batch.entries.append(self._entry(at, "trial", {k: v for k, v in row.items() if k not in UNTOLD}))
        if trial.state.ended and trial.state is not TrialState.SCORED:
            batch.unscored.append(trial.number)

    def _note_fit(self, batch: _Batch, fit: Fit, at: float) -> None:
        batch.fits.append(self._fit_row(fit))
        batch.entries.append(self._entry(at, "fit", self._fit_entry(fit)))
        batch.freezes = batch.freezes or fit.state is FitState.DONE
        if self._keep_predictions and fit.outcome and fit.outcome.predictions is not None:
            key = {"search_id": self._search_id, "trial": fit.trial, "fold": fit.fold}
            batch.predictions.append({**key, "data": fit.outcome.predictions})

    def _write(self, session: Session, batch: _Batch) -> int:
        if batch.trials:
            recording.put_trials(session, batch.trials)
            ids = recording.trial_ids(session, self._search_id, [row["number"] for row in batch.trials])
            for _, _, kind, payload in batch.entries:
                if kind == "trial":
                    payload["id"] = ids[payload["number"]]
        if batch.fits:
            recording.put_fits(session, batch.fits)
        if batch.predictions:
            recording.put_predictions(session, batch.predictions)
        if batch.unscored:
            recording.drop_predictions(session, self._search_id, batch.unscored)
        if batch.freezes and not self._frozen:
            recording.freeze_problem(session, self._problem_id)
        return recording.append_ledger(session, batch.entries)

    def _entry(self, at: float, kind: str, payload: dict[str, Any]) -> Entry:
        return at, self._search_id, kind, payload

    def _put_search(self, session: Any, save: SaveSearch) -> Entry:
        changes = {"state": save.state.value, "reason": save.reason, "active_seconds": save.active_seconds, "workers": save.workers}
        recording.put_search(session, self._search_id, **changes, ended_at=save.at if save.state.ended else None)
        return self._entry(save.at, "search", {"problem_id": self._problem_id, **changes})

    def _trial_row(self, trial: Trial) -> dict[str, Any]:
        scored = trial.state is TrialState.SCORED
        scores = [score for score in trial.scores if score is not None]
        average = mean(scores) if scored else None
        return {
            "search_id": self._search_id,
            "number": trial.number,
            "origin": trial.origin,
            "state": trial.state.value,
            "reason": trial.reason,
            "configuration": dict(trial.configuration),
            "scores": trial.scores,
            "mean": average,
            "error": standard_error(scores) if scored else None,
            "rank_score": None if average is None else self._metric.sign * average,
            "seconds": trial.seconds,
            "seen": trial.seen,
            "pending": trial.pending,
            "created_at": trial.created_at,
            "ended_at": trial.ended_at,
            "learner": trial.learner,
            "source_id": trial.source,
        }

    def _fit_row(self, fit: Fit) -> dict[str, Any]:
        outcome = fit.outcome
        return {
            "search_id": self._search_id,
            "trial": fit.trial,
            "fold": fit.fold,
            "state": fit.state.value,
            "attempt": fit.attempt,
            "lane": fit.lane,
            "started_at": fit.started_at,
            "ended_at": fit.ended_at,
            "score": fit.score,
            "seconds": outcome.seconds if outcome else 0.0,
            "predict_seconds": outcome.predict_seconds if outcome else 0.0,
            "message": outcome.message if outcome else "",
            "log": outcome.log if outcome else "",
            "warnings": list(outcome.warnings) if outcome else [],
            "model_bytes": outcome.model_bytes if outcome else None,
        }

    @staticmethod
    def _fit_entry(fit: Fit) -> dict[str, Any]:
        return {
            "trial": fit.trial, "fold": fit.fold, "state": fit.state.value, "attempt": fit.attempt, "lane": fit.lane,
            "started_at": fit.started_at, "ended_at": fit.ended_at, "score": fit.score,
            "seconds": fit.outcome.seconds if fit.outcome else 0.0, "message": fit.outcome.message if fit.outcome else "",
        }  # fmt: skip
