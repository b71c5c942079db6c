"""The trials of a search as the store has them, made ready to go on."""

from __future__ import annotations

from pellux.engine.model import Fit, Outcome, Trial
from pellux.engine.states import FitState, TrialState
from pellux.store.database import Session
from pellux.store.fits import fits_of
from pellux.store.records import Trial as StoredTrial
from pellux.store.trials import trials_of


def restored(session: Session, search_id: int) -> list[Trial]:
    """Outcomes of scored fits are kept, the rest is done again."""
    trials = {row.number: _trial(row) for row in trials_of(session, search_id)}
    for row in fits_of(session, search_id):
        state = FitState(row.state)
        outcome = None
        if state.ended:
            outcome = Outcome(
                state, row.score, row.seconds, row.predict_seconds, row.reason, model_bytes=row.model_bytes, recorded=row.recorded
            )
        # A fit that ran when the engine died did not lose a worker of its own making: the attempt does not count.
        attempt = row.attempt if state.ended else max(row.attempt - 1, 0)
        fit = Fit(row.trial, row.fold, state, attempt, row.lane, row.started_at, row.ended_at, outcome, row.rung, row.machine)
        trial = trials[row.trial]
        if row.fold in trial.fits:  # of a lower rung
            trial.past.append(trial.fits[row.fold])
        trial.fits[row.fold] = fit
    for trial in trials.values():
        if trial.state is TrialState.RUNNING and not any(f.state is FitState.DONE for f in trial.fits.values()):
            trial.state = TrialState.DUE  # what it had begun is gone
    return list(trials.values())


def _trial(row: StoredTrial) -> Trial:
    return Trial(
        row.number, row.configuration, row.origin, TrialState(row.state), row.reason, row.seen, row.pending, row.created_at,
        row.ended_at, learner=row.learner, source=row.source_id, bracket=row.bracket, cohort=row.cohort, rung=row.rung,
        results={int(rung): tuple(scores) for rung, scores in row.results.items()}, best_iteration=row.best_iteration,
        parent=row.parent, goal=row.goal, measured=row.measured,
    )  # fmt: skip
