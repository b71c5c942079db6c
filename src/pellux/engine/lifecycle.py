"""The life of trials and their fits: born, released rung by rung, scored, parked, pruned, failed, withdrawn.

Pure, like the coordinator that it serves: what is to be done is put on `out`.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping

from pellux.core.objective import Points
from pellux.core.reasons import NONE, Reason, because
from pellux.core.space import Value
from pellux.core.stopping import Enough, Keep, Park, Prune, Verdict
from pellux.engine.budget import Budget
from pellux.engine.checkpoint_sizes import CheckpointSizes
from pellux.engine.limiting import beside, measured
from pellux.engine.messages import (
    Command,
    CutFit,
    Dismiss,
    FitEnded,
    FitStarted,
    FitStepped,
    Forget,
    SaveFit,
    SavePoints,
    SaveTrial,
)
from pellux.engine.model import Fit, Outcome, Trial
from pellux.engine.pruning import Pruning
from pellux.engine.scheduler import Scheduler
from pellux.engine.states import FitState, TrialState
from pellux.engine.worker_pool import Key, Worker

BLAMELESS = 3  # times as many losses as of workers that died under it may a fit have with machines that vanished


class Lifecycle:
    """All trials of a search.

    Attributes
    ----------
    living, resting : set of int
        Numbers of the trials that have not ended; of those, the parked ones.
    proved : bool
        Whether any trial has had a result.
    failures : list of Reason
        Why trials failed, in their order.
    waits : bool
        The strategy has nothing to say before a trial ends.
    """

    def __init__(
        self,
        trials: dict[int, Trial],
        budget: Budget,
        pruning: Pruning,
        curves: Mapping[Key, Points],
        checkpoints: Mapping[int, Mapping[int, int]],
        earlier: int,
    ) -> None:
        self.trials, self.budget, self.pruning = trials, budget, pruning
        self.scheduler = Scheduler(self.fit)
        self.checkpoints = CheckpointSizes(checkpoints)
        self.out: list[Command] = []
        self.living = {number for number, trial in trials.items() if not trial.state.ended}
        self.resting = {number for number in self.living if trials[number].state is TrialState.PARKED}
        self.seen = earlier + len(trials) - len(self.living)
        self.proved = any(t.state is TrialState.SCORED or t.results for t in trials.values())
        self.failures = [t.reason for _, t in sorted(trials.items()) if t.state is TrialState.FAILED]
        self.waits = False
        self._news = sorted(n for n, t in trials.items() if t.state.ended or t.results)
        self._last_number = max(trials, default=0)
        self._enough: set[Key] = set()
        self._settling = False
        pruning.restore(trials.values(), curves)
        for number in sorted(self.living - self.resting):
            self.queue_unfinished(trials[number])

    def queue_unfinished(self, trial: Trial) -> None:
        """After a restart: what had not ended is to be done again."""
        for fold in self.folds_of(trial):
            fit = trial.fits.get(fold)
            if fit is not None and fit.rung < trial.rung:
                trial.past.append(fit)
                fit = None
            if fit is None or fit.state in (FitState.QUEUED, FitState.RUNNING, FitState.LOST):
                trial.fits[fold] = Fit(trial.number, fold, attempt=fit.attempt if fit else 0, rung=trial.rung)
                self.scheduler.push((trial.number, fold))

    def changed_since(self, count: int) -> list[int]:
        """Trials that gained a result, or ended, after the first `count` such events; in their order."""
        return self._news[count:]

    @property
    def live(self) -> list[Trial]:
        """The trials that are being worked on, oldest first; parked ones are not among them."""
        return [self.trials[number] for number in sorted(self.living - self.resting)]

    def fit(self, key: Key) -> Fit:
        return self.trials[key[0]].fits[key[1]]

    def held(self, event: FitStarted | FitStepped | FitEnded) -> Fit | None:
        """The fit that a worker reports on, if it is that worker's and this attempt; what comes of an older one is dropped."""
        key = (event.trial, event.fold)
        if self.scheduler.pool.holder(key) != event.worker:
            return None
        fit = self.fit(key)
        return fit if fit.attempt == event.attempt else None

    def next_number(self) -> int:
        self._last_number += 1
        return self._last_number

    def new_trial(self, configuration: Mapping[str, Value], origin: str, at: float) -> Trial:
        pending = len(self.living) - len(self.resting)
        return Trial(self.next_number(), configuration, origin, created_at=at, seen=self.seen, pending=pending)

    def folds_of(self, trial: Trial) -> Iterable[int]:
        """The folds that are fitted at a trial's rung."""
        if self.pruning.exempt(trial):
            return range(self.budget.limits.folds)
        return self.pruning.ladder.folds(trial.rung, self.budget.limits.folds)

    def add_trial(self, trial: Trial, at: float) -> None:
        self.trials[trial.number] = trial
        self.living.add(trial.number)
        if trial.goal is None and not trial.fits:
            self.pruning.admit(trial, self.budget.proposed - 1)
        self.release(trial, at)

    def release(self, trial: Trial, at: float) -> None:
        """Queue the fits of a trial's rung."""
        for fold in self.folds_of(trial):
            if fold in trial.fits:
                trial.past.append(trial.fits[fold])
            trial.fits[fold] = Fit(trial.number, fold, rung=trial.rung)
            self.scheduler.push((trial.number, fold))
        self.out.append(SaveTrial(trial, at))

    def requeue(self, fit: Fit, *, attempted: bool = False) -> None:
        """Back to the queue; unless it was the fit that cost the worker, the attempt does not count."""
        attempt = fit.attempt if attempted else fit.attempt - 1
        self.trials[fit.trial].put(fit._replace(state=FitState.QUEUED, attempt=attempt, started_at=None))
        self.scheduler.push((fit.trial, fit.fold))

    def lose(self, fit: Fit, how: str, at: float, *, blameless: bool = False) -> None:
        """The worker died under the fit: once more elsewhere, then the trial fails. One that went with its machine counts less: but
        what takes a whole machine along wherever it runs has to end too."""
        if fit.attempt >= self.budget.limits.attempts * (BLAMELESS if blameless else 1):
            lost = because("workers lost", workers=fit.attempt, how=how)
            self.end_fit(fit, Outcome(FitState.LOST, reason=lost), at)
        elif not self.trials[fit.trial].state.ended:
            self.out.append(SaveFit(fit._replace(state=FitState.LOST, ended_at=at), at))
            self.requeue(fit, attempted=True)

    def take_points(self, fit: Fit, points: Points, at: float) -> None:
        """A fold's curve has grown: keep the new part, and end what the rule ends."""
        trial = self.trials[fit.trial]
        key = (fit.trial, fit.fold)
        if trial.state.ended or fit.state is not FitState.RUNNING or key in self._enough:
            return
        known = self.pruning.reached(trial, fit.fold) or 0
        verdict = self.pruning.stepped(trial, fit.fold, points)
        reached = self.pruning.reached(trial, fit.fold) or 0
        new = tuple(point for point in points if known < point[0] <= reached)
        if new:
            self.out.append(SavePoints(fit.trial, fit.fold, new, at))
        if isinstance(verdict, Prune):
            self.cut_rest(trial, at, running=True)
            self.end_trial(trial, TrialState.ENDED_EARLY, verdict.reason, at)
        elif isinstance(verdict, Enough):
            # What comes later is not looked at, so that the score does not hang on how soon the worker hears.
            self._enough.add(key)
            trial.put(trial.fits[fit.fold]._replace(outcome=Outcome(FitState.DONE, reason=verdict.reason)))
            self.tell_to_end(fit)

    def _weak(self, fit: Fit, points: Points, at: float) -> bool:
        """Whether the last points of a curve ended its trial."""
        if self.trials[fit.trial].state.ended:
            return False
        self.take_points(fit, points, at)
        return self.trials[fit.trial].state.ended

    def tell_to_end(self, fit: Fit) -> None:
        holder = self.scheduler.pool.holder((fit.trial, fit.fold))
        if holder is not None:
            self.out.append(CutFit(holder, fit.trial, fit.fold, fit.attempt))

    def end_fit(self, fit: Fit, outcome: Outcome, at: float) -> None:
        trial = self.trials[fit.trial]
        if outcome.state is FitState.DONE and outcome.curve and self._weak(fit, outcome.curve, at):
            outcome = outcome._replace(state=FitState.CUT, score=None)
        early = trial.fits[fit.fold].outcome
        if early is not None and early.reason and not outcome.reason:
            outcome = outcome._replace(reason=early.reason)
        ended = trial.put(trial.fits[fit.fold].ended(outcome, at))
        self.out.append(SaveFit(ended, at))
        if outcome.predictions is not None or outcome.curve:  # the store has them; here they would fill the memory
            trial.put(ended._replace(outcome=outcome._replace(predictions=None, curve=())))
        if trial.state.ended:
            return
        if outcome.state is not FitState.DONE:
            self.cut_rest(trial, at, running=False)
            failed = because("fold failed", fold=fit.fold + 1, because=outcome.reason.to_json())
            self.end_trial(trial, TrialState.FAILED, failed, at)
            return
        if outcome.curve and trial.rung >= self.pruning.goal(trial):
            self.pruning.finished_curve(trial, fit.fold)
        self._enough.discard((fit.trial, fit.fold))
        self.checkpoints.note(fit.trial, fit.fold, outcome.checkpoint_bytes)
        for other in trial.fits.values():
            if other.state is not FitState.DONE:
                return
        self._end_rung(trial, at)

    def _missing(self, trial: Trial) -> Reason:
        """Which of the metrics that decide together no fit of a trial told; false when none."""
        aims = self.budget.limits.against
        for aim, told in zip(aims, beside(trial, aims), strict=True):
            if not math.isfinite(told):
                return because("metric missing", metric=aim.measure)
        return NONE

    def _end_rung(self, trial: Trial, at: float) -> None:
        """All fits of a trial's rung are done: it is scored, goes on, waits or ends."""
        self.proved = True
        missing = self._missing(trial)
        if missing:
            self.end_trial(trial, TrialState.FAILED, missing, at)
            return
        verdict = self.pruning.rung_done(trial)
        if self.pruning.exempt(trial) or trial.rung >= self.pruning.goal(trial):
            self.end_trial(trial, TrialState.SCORED, NONE, at)
            return
        over = self.budget.trial_over_limit(trial)
        if isinstance(verdict, Keep) and over:
            self.end_trial(trial, TrialState.FAILED, over, at)
            return
        self.apply(trial, verdict, at)

    def apply(self, trial: Trial, verdict: Verdict, at: float) -> None:
        if isinstance(verdict, Prune):
            self.end_trial(trial, TrialState.ENDED_EARLY, verdict.reason, at)
        elif isinstance(verdict, Park):
            trial.move(TrialState.PARKED, verdict.reason)
            self.resting.add(trial.number)
            self._news.append(trial.number)
            self.pruning.park(trial)
            self.out.append(SaveTrial(trial, at))
            self._settle(trial, at)
            self._spare_disk()
        else:
            self.go_on(trial, at)

    def go_on(self, trial: Trial, at: float) -> None:
        """To the next rung."""
        self.resting.discard(trial.number)
        self._news.append(trial.number)
        trial.move(TrialState.RUNNING)
        trial.rung += 1
        self.pruning.working(trial)
        self.release(trial, at)

    def _settle(self, trial: Trial, at: float) -> None:
        """A trial rests or has ended: others at its rung, or of its cohort, may now learn what becomes of them."""
        if self._settling:  # the verdicts of this round were all made already
            return
        self._settling = True
        for other, verdict in [*self.pruning.settled(trial.cohort), *self.pruning.hopeless(trial)]:
            if not other.state.ended:
                self.apply(other, verdict, at)
        self._settling = False

    def end_trial(self, trial: Trial, state: TrialState, reason: Reason, at: float) -> None:
        trial.move(state, reason)
        trial.ended_at = at
        if self.budget.limits.measures:
            trial.measured = measured(trial, self.budget.limits.measures)
        self.living.discard(trial.number)
        self.resting.discard(trial.number)
        self.seen += 1
        self.waits = False
        self._news.append(trial.number)
        if state is TrialState.FAILED:
            self.failures.append(reason)
        self.budget.note(trial)
        self.out.append(SaveTrial(trial, at))
        self.pruning.ended(trial)
        # Others go on from the checkpoints of a trial with a goal of its own: those stay until the search ends.
        if trial.goal is None:
            self.forget(trial.number)
        self._settle(trial, at)

    def _spare_disk(self) -> None:
        """Parked trials keep their checkpoints while there is room; the weakest give theirs up first."""
        if self.checkpoints.total <= self.budget.limits.checkpoint_bytes:
            return
        weakest = (trial.number for trial in self.pruning.weakest_first())
        for number in self.checkpoints.too_many(self.budget.limits.checkpoint_bytes, weakest):
            self.forget(number)

    def forget(self, number: int) -> None:
        if self.checkpoints.drop(number):
            self.out.append(Forget(number))

    def write_down_late(self, fit: Fit, event: FitEnded) -> None:
        """A fit that was told to end has ended: what it took is still written down."""
        trial = self.trials[fit.trial]
        late = event.outcome._replace(state=FitState.CUT, score=None, predictions=None, curve=())
        self.out.append(SaveFit(trial.put(fit._replace(outcome=late)), event.at))
        if trial.state.ended:
            self.out.append(SaveTrial(trial, event.at))
            if event.outcome.checkpoint_bytes and trial.goal is None:
                self.out.append(Forget(fit.trial))

    def withdraw(self, trial: Trial, reason: Reason, at: float) -> None:
        self.cut_rest(trial, at, running=True, hard=True)
        self.end_trial(trial, TrialState.WITHDRAWN, reason, at)

    def cut_rest(self, trial: Trial, at: float, *, running: bool, hard: bool = False) -> None:
        """Fits that have not begun are cut; running ones too when their result is not wanted any more.

        `hard` ends a running fit with its worker; else the worker is told, and ends the fit at its next iteration.
        """
        ended = (FitState.QUEUED, FitState.RUNNING) if running else (FitState.QUEUED,)
        for fold, fit in trial.fits.items():
            if fit.state in ended:
                holder = self.scheduler.pool.holder((trial.number, fold))
                if holder is not None and not running:
                    continue  # already handed to a worker: cheaper to let it end than to replace the worker
                if holder is not None and hard:
                    self.dismiss(holder, keep=(trial.number, fold))
                elif holder is not None:
                    self.tell_to_end(fit)
                self.out.append(SaveFit(trial.put(fit._replace(state=FitState.CUT, ended_at=at)), at))

    def cut_leftovers(self, at: float) -> None:
        """Fits of trials that failed meanwhile were left to end by themselves; when the search ends, nobody waits for them."""
        for worker in self.scheduler.pool.workers.values():
            fit = self.running_fit(worker)
            if fit is not None:
                self.out.append(SaveFit(self.trials[fit.trial].put(fit._replace(state=FitState.CUT, ended_at=at)), at))

    def running_fit(self, worker: Worker) -> Fit | None:
        fit = self.fit(worker.fits[0]) if worker.fits else None
        return fit if fit and fit.state is FitState.RUNNING else None

    def dismiss(self, number: int, keep: Key | None = None) -> None:
        """End a worker; what it held goes back to the queue, but for its running fit and `keep`."""
        worker = self.scheduler.pool.remove(number)
        if worker is None:
            return
        self.out.append(Dismiss(number))
        running = worker.fits[0] if self.running_fit(worker) else None
        for key in worker.fits:
            fit = self.fit(key)
            if key == keep or (key == running and keep is None):
                continue
            if fit.state in (FitState.RUNNING, FitState.QUEUED) and not self.trials[fit.trial].state.ended:
                self.requeue(fit)
