"""Writes a search's saves and ledger entries in one transaction, then wakes the readers of the event stream."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from pellux.core.judging import mean, standard_error
from pellux.core.judging.limits import Limit, kept
from pellux.core.objective import Objective, Points
from pellux.core.reasons import NONE, Reason
from pellux.core.stopping import ITERATIONS, ROWS, Ladder
from pellux.engine.limiting import measured, slack
from pellux.engine.messages import Save, SaveFit, SavePoints, SaveSearch, SaveTrial
from pellux.engine.model import Fit, Trial
from pellux.engine.states import FitState, TrialState
from pellux.service.wording import sentence
from pellux.service.workspace import Workspace
from pellux.store import ledger, problems, recording, runs, trials
from pellux.store.database import Session


@dataclass
class Work:
    """How much of a whole trial's work was done: needed to say what early stopping saved."""

    ladder: Ladder
    folds: int
    curves: Mapping[tuple[int, int], Points] = field(default_factory=dict)
    per_repeat: int | None = None  # folds, when the rows are cut into folds more than once

    def __post_init__(self) -> None:
        self._reached = {key: points[-1][0] for key, points in self.curves.items() if points}

    def note(self, trial: int, fold: int, points: Points) -> None:
        self._reached[trial, fold] = max(points[-1][0], self._reached.get((trial, fold), 0))

    def share(self, trial: Trial) -> float:
        """From 0 to 1; a trial that was scored did all there was to do, unless its fits ended where more would not have helped."""
        if self.ladder.resource == ITERATIONS:
            done = sum(self._reached.get((trial.number, fold), 0) for fold in range(self.folds))
            early = any(fit.outcome is not None and fit.outcome.reason for fit in trial.fits.values())
            return 1.0 if trial.state is TrialState.SCORED and not early else done / (self.ladder.most * self.folds)
        if trial.state is TrialState.SCORED:
            return 1.0
        fits = [fit for fit in (*trial.past, *trial.fits.values()) if fit.state is FitState.DONE]
        if self.ladder.resource == ROWS:
            whole = sum(self.ladder.levels[trial.bracket :])
            return sum(self.ladder.levels[fit.rung] for fit in fits) / (whole * self.folds)
        return len(fits) / self.folds


@dataclass
class _Batch:
    """What one transaction writes: of each row the last of its states, of the ledger every one."""

    trials: dict[int, dict[str, Any]] = field(default_factory=dict)
    fits: dict[tuple[int, int, int], Fit] = field(default_factory=dict)
    predictions: list[dict[str, Any]] = field(default_factory=list)
    points: list[dict[str, Any]] = field(default_factory=list)
    unscored: list[int] = field(default_factory=list)
    entries: list[ledger.New] = field(default_factory=list)
    ids: dict[int, int] = field(default_factory=dict)  # of the trials that are new
    freezes: bool = False


@dataclass(frozen=True, kw_only=True)
class Whose:
    """What a recorder writes for.

    Attributes
    ----------
    frozen : bool
        Whether a score freezes nothing: the problem is frozen already, or this run does not count.
    keep_predictions : bool
        Whether anything will be computed from what its trials predict.
    limits : tuple of Limit
        What its trials have to keep.
    measures : tuple of str
        The quantities that are kept of each trial beside its score.
    """

    search_id: int
    problem_id: int
    run: ledger.RunKind
    frozen: bool = False
    keep_predictions: bool = True
    limits: tuple[Limit, ...] = ()
    measures: tuple[str, ...] = ()


class SearchRecorder:
    """The engine's recorder for one search."""

    def __init__(self, workspace: Workspace, whose: Whose, objective: Objective, work: Work) -> None:
        self._database = workspace.database
        self._whose, self._search_id = whose, whose.search_id
        self._objective, self._work = objective, work
        self._frozen = whose.frozen
        self._artifacts = workspace.artifacts(whose.search_id)
        self._shown = workspace.steady.shown  # what is written down is for people
        self._ids: dict[int, int] = {}  # of trials, by their numbers

    def save(self, saves: Sequence[Save]) -> None:
        batch = _Batch()
        with self._database.write() as session:
            for save in saves:
                match save:
                    case SaveTrial(trial=trial, at=at):
                        self._note_trial(batch, trial, at)
                    case SaveFit(fit=fit, at=at):
                        self._note_fit(batch, fit, at)
                    case SavePoints():
                        self._note_points(batch, save)
                    case SaveSearch():
                        batch.entries.append(self._put_search(session, save))
            self._write(session, batch)
        self._frozen = self._frozen or batch.freezes
        self._ids |= batch.ids  # only now: a transaction that was undone gave none

    def _note_trial(self, batch: _Batch, trial: Trial, at: float) -> None:
        row = self._trial_row(trial)
        batch.trials[trial.number] = row
        batch.entries.append(self._entry(at, "trial", _told(row)))
        if trial.state.ended and trial.state is not TrialState.SCORED:
            batch.unscored.append(trial.number)
        elif trial.state is TrialState.SCORED and trial.best_iteration is not None:
            self._note_best(batch, trial, trial.best_iteration)

    def _note_best(self, batch: _Batch, trial: Trial, best: int) -> None:
        """What was predicted and recorded at the iteration that counts, wherever each fit ended; nothing, when any fold's is gone."""
        left = {fold: self._objective.left_at(self._artifacts, trial.number, fold, best) for fold in trial.fits}
        for fold, then in left.items():
            if then is None or None in left.values():
                continue
            if self._whose.keep_predictions and then.predictions is not None:
                key = {"search_id": self._search_id, "trial": trial.number, "fold": fold}
                batch.predictions.append({**key, "data": then.predictions})
            fit = trial.fits[fold]
            if fit.outcome is not None:
                outcome = fit.outcome._replace(recorded={**fit.outcome.recorded, **then.recorded})
                batch.fits[fit.trial, fit.fold, fit.rung] = fit._replace(outcome=outcome)

    def _note_points(self, batch: _Batch, save: SavePoints) -> None:
        self._work.note(save.trial, save.fold, save.points)
        key = {"search_id": self._search_id, "trial": save.trial, "fold": save.fold}
        batch.points += [{**key, "iteration": iteration, "score": score} for iteration, score in save.points]
        added: ledger.PointsAdded = {"trial": save.trial, "fold": save.fold, "points": list(save.points)}
        batch.entries.append(self._entry(save.at, "points", added))

    def _note_fit(self, batch: _Batch, fit: Fit, at: float) -> None:
        batch.fits[fit.trial, fit.fold, fit.rung] = fit
        batch.entries.append(self._entry(at, "fit", self._fit_entry(fit)))
        batch.freezes = batch.freezes or fit.state is FitState.DONE
        if self._whose.keep_predictions and fit.outcome and fit.outcome.predictions is not None:
            key = {"search_id": self._search_id, "trial": fit.trial, "fold": fit.fold}
            batch.predictions.append({**key, "data": fit.outcome.predictions})

    def _write(self, session: Session, batch: _Batch) -> None:
        if batch.trials:
            recording.put_trials(session, list(batch.trials.values()))
            new = [number for number in batch.trials if number not in self._ids]
            batch.ids = trials.ids_of(session, self._search_id, new) if new else {}
            for entry in batch.entries:
                if entry.kind == "trial":
                    number = entry.data["number"]  # type: ignore[typeddict-item]
                    entry.data["id"] = batch.ids.get(number) or self._ids[number]  # type: ignore[typeddict-unknown-key]
        if batch.fits:
            recording.put_fits(session, [self._fit_row(fit) for fit in batch.fits.values()])
        if batch.points:
            recording.put_points(session, batch.points)
        if batch.predictions:
            recording.put_predictions(session, batch.predictions)
        if batch.unscored:
            recording.drop_predictions(session, self._search_id, batch.unscored)
        if batch.freezes and not self._frozen:
            problems.freeze(session, self._whose.problem_id)
        ledger.append(session, batch.entries)

    def _entry(self, at: float, kind: ledger.Kind, data: ledger.Payload) -> ledger.New:
        return ledger.New(self._shown(at), self._search_id, kind, data)

    def _put_search(self, session: Session, save: SaveSearch) -> ledger.New:
        changes = {"state": save.state.value, "active_seconds": save.active_seconds, "workers": save.workers}
        runs.put_search(
            session, self._search_id, **changes, reason=save.reason, ended_at=self._shown(save.at) if save.state.ended else None
        )
        changed: ledger.SearchChanged = {
            "problem_id": self._whose.problem_id, "run": self._whose.run, "state": save.state.value,
            "reason": sentence(save.reason), "active_seconds": save.active_seconds, "workers": save.workers,
        }  # fmt: skip
        return self._entry(save.at, "search", changed)

    def _trial_row(self, trial: Trial) -> dict[str, Any]:
        scored = trial.state is TrialState.SCORED
        scores = [score for score in trial.scores if score is not None]
        average = mean(scores) if scored else None
        keep = self._whose.limits if trial.state.ended else ()
        keeps = kept(slack(trial, keep)) if keep and scored else None
        return {
            "search_id": self._search_id,
            "number": trial.number,
            "origin": trial.origin,
            "state": trial.state.value,
            "reason": trial.reason,
            "configuration": dict(trial.configuration),
            "scores": trial.scores,
            "mean": average,
            "standard_error": standard_error(scores, self._work.per_repeat) if scored else None,
            "rank_score": None if average is None or keeps is False else self._objective.judging.sign * average,
            "seconds": trial.seconds,
            "seen": trial.seen,
            "pending": trial.pending,
            "created_at": self._shown(trial.created_at),
            "ended_at": self._told_at(trial.ended_at),
            "learner": trial.learner,
            "source_id": trial.source,
            "bracket": trial.bracket,
            "cohort": trial.cohort,
            "rung": trial.rung,
            "results": {str(rung): list(scores) for rung, scores in trial.results.items()},
            "best_iteration": trial.best_iteration,
            "parent": trial.parent,
            "share": self._work.share(trial),
            "goal": trial.goal,
            "measured": measured(trial, self._whose.measures) if self._whose.measures and trial.state.ended else None,
            "keeps": keeps,
        }

    def _fit_row(self, fit: Fit) -> dict[str, Any]:
        outcome = fit.outcome
        return {
            "search_id": self._search_id,
            "trial": fit.trial,
            "fold": fit.fold,
            "rung": fit.rung,
            "state": fit.state.value,
            "attempt": fit.attempt,
            "lane": fit.lane,
            "machine": fit.machine,
            "started_at": self._told_at(fit.started_at),
            "ended_at": self._told_at(fit.ended_at),
            "score": fit.score,
            "seconds": outcome.seconds if outcome else 0.0,
            "predict_seconds": outcome.predict_seconds if outcome else 0.0,
            "reason": outcome.reason if outcome else NONE,
            "log": outcome.log if outcome else "",
            "warnings": list(outcome.warnings) if outcome else [],
            "model_bytes": outcome.model_bytes if outcome else None,
            "recorded": dict(outcome.recorded) if outcome else {},
        }

    def _fit_entry(self, fit: Fit) -> ledger.FitChanged:
        return {
            "trial": fit.trial, "fold": fit.fold, "rung": fit.rung, "state": fit.state.value, "attempt": fit.attempt, "lane": fit.lane,
            "machine": fit.machine,
            "started_at": self._told_at(fit.started_at), "ended_at": self._told_at(fit.ended_at), "score": fit.score,
            "seconds": fit.outcome.seconds if fit.outcome else 0.0, "reason": sentence(fit.outcome.reason) if fit.outcome else "",
        }  # fmt: skip

    def _told_at(self, at: float | None) -> float | None:
        return None if at is None else self._shown(at)


def _told(row: dict[str, Any]) -> ledger.TrialChanged:
    """A trial's row as readers of the event stream get it; its id comes when it is written."""
    reason: Reason = row["reason"]
    return {
        "id": 0, "number": row["number"], "origin": row["origin"], "state": row["state"], "reason": sentence(reason),
        "reason_code": reason.code, "configuration": row["configuration"], "scores": row["scores"], "mean": row["mean"],
        "standard_error": row["standard_error"], "seconds": row["seconds"], "seen": row["seen"], "pending": row["pending"],
        "created_at": row["created_at"], "ended_at": row["ended_at"], "bracket": row["bracket"], "rung": row["rung"],
        "best_iteration": row["best_iteration"], "parent": row["parent"], "member": row["cohort"], "share": row["share"],
        "measured": row["measured"], "keeps": row["keeps"],
    }  # fmt: skip
