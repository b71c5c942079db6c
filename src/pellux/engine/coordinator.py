"""The coordinator: a pure state machine, events in, commands out. No clock, no process, no store.

Folds before trials: a free worker takes the next fit of the oldest running trial; a new trial is asked for only when
no fit is waiting. So more workers shorten a trial instead of lengthening the list of proposals made blind.

A trial climbs rungs. When all fits of a rung are done the referee says whether it goes on, waits or ends; a search
without early stopping has one rung. No event costs more when there are more workers or trials.
"""

from __future__ import annotations

import heapq
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import replace
from typing import Any

from pellux.core.errors import Conflict
from pellux.core.space import Value
from pellux.core.stopping import Enough, Keep, Park, Prune, Verdict
from pellux.engine.crew import Crew, Key, Worker
from pellux.engine.messages import (
    Ancestor,
    Ask,
    Begin,
    Command,
    CutFit,
    Dismiss,
    Event,
    Finish,
    FitEnded,
    FitStarted,
    FitStepped,
    Forget,
    Hire,
    Pause,
    Proposal,
    ProposalFailed,
    Resume,
    SaveFit,
    SavePoints,
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
from pellux.engine.model import Fit, FitState, Limits, Outcome, Points, SearchState, Trial, TrialState
from pellux.engine.referee import Referee, Stopping

SHORT_FIT = 0.2  # seconds; below, a worker is handed its next fit before it ends the last, to hide the round trip
PROPOSED = ("proposed", "start", "finalist", "recheck")
HOPELESS = 5  # trials that may fail before any is scored
FAILED_STARTS = 3  # beyond one a worker: losses in a row without a fit having begun
SAVE_SECONDS = 2.0  # how much running time a crash may forget


class Coordinator:
    """One search. `handle` takes an event and returns the commands that follow from it, saves first."""

    def __init__(
        self,
        limits: Limits,
        baselines: Sequence[Mapping[str, Value]],
        trials: Iterable[Trial] = (),
        active_seconds: float = 0.0,
        state: SearchState = SearchState.RUNNING,
        starts: Sequence[Mapping[str, Value]] = (),
        stopping: Stopping | None = None,
        curves: Mapping[Key, Points] | None = None,
        checkpoints: Mapping[int, Mapping[int, int]] | None = None,
    ) -> None:
        self.limits = limits
        self.state = state
        self.reason = ""
        self.trials = {trial.number: trial for trial in trials}
        self.active_seconds = active_seconds
        self.referee = Referee(stopping or Stopping(), limits.folds, limits.trials, limits.sign)
        self._baselines = baselines
        self._queue: list[Key] = []
        self._crew = Crew()
        self._failed_starts = 0
        self._saved_seconds = active_seconds
        self._asked = False
        self._waits = False
        self._exhausted = False
        self._clock: float | None = None
        self._short_fits: float | None = None
        self._out: list[Command] = []
        self._last_number = max(self.trials, default=0)
        self._live = {number for number, trial in self.trials.items() if not trial.state.ended}
        self._resting = {number for number in self._live if self.trials[number].state is TrialState.PARKED}
        self._seen = len(self.trials) - len(self._live)
        self._proved = any(t.state is TrialState.SCORED or t.results for t in self.trials.values())
        self._failures = [t.reason for _, t in sorted(self.trials.items()) if t.state is TrialState.FAILED]
        self._news = sorted(n for n, t in self.trials.items() if t.state.ended or t.results)
        self._checkpoints = {trial: dict(by_fold) for trial, by_fold in (checkpoints or {}).items()}
        self._checkpoints_total = sum(sum(by_fold.values()) for by_fold in self._checkpoints.values())
        self._enough: set[Key] = set()
        self._settling = False
        proposed = [n for n, t in sorted(self.trials.items()) if t.origin in PROPOSED]
        self._proposed = len(proposed)
        self._starts = list(starts[sum(t.origin == "start" for t in self.trials.values()) :])
        self._best: tuple[float, int] | None = None  # turned score and trial number of the best
        self._since_gain = 0
        for trial in sorted((t for t in self.trials.values() if t.state.ended), key=lambda t: t.ended_at or 0.0):
            self._note_score(trial)
        self.referee.restore(self.trials.values(), {number: index for index, number in enumerate(proposed)}, curves or {})
        for number in sorted(self._live - self._resting):
            self._queue_unfinished(self.trials[number])

    def _queue_unfinished(self, trial: Trial) -> None:
        """After a restart: what had not ended is to be done again."""
        for fold in self._folds_of(trial):
            fit = trial.fits.get(fold)
            if fit is not None and fit.rung < trial.rung:
                trial.past.append(fit)
                fit = None
            if fit is None or fit.state in (FitState.QUEUED, FitState.RUNNING, FitState.LOST):
                trial.fits[fold] = Fit(trial.number, fold, attempt=fit.attempt if fit else 0, rung=trial.rung)
                heapq.heappush(self._queue, (trial.number, fold))

    def handle(self, event: Event) -> list[Command]:
        self._out = []
        at = getattr(event, "at", None)
        if at is not None:
            self._advance_clock(at)
        if not self.state.ended:
            _HANDLERS[type(event)](self, event)
        if not self.state.ended:
            self._schedule(at if at is not None else self._clock or 0.0)
        return self._out

    def _advance_clock(self, at: float) -> None:
        if self._clock is not None and self.state is SearchState.RUNNING:
            self.active_seconds += max(at - self._clock, 0.0)
        self._clock = at

    # What each event means

    def _on_begin(self, event: Begin) -> None:
        if not self.trials:
            for place, configuration in enumerate(self._baselines):
                number = 0 if place == 0 else self._next_number()
                self._add_trial(Trial(number, configuration, origin="baseline", created_at=event.at), event.at)
        self._staff()
        self._save_search(event.at)

    def _on_tick(self, event: Tick) -> None:
        for number, worker in list(self._crew.workers.items()):
            fit = self._running_fit(worker)
            message = self._over_limit(fit, event.at) if fit else ""
            if fit and message:
                self._dismiss(number)
                seconds = event.at - (fit.started_at or event.at)
                self._end_fit(fit, Outcome(FitState.TIMEOUT, seconds=seconds, message=message), event.at)
        if self.state is SearchState.RUNNING and self.active_seconds - self._saved_seconds >= SAVE_SECONDS:
            self._save_search(event.at)

    def _on_worker_ready(self, event: WorkerReady) -> None:
        self._crew.ready(event.worker)

    def _on_worker_lost(self, event: WorkerLost) -> None:
        worker = self._crew.remove(event.worker)
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
            elif fit.state is FitState.QUEUED and not self.trials[fit.trial].state.ended:
                self._requeue(fit)

    def _on_fit_started(self, event: FitStarted) -> None:
        key = (event.trial, event.fold)
        if self._crew.holder(key) != event.worker:
            return
        self._failed_starts = 0
        worker, trial = self._crew.workers[event.worker], self.trials[event.trial]
        if trial.fits[event.fold].state is FitState.CUT:
            return
        fit = trial.change(event.fold, state=FitState.RUNNING, lane=worker.lane, started_at=event.at)
        if trial.state is TrialState.WAITING:
            trial.state = TrialState.RUNNING
            self._out.append(SaveTrial(trial, event.at))
        self._out.append(SaveFit(fit, event.at))

    def _on_fit_stepped(self, event: FitStepped) -> None:
        key = (event.trial, event.fold)
        if self._crew.holder(key) == event.worker and self._fit(key).attempt == event.attempt:
            self._take_points(self._fit(key), event.points, event.at)

    def _on_fit_ended(self, event: FitEnded) -> None:
        key = (event.trial, event.fold)
        if self._crew.holder(key) != event.worker or self._fit(key).attempt != event.attempt:
            return
        self._crew.release(event.worker, key)
        self._short_fits = (self._short_fits or event.outcome.seconds) * 0.8 + event.outcome.seconds * 0.2
        fit = self._fit(key)
        if fit.state is FitState.CUT:  # it was told to end; what it took is still written down
            late = replace(event.outcome, state=FitState.CUT, score=None, predictions=None, curve=())
            self._out.append(SaveFit(self.trials[fit.trial].change(fit.fold, outcome=late), event.at))
            if self.trials[fit.trial].state.ended:
                self._out.append(SaveTrial(self.trials[fit.trial], event.at))
                if event.outcome.checkpoint_bytes and not self.referee.stopping.segments:
                    self._out.append(Forget(fit.trial))
        else:
            self._end_fit(fit, event.outcome, event.at)

    def _on_proposal(self, event: Proposal) -> None:
        self._asked = False
        if event.wait:
            self._waits = True
            return
        if event.configuration is None:
            self._exhausted = True
            return
        self._proposed += 1
        trial = self._new_trial(event.configuration, "proposed", event.at)
        trial.parent, trial.rung, trial.cohort = event.parent, event.rung or 0, event.member
        self._add_trial(trial, event.at)

    def _on_try(self, event: Try) -> None:
        self._add_trial(self._new_trial(event.configuration, "by hand", event.at), event.at)

    def _on_set_limits(self, event: SetLimits) -> None:
        self.limits = replace(self.limits, **event.changes)  # type: ignore[arg-type]
        self.referee.record.trials = self.limits.trials
        self.referee.record.closing = False
        self._save_search(event.at)

    def _on_proposal_failed(self, event: ProposalFailed) -> None:
        self._end(SearchState.FAILED, f"The strategy could not propose: {event.message}", event.at)

    def _on_pause(self, event: Pause) -> None:
        if self.state is SearchState.RUNNING:
            self.state, self.reason = SearchState.PAUSED, "Paused by a person."
            self._save_search(event.at)

    def _on_resume(self, event: Resume) -> None:
        if self.state is SearchState.PAUSED:
            self.state, self.reason = SearchState.RUNNING, ""
            self._save_search(event.at)

    def _on_stop(self, event: Stop) -> None:
        for number in sorted(self._live):
            self._withdraw(self.trials[number], "The search was stopped.", event.at)
        self._end(SearchState.STOPPED, "Stopped by a person.", event.at)

    def _on_withdraw(self, event: Withdraw) -> None:
        trial = self.trials.get(event.trial)
        if trial is None or trial.state.ended:
            raise Conflict(f"Trial {event.trial} has ended already; only a live trial can be withdrawn.")
        self._withdraw(trial, "Withdrawn by a person.", event.at)

    def _on_set_workers(self, event: SetWorkers) -> None:
        self.limits = replace(self.limits, workers=event.count)
        self._save_search(event.at)

    # Trials and fits

    def changed_since(self, count: int) -> list[int]:
        """Trials that gained a result, or ended, after the first `count` such events; in their order."""
        return self._news[count:]

    @property
    def live(self) -> list[Trial]:
        """The trials that are being worked on, oldest first; parked ones are not among them."""
        return [self.trials[number] for number in sorted(self._live - self._resting)]

    def _fit(self, key: Key) -> Fit:
        return self.trials[key[0]].fits[key[1]]

    def _next_number(self) -> int:
        self._last_number += 1
        return self._last_number

    def _new_trial(self, configuration: Mapping[str, Value], origin: str, at: float) -> Trial:
        pending = len(self._live) - len(self._resting)
        return Trial(self._next_number(), configuration, origin, created_at=at, seen=self._seen, pending=pending)

    def _note_score(self, trial: Trial) -> None:
        """Keeps the best score and how many trials ended since it was found."""
        mean = trial.mean
        if mean is not None and (self._best is None or self.limits.sign * mean > self._best[0]):
            self._best, self._since_gain = (self.limits.sign * mean, trial.number), 0
        elif trial.origin != "baseline":
            self._since_gain += 1

    def _folds_of(self, trial: Trial) -> Iterable[int]:
        """The folds that are fitted at a trial's rung."""
        if self.referee.exempt(trial):
            return range(self.limits.folds)
        return self.referee.ladder.folds(trial.rung, self.limits.folds)

    def _add_trial(self, trial: Trial, at: float) -> None:
        self.trials[trial.number] = trial
        self._live.add(trial.number)
        if trial.parent is None and not trial.fits:
            self.referee.admit(trial, self._proposed - 1)
        self._release(trial, at)

    def _release(self, trial: Trial, at: float) -> None:
        """Queue the fits of a trial's rung."""
        for fold in self._folds_of(trial):
            if fold in trial.fits:
                trial.past.append(trial.fits[fold])
            trial.fits[fold] = Fit(trial.number, fold, rung=trial.rung)
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
            self._out.append(SaveFit(fit._replace(state=FitState.LOST, ended_at=at), at))
            self._requeue(fit, attempted=True)

    def _take_points(self, fit: Fit, points: Points, at: float) -> None:
        """A fold's curve has grown: keep the new part, and end what the rule ends."""
        trial = self.trials[fit.trial]
        key = (fit.trial, fit.fold)
        if trial.state.ended or fit.state is not FitState.RUNNING or key in self._enough:
            return
        known = self.referee.reached(trial, fit.fold) or 0
        verdict = self.referee.stepped(trial, fit.fold, points)
        reached = self.referee.reached(trial, fit.fold) or 0
        new = tuple(point for point in points if known < point[0] <= reached)
        if new:
            self._out.append(SavePoints(fit.trial, fit.fold, new, at))
        if isinstance(verdict, Prune):
            self._cut_rest(trial, at, running=True)
            self._end_trial(trial, TrialState.PRUNED, verdict.reason, at)
        elif isinstance(verdict, Enough):
            # What comes later is not looked at, so that the score does not hang on how soon the worker hears.
            self._enough.add(key)
            trial.change(fit.fold, outcome=Outcome(FitState.DONE, message=verdict.reason))
            self._tell_to_end(fit)

    def _weak(self, fit: Fit, points: Points, at: float) -> bool:
        """Whether the last points of a curve ended its trial."""
        if self.trials[fit.trial].state.ended:
            return False
        self._take_points(fit, points, at)
        return self.trials[fit.trial].state.ended

    def _tell_to_end(self, fit: Fit) -> None:
        holder = self._crew.holder((fit.trial, fit.fold))
        if holder is not None:
            self._out.append(CutFit(holder, fit.trial, fit.fold, fit.attempt))

    def _end_fit(self, fit: Fit, outcome: Outcome, at: float) -> None:
        trial = self.trials[fit.trial]
        if outcome.state is FitState.DONE and outcome.curve and self._weak(fit, outcome.curve, at):
            outcome = replace(outcome, state=FitState.CUT, score=None)
        early = trial.fits[fit.fold].outcome
        if early is not None and early.message and not outcome.message:
            outcome = replace(outcome, message=early.message)
        ended = trial.change(fit.fold, state=outcome.state, outcome=outcome, ended_at=at)
        self._out.append(SaveFit(ended, at))
        if outcome.predictions is not None or outcome.curve:  # the store has them; here they would fill the memory
            trial.change(fit.fold, outcome=replace(outcome, predictions=None, curve=()))
        if trial.state.ended:
            return
        if outcome.state is not FitState.DONE:
            self._cut_rest(trial, at, running=False)
            self._end_trial(trial, TrialState.FAILED, f"Fold {fit.fold + 1}: {outcome.message}", at)
            return
        if outcome.curve and trial.rung >= self.referee.goal(trial):
            self.referee.finished_curve(trial, fit.fold)
        self._enough.discard((fit.trial, fit.fold))
        self._note_checkpoint(fit, outcome.checkpoint_bytes)
        if all(f.state is FitState.DONE for f in trial.fits.values()):
            self._end_rung(trial, at)

    def _end_rung(self, trial: Trial, at: float) -> None:
        """All fits of a trial's rung are done: it is scored, goes on, waits or ends."""
        verdict = self.referee.rung_done(trial)
        self._proved = True
        if self.referee.exempt(trial) or trial.rung >= self.referee.goal(trial):
            self._end_trial(trial, TrialState.SCORED, "", at)
            return
        if isinstance(verdict, Keep) and self.limits.trial_seconds and trial.seconds > self.limits.trial_seconds:
            self._end_trial(trial, TrialState.FAILED, self._too_long(), at)
            return
        self._apply(trial, verdict, at)

    def _apply(self, trial: Trial, verdict: Verdict, at: float) -> None:
        if isinstance(verdict, Prune):
            self._end_trial(trial, TrialState.PRUNED, verdict.reason, at)
        elif isinstance(verdict, Park):
            trial.state, trial.reason = TrialState.PARKED, verdict.reason
            self._resting.add(trial.number)
            self._news.append(trial.number)
            self.referee.park(trial)
            self._out.append(SaveTrial(trial, at))
            self._settle(trial, at)
            self._spare_disk()
        else:
            self._go_on(trial, at)

    def _go_on(self, trial: Trial, at: float) -> None:
        """To the next rung."""
        self._resting.discard(trial.number)
        self._news.append(trial.number)
        trial.state, trial.reason, trial.rung = TrialState.RUNNING, "", trial.rung + 1
        self.referee.working(trial)
        self._release(trial, at)

    def _settle(self, trial: Trial, at: float) -> None:
        """A trial rests or has ended: others at its rung, or of its cohort, may now learn what becomes of them."""
        if self._settling:  # the verdicts of this round were all made already
            return
        self._settling = True
        for other, verdict in [*self.referee.settled(trial.cohort), *self.referee.hopeless(trial)]:
            if not other.state.ended:
                self._apply(other, verdict, at)
        self._settling = False

    def _end_trial(self, trial: Trial, state: TrialState, reason: str, at: float) -> None:
        trial.state, trial.reason, trial.ended_at = state, reason, at
        self._live.discard(trial.number)
        self._resting.discard(trial.number)
        self._seen += 1
        self._waits = False
        self._news.append(trial.number)
        if state is TrialState.FAILED:
            self._failures.append(reason)
        self._note_score(trial)
        self._out.append(SaveTrial(trial, at))
        self.referee.ended(trial)
        # Members of a population go on from their parents' checkpoints: those stay until the search ends.
        if not self.referee.stopping.segments:
            self._forget(trial.number)
        self._settle(trial, at)

    def _spare_disk(self) -> None:
        """Parked trials keep their checkpoints while there is room; the weakest give theirs up first."""
        if self._checkpoints_total <= self.limits.checkpoint_bytes or self.referee.stopping.segments:
            return
        for trial in self.referee.weakest_first():
            if self._checkpoints_total <= self.limits.checkpoint_bytes:
                return
            self._forget(trial.number)

    def _note_checkpoint(self, fit: Fit, size: int) -> None:
        """A fold's checkpoint takes the place of the one it had before."""
        held = self._checkpoints.setdefault(fit.trial, {})
        self._checkpoints_total += size - held.get(fit.fold, 0)
        held[fit.fold] = size

    def _forget(self, number: int) -> None:
        freed = sum(self._checkpoints.pop(number, {}).values())
        if freed:
            self._checkpoints_total -= freed
            self._out.append(Forget(number))

    def _withdraw(self, trial: Trial, reason: str, at: float) -> None:
        self._cut_rest(trial, at, running=True, hard=True)
        self._end_trial(trial, TrialState.WITHDRAWN, reason, at)

    def _cut_rest(self, trial: Trial, at: float, *, running: bool, hard: bool = False) -> None:
        """Fits that have not begun are cut; running ones too when their result is not wanted any more.

        `hard` ends a running fit with its worker; else the worker is told, and ends the fit at its next iteration.
        """
        ended = (FitState.QUEUED, FitState.RUNNING) if running else (FitState.QUEUED,)
        for fold, fit in trial.fits.items():
            if fit.state in ended:
                holder = self._crew.holder((trial.number, fold))
                if holder is not None and not running:
                    continue  # already handed to a worker: cheaper to let it end than to replace the worker
                if holder is not None and hard:
                    self._dismiss(holder, keep=(trial.number, fold))
                elif holder is not None:
                    self._tell_to_end(fit)
                self._out.append(SaveFit(trial.change(fold, state=FitState.CUT, ended_at=at), at))

    def _over_limit(self, fit: Fit, at: float) -> str:
        """Which limit a running fit has passed, in words; empty when none."""
        if fit.started_at is None:
            return ""
        if at - fit.started_at > self.limits.fit_seconds:
            return f"The fit took longer than its limit of {self.limits.fit_seconds:g} s."
        limit = self.limits.trial_seconds
        if limit is not None and self.trials[fit.trial].seconds + at - fit.started_at > limit:
            return self._too_long()
        return ""

    def _too_long(self) -> str:
        return f"The trial took longer than its limit of {self.limits.trial_seconds:g} s."

    # Workers

    def _running_fit(self, worker: Worker) -> Fit | None:
        fit = self._fit(worker.fits[0]) if worker.fits else None
        return fit if fit and fit.state is FitState.RUNNING else None

    def _dismiss(self, number: int, keep: Key | None = None) -> None:
        """End a worker; what it held goes back to the queue, but for its running fit and `keep`."""
        worker = self._crew.remove(number)
        if worker is None:
            return
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
        while len(self._crew.workers) < self.limits.workers:
            self._out.append(Hire(*self._crew.hire()))
        surplus = len(self._crew.workers) - self.limits.workers
        if surplus > 0:
            for number in list(self._crew.idle_last_first())[:surplus]:
                self._dismiss(number)

    # Scheduling

    def _schedule(self, at: float) -> None:
        self._staff()
        if self.state is SearchState.RUNNING:
            self._hand_out(at, held=0)
            if self._short_fits is not None and self._short_fits < SHORT_FIT:
                self._hand_out(at, held=1)
            self._ask_or_end(at)

    def _hand_out(self, at: float, held: int) -> None:
        """Give queued fits to the workers that hold so many."""
        if len(self._crew.workers) > self.limits.workers:
            return
        while (number := self._crew.free(held)) is not None:
            key = self._next_queued() or (self._promoted(at) if held == 0 else None)
            if key is None:
                return
            trial = self.trials[key[0]]
            fit = trial.change(key[1], attempt=self._fit(key).attempt + 1)
            self._crew.hold(number, key)
            ladder = self.referee.ladder
            self._out.append(
                StartFit(
                    number, fit.trial, fit.fold, fit.attempt, trial.configuration, trial.learner, trial.rung,
                    ladder.levels[min(trial.rung, ladder.top)], trial.rung >= self.referee.goal(trial), self._ancestors(trial),
                )
            )  # fmt: skip

    def _ancestors(self, trial: Trial) -> tuple[Ancestor, ...]:
        """The line of trials that one goes on from, the first first."""
        found: list[Ancestor] = []
        while trial.parent is not None:
            trial = self.trials[trial.parent]
            found.append(Ancestor(trial.number, trial.configuration, self.referee.ladder.levels[trial.rung]))
        return tuple(reversed(found))

    def _next_queued(self) -> Key | None:
        while self._queue:
            key = heapq.heappop(self._queue)
            if self._fit(key).state is FitState.QUEUED and self._crew.holder(key) is None:
                return key
        return None

    def _promoted(self, at: float) -> Key | None:
        """The first fit of a parked trial that may go on now."""
        trial = self.referee.promotable()
        if trial is None:
            return None
        self._go_on(trial, at)
        return self._next_queued()

    def _ask_or_end(self, at: float) -> None:
        if not self._proved and self._failures and self._hopeless():
            self._end(SearchState.FAILED, f"Every trial failed. The first: {self._failures[0]}", at)
            return
        budget = self._budget_spent()
        if budget and not self._asked:
            self._close(budget, at)
        elif not budget and not self._asked and not self._queue and self._crew.free(0) is not None:
            self._ask(at)

    def _hopeless(self) -> bool:
        return len(self._failures) >= HOPELESS or bool(self._budget_spent() and not self._live)

    def _ask(self, at: float) -> None:
        if self._waits or not self.referee.may_propose(self._proposed):
            return
        if self._starts:
            self._proposed += 1
            self._add_trial(self._new_trial(self._starts.pop(0), "start", at), at)
            self._schedule(at)
            return
        self._asked = True
        self._out.append(Ask(self._proposed + 1))

    def _close(self, budget: str, at: float) -> None:
        """No further trial begins: those on their way come to their end, then the search does."""
        if self._live and not self.referee.record.closing:
            self.referee.record.closing = True
            for cohort in self.referee.cohorts_waiting():
                for trial, verdict in self.referee.settled(cohort):
                    self._apply(trial, verdict, at)
            self._schedule(at)
            return
        if self._live and self._live == self._resting and not self._queue and self.referee.promotable() is None:
            for trial in list(self.referee.parked):
                if not trial.state.ended:
                    self._end_trial(trial, TrialState.PRUNED, trial.reason.replace("go on so far", "went on"), at)
        if not self._live:
            self._end(SearchState.FINISHED, budget, at)

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


# A table, for it is consulted at every event.
_HANDLERS: dict[type, Callable[[Coordinator, Any], None]] = {
    Begin: Coordinator._on_begin,
    Tick: Coordinator._on_tick,
    WorkerReady: Coordinator._on_worker_ready,
    WorkerLost: Coordinator._on_worker_lost,
    FitStarted: Coordinator._on_fit_started,
    FitStepped: Coordinator._on_fit_stepped,
    FitEnded: Coordinator._on_fit_ended,
    Proposal: Coordinator._on_proposal,
    Try: Coordinator._on_try,
    SetLimits: Coordinator._on_set_limits,
    ProposalFailed: Coordinator._on_proposal_failed,
    Pause: Coordinator._on_pause,
    Resume: Coordinator._on_resume,
    Stop: Coordinator._on_stop,
    Withdraw: Coordinator._on_withdraw,
    SetWorkers: Coordinator._on_set_workers,
}
