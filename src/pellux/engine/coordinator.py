"""The coordinator: a pure state machine, events in, commands out. No clock, no process, no store.

Folds before trials: a free worker takes the next fit of the oldest running trial; a new trial is asked for only when
no fit is waiting. So more workers shorten a trial instead of lengthening the list of proposals made blind.
"""

from __future__ import annotations

import heapq
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import singledispatchmethod

from pellux.core.errors import Conflict
from pellux.core.space import Value
from pellux.engine.messages import (
    Ask,
    Begin,
    Command,
    Dismiss,
    Event,
    Finish,
    FitEnded,
    FitStarted,
    Hire,
    Pause,
    Proposal,
    ProposalFailed,
    Resume,
    SaveFit,
    SaveSearch,
    SaveTrial,
    SetLimits,
    SetWorkers,
    StartFit,
    Stop,
    Tick,
    Try,
    Withdraw,
    WorkerLost,
    WorkerReady,
)
from pellux.engine.model import Fit, FitState, Limits, Outcome, SearchState, Trial, TrialState

Key = tuple[int, int]  # trial number, fold
SHORT_FIT = 0.2  # seconds; below, a worker is handed its next fit before it ends the last, to hide the round trip
HOPELESS = 5  # trials that may fail before any is scored
FAILED_STARTS = 3  # beyond one a worker: losses in a row without a fit having begun
SAVE_SECONDS = 2.0  # how much running time a crash may forget


@dataclass(slots=True)
class _Worker:
    lane: int
    ready: bool = False
    fits: list[Key] = field(default_factory=list)


class Coordinator:
    """One search. `handle` takes an event and returns the commands that follow from it, saves first."""

    def __init__(
        self,
        limits: Limits,
        baseline: Mapping[str, Value] | None,
        trials: Iterable[Trial] = (),
        active_seconds: float = 0.0,
        state: SearchState = SearchState.RUNNING,
        starts: Sequence[Mapping[str, Value]] = (),
    ) -> None:
        self.limits = limits
        self.state = state
        self.reason = ""
        self.trials = {trial.number: trial for trial in trials}
        self.active_seconds = active_seconds
        self._baseline = baseline
        self._queue: list[Key] = []
        self._workers: dict[int, _Worker] = {}
        self._next_worker = 0
        self._failed_starts = 0
        self._saved_seconds = active_seconds
        self._asked = False
        self._exhausted = False
        self._clock: float | None = None
        self._short_fits: float | None = None
        self._out: list[Command] = []
        self._live = {number for number, trial in self.trials.items() if not trial.state.ended}
        self._ended = [trial for number, trial in sorted(self.trials.items()) if trial.state.ended]
        self._scored = sum(t.state is TrialState.SCORED for t in self.trials.values())
        self._proposed = sum(t.origin in ("proposed", "start", "finalist") for t in self.trials.values())
        self._starts = list(starts[sum(t.origin == "start" for t in self.trials.values()) :])
        self._best: tuple[float, int] | None = None  # turned score and trial number of the best
        self._since_gain = 0
        for trial in sorted(self._ended, key=lambda t: t.ended_at or 0.0):
            self._note_score(trial)
        for number in sorted(self._live):
            self._queue_unfinished(self.trials[number])

    def _queue_unfinished(self, trial: Trial) -> None:
        """After a restart: what had not ended is to be done again."""
        for fold in range(self.limits.folds):
            fit = trial.fits.get(fold)
            if fit is None or fit.state in (FitState.QUEUED, FitState.RUNNING, FitState.LOST):
                trial.fits[fold] = Fit(trial.number, fold, attempt=fit.attempt if fit else 0)
                heapq.heappush(self._queue, (trial.number, fold))

    def handle(self, event: Event) -> list[Command]:
        self._out = []
        at = getattr(event, "at", None)
        if at is not None:
            self._advance_clock(at)
        if not self.state.ended:
            self._on(event)
        if not self.state.ended:
            self._schedule(at if at is not None else self._clock or 0.0)
        return self._out

    def _advance_clock(self, at: float) -> None:
        if self._clock is not None and self.state is SearchState.RUNNING:
            self.active_seconds += max(at - self._clock, 0.0)
        self._clock = at

    # What each event means

    @singledispatchmethod
    def _on(self, event: Event) -> None:
        raise TypeError(f"No such event: {type(event).__name__}")

    @_on.register
    def _(self, event: Begin) -> None:
        if self._baseline is not None and not self.trials:
            self._add_trial(Trial(0, self._baseline, origin="baseline", created_at=event.at), event.at)
        self._staff()
        self._save_search(event.at)

    @_on.register
    def _(self, event: Tick) -> None:
        for worker, state in list(self._workers.items()):
            fit = self._running_fit(state)
            if fit and fit.started_at is not None and event.at - fit.started_at > self.limits.fit_seconds:
                self._dismiss(worker)
                message = f"The fit took longer than its limit of {self.limits.fit_seconds:g} s."
                self._end_fit(fit, Outcome(FitState.TIMEOUT, seconds=event.at - fit.started_at, message=message), event.at)
        if self.state is SearchState.RUNNING and self.active_seconds - self._saved_seconds >= SAVE_SECONDS:
            self._save_search(event.at)

    @_on.register
    def _(self, event: WorkerReady) -> None:
        if event.worker in self._workers:
            self._workers[event.worker].ready = True

    @_on.register
    def _(self, event: WorkerLost) -> None:
        worker = self._workers.pop(event.worker, None)
        if worker is None:
            return
        if not any(self._fit(key).state is FitState.RUNNING for key in worker.fits):
            self._failed_starts += 1
            if self._failed_starts >= FAILED_STARTS + self.limits.workers:
                self._end(SearchState.FAILED, f"Workers do not start: {event.reason}", event.at)
                return
        for place, key in enumerate(worker.fits):
            fit = self._fit(key)
            if place == 0 and fit.state is FitState.RUNNING:
                self._lose(fit, event.reason, event.at)
            elif not self.trials[fit.trial].state.ended:
                self._requeue(fit)

    @_on.register
    def _(self, event: FitStarted) -> None:
        worker = self._workers.get(event.worker)
        key = (event.trial, event.fold)
        if worker is None or key not in worker.fits:
            return
        self._failed_starts = 0
        trial = self.trials[event.trial]
        fit = trial.change(event.fold, state=FitState.RUNNING, lane=worker.lane, started_at=event.at)
        if trial.state is TrialState.WAITING:
            trial.state = TrialState.RUNNING
            self._out.append(SaveTrial(trial, event.at))
        self._out.append(SaveFit(fit, event.at))

    @_on.register
    def _(self, event: FitEnded) -> None:
        worker = self._workers.get(event.worker)
        key = (event.trial, event.fold)
        if worker is None or key not in worker.fits or self._fit(key).attempt != event.attempt:
            return
        worker.fits.remove(key)
        self._short_fits = (self._short_fits or event.outcome.seconds) * 0.8 + event.outcome.seconds * 0.2
        self._end_fit(self._fit(key), event.outcome, event.at)

    @_on.register
    def _(self, event: Proposal) -> None:
        self._asked = False
        if event.configuration is None:
            self._exhausted = True
            return
        self._proposed += 1
        self._add_trial(self._new_trial(event.configuration, "proposed", event.at), event.at)

    @_on.register
    def _(self, event: Try) -> None:
        self._add_trial(self._new_trial(event.configuration, "by hand", event.at), event.at)

    @_on.register
    def _(self, event: SetLimits) -> None:
        self.limits = replace(self.limits, **event.changes)  # type: ignore[arg-type]
        self._save_search(event.at)

    @_on.register
    def _(self, event: ProposalFailed) -> None:
        self._end(SearchState.FAILED, f"The strategy could not propose: {event.message}", event.at)

    @_on.register
    def _(self, event: Pause) -> None:
        if self.state is SearchState.RUNNING:
            self.state, self.reason = SearchState.PAUSED, "Paused by a person."
            self._save_search(event.at)

    @_on.register
    def _(self, event: Resume) -> None:
        if self.state is SearchState.PAUSED:
            self.state, self.reason = SearchState.RUNNING, ""
            self._save_search(event.at)

    @_on.register
    def _(self, event: Stop) -> None:
        for number in sorted(self._live):
            self._withdraw(self.trials[number], "The search was stopped.", event.at)
        self._end(SearchState.STOPPED, "Stopped by a person.", event.at)

    @_on.register
    def _(self, event: Withdraw) -> None:
        trial = self.trials.get(event.trial)
        if trial is None or trial.state.ended:
            raise Conflict(f"Trial {event.trial} has ended already; only a live trial can be withdrawn.")
        self._withdraw(trial, "Withdrawn by a person.", event.at)

    @_on.register
    def _(self, event: SetWorkers) -> None:
        self.limits = replace(self.limits, workers=event.count)
        self._save_search(event.at)

    # Trials and fits

    def ended_since(self, count: int) -> list[Trial]:
        """The trials that ended after the first `count` of them, in the order in which they ended."""
        return self._ended[count:]

    @property
    def live(self) -> list[Trial]:
        """The trials that have not ended, oldest first."""
        return [self.trials[number] for number in sorted(self._live)]

    @property
    def _seen(self) -> int:
        return len(self._ended)

    def _fit(self, key: Key) -> Fit:
        return self.trials[key[0]].fits[key[1]]

    def _new_trial(self, configuration: Mapping[str, Value], origin: str, at: float) -> Trial:
        number = max(self.trials, default=0) + 1
        return Trial(number, configuration, origin, created_at=at, seen=self._seen, pending=len(self._live))

    def _note_score(self, trial: Trial) -> None:
        """Keeps the best score and how many trials ended since it was found."""
        mean = trial.mean
        if mean is not None and (self._best is None or self.limits.sign * mean > self._best[0]):
            self._best, self._since_gain = (self.limits.sign * mean, trial.number), 0
        elif trial.origin != "baseline":
            self._since_gain += 1

    def _add_trial(self, trial: Trial, at: float) -> None:
        trial.fits = {fold: Fit(trial.number, fold) for fold in range(self.limits.folds)}
        self.trials[trial.number] = trial
        self._live.add(trial.number)
        for fold in trial.fits:
            heapq.heappush(self._queue, (trial.number, fold))
        self._out.append(SaveTrial(trial, at))

    def _requeue(self, fit: Fit, *, attempted: bool = False) -> None:
        """Back to the queue; unless it was the fit that cost the worker, the attempt does not count."""
        attempt = fit.attempt if attempted else fit.attempt - 1
        self.trials[fit.trial].change(fit.fold, state=FitState.QUEUED, attempt=attempt, started_at=None)
        heapq.heappush(self._queue, (fit.trial, fit.fold))

    def _lose(self, fit: Fit, reason: str, at: float) -> None:
        """The worker died under the fit: once more elsewhere, then the trial fails."""
        if fit.attempt >= self.limits.attempts:
            message = f"Lost {fit.attempt} workers on this fit: {reason}"
            self._end_fit(fit, Outcome(FitState.LOST, message=message), at)
        elif not self.trials[fit.trial].state.ended:
            self._out.append(SaveFit(replace(fit, state=FitState.LOST, ended_at=at), at))
            self._requeue(fit, attempted=True)

    def _end_fit(self, fit: Fit, outcome: Outcome, at: float) -> None:
        trial = self.trials[fit.trial]
        ended = trial.change(fit.fold, state=outcome.state, outcome=outcome, ended_at=at)
        self._out.append(SaveFit(ended, at))
        if outcome.predictions is not None:  # the store has them; here they would fill the memory
            trial.change(fit.fold, outcome=replace(outcome, predictions=None))
        if trial.state.ended:
            return
        if outcome.state is not FitState.DONE:
            self._cut_rest(trial, at, running=False)
            self._end_trial(trial, TrialState.FAILED, f"Fold {fit.fold + 1}: {outcome.message}", at)
        elif all(f.state is FitState.DONE for f in trial.fits.values()):
            self._scored += 1
            self._end_trial(trial, TrialState.SCORED, "", at)

    def _end_trial(self, trial: Trial, state: TrialState, reason: str, at: float) -> None:
        trial.state, trial.reason, trial.ended_at = state, reason, at
        self._live.discard(trial.number)
        self._ended.append(trial)
        self._note_score(trial)
        self._out.append(SaveTrial(trial, at))

    def _withdraw(self, trial: Trial, reason: str, at: float) -> None:
        self._cut_rest(trial, at, running=True)
        self._end_trial(trial, TrialState.WITHDRAWN, reason, at)

    def _cut_rest(self, trial: Trial, at: float, *, running: bool) -> None:
        """Fits that have not begun are cut; running ones too when their result is not wanted any more."""
        ended = (FitState.QUEUED, FitState.RUNNING) if running else (FitState.QUEUED,)
        for fold, fit in trial.fits.items():
            if fit.state in ended:
                holder = self._holder((trial.number, fold))
                if holder is not None and not running:
                    continue  # already handed to a worker: cheaper to let it end than to replace the worker
                if holder is not None:
                    self._dismiss(holder, keep=(trial.number, fold))
                self._out.append(SaveFit(trial.change(fold, state=FitState.CUT, ended_at=at), at))

    # Workers

    def _holder(self, key: Key) -> int | None:
        return next((number for number, worker in self._workers.items() if key in worker.fits), None)

    def _running_fit(self, worker: _Worker) -> Fit | None:
        fit = self._fit(worker.fits[0]) if worker.fits else None
        return fit if fit and fit.state is FitState.RUNNING else None

    def _dismiss(self, number: int, keep: Key | None = None) -> None:
        """End a worker; what it held goes back to the queue, but for its running fit and `keep`."""
        worker = self._workers.pop(number)
        self._out.append(Dismiss(number))
        running = worker.fits[0] if self._running_fit(worker) else None
        for key in worker.fits:
            fit = self._fit(key)
            if key == keep or (key == running and keep is None):
                continue
            if fit.state in (FitState.RUNNING, FitState.QUEUED) and not self.trials[fit.trial].state.ended:
                self._requeue(fit)

    def _staff(self) -> None:
        """Hire up to the wanted number of workers, or let idle ones go."""
        lanes = {worker.lane for worker in self._workers.values()}
        while len(self._workers) < self.limits.workers:
            lane = next(i for i in range(len(lanes) + 1) if i not in lanes)
            lanes.add(lane)
            self._workers[self._next_worker] = _Worker(lane)
            self._out.append(Hire(self._next_worker, lane))
            self._next_worker += 1
        surplus = len(self._workers) - self.limits.workers
        idle = [n for n, w in sorted(self._workers.items(), key=lambda item: -item[1].lane) if not w.fits]
        for number in idle[: max(surplus, 0)]:
            self._dismiss(number)

    # Scheduling

    def _schedule(self, at: float) -> None:
        self._staff()
        if self.state is SearchState.RUNNING:
            self._hand_out(capacity=1)
            if self._short_fits is not None and self._short_fits < SHORT_FIT:
                self._hand_out(capacity=2)
            self._ask_or_end(at)

    def _hand_out(self, capacity: int) -> None:
        surplus = len(self._workers) - self.limits.workers
        for number, worker in self._workers.items():
            while surplus <= 0 and worker.ready and len(worker.fits) < capacity:
                key = self._next_queued()
                if key is None:
                    return
                trial = self.trials[key[0]]
                fit = trial.change(key[1], attempt=self._fit(key).attempt + 1)
                worker.fits.append(key)
                self._out.append(StartFit(number, fit.trial, fit.fold, fit.attempt, trial.configuration, trial.learner))

    def _next_queued(self) -> Key | None:
        while self._queue:
            key = heapq.heappop(self._queue)
            if self._fit(key).state is FitState.QUEUED and self._holder(key) is None:
                return key
        return None

    def _ask_or_end(self, at: float) -> None:
        if not self._scored:
            failed = [trial for trial in self.trials.values() if trial.state is TrialState.FAILED]
            if len(failed) >= HOPELESS or (failed and self._budget_spent() and not self._live):
                self._end(SearchState.FAILED, f"Every trial failed. The first: {failed[0].reason}", at)
                return
        budget = self._budget_spent()
        if budget and not self._live and not self._asked:
            self._end(SearchState.FINISHED, budget, at)
        elif not budget and not self._asked and not self._queue and self._idle():
            if self._starts:
                self._proposed += 1
                self._add_trial(self._new_trial(self._starts.pop(0), "start", at), at)
                self._schedule(at)
                return
            self._asked = True
            self._out.append(Ask(self._proposed + 1))

    def _idle(self) -> bool:
        return any(worker.ready and not worker.fits for worker in self._workers.values())

    def _budget_spent(self) -> str:
        if self._exhausted:
            return "The space is exhausted: every configuration in it was tried."
        if self._proposed >= self.limits.trials:
            return f"All {self.limits.trials} trials are done."
        if self.limits.target is not None and self._best and self._best[0] >= self.limits.sign * self.limits.target:
            score = self.limits.sign * self._best[0]
            return f"The target score of {self.limits.target:g} is reached: trial {self._best[1]} has {score:.6g}."
        if self.limits.patience is not None and self._since_gain >= self.limits.patience and self._best:
            return f"No gain in {self._since_gain} trials: trial {self._best[1]} is still the best."
        if self.limits.minutes is not None and self.active_seconds >= 60 * self.limits.minutes:
            return f"The {self.limits.minutes:g} minutes are over."
        return ""

    def _end(self, state: SearchState, reason: str, at: float) -> None:
        for number in sorted(self._live):
            self._withdraw(self.trials[number], reason, at)
        self.state, self.reason = state, reason
        self._save_search(at)
        self._out.append(Finish())

    def _save_search(self, at: float) -> None:
        self._saved_seconds = self.active_seconds
        self._out.append(SaveSearch(self.state, self.reason, self.active_seconds, self.limits.workers, at))
