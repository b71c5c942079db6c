"""Writes a search's saves and ledger entries in one transaction, then wakes the readers of the event stream."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from pellux.core.judging import Metric, mean, standard_error
from pellux.engine.messages import Save, SaveFit, SaveSearch, SaveTrial
from pellux.engine.model import Fit, FitState, Trial, TrialState
from pellux.service.workspace import Workspace
from pellux.store import recording

Entry = tuple[float, int | None, str, dict[str, Any]]


class SearchRecorder:
    """The engine's recorder for one search."""

    def __init__(self, workspace: Workspace, search_id: int, problem_id: int, metric: Metric, frozen: bool) -> None:
        self._workspace = workspace
        self._search_id = search_id
        self._problem_id = problem_id
        self._metric = metric
        self._frozen = frozen

    def save(self, saves: Sequence[Save]) -> None:
        trials, fits, entries = [], [], []
        freezes = False
        with self._workspace.database.write() as session:
            for save in saves:
                match save:
                    case SaveTrial(trial=trial, at=at):
                        row = self._trial_row(trial)
                        trials.append(row)
                        payload = {k: v for k, v in row.items() if k != "rank_score"}
                        entries.append(self._entry(at, "trial", payload))
                    case SaveFit(fit=fit, at=at):
                        fits.append(self._fit_row(fit))
                        entries.append(self._entry(at, "fit", self._fit_entry(fit)))
                        freezes = freezes or fit.state is FitState.DONE
                    case SaveSearch():
                        entries.append(self._put_search(session, save))
            if trials:
                recording.put_trials(session, trials)
                ids = recording.trial_ids(session, self._search_id, [row["number"] for row in trials])
                for _, _, kind, payload in entries:
                    if kind == "trial":
                        payload["id"] = ids[payload["number"]]
            if fits:
                recording.put_fits(session, fits)
            if freezes and not self._frozen:
                recording.freeze_problem(session, self._problem_id)
            newest = recording.append_ledger(session, entries)
        self._frozen = self._frozen or freezes
        self._workspace.hub.publish(newest)

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
        }

    @staticmethod
    def _fit_entry(fit: Fit) -> dict[str, Any]:
        return {
            "trial": fit.trial, "fold": fit.fold, "state": fit.state.value, "attempt": fit.attempt, "lane": fit.lane,
            "started_at": fit.started_at, "ended_at": fit.ended_at, "score": fit.score,
            "seconds": fit.outcome.seconds if fit.outcome else 0.0, "message": fit.outcome.message if fit.outcome else "",
        }  # fmt: skip
