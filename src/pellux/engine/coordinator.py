"""The coordinator: a pure state machine, events in, commands out. No clock, no process, no store.

Folds before trials: a free worker takes the next fit of the oldest running trial; a new trial is asked for only when
no fit is waiting. So more workers shorten a trial instead of lengthening the list of proposals made blind.

A trial climbs rungs. When all fits of a rung are done the pruning says whether it goes on, waits or ends; a search
without early stopping has one rung. No event costs more when there are more workers or trials. What is legal stands in
states.py; the life of trials and fits in lifecycle.py; who gets which fit in scheduler.py; why a search ends in budget.py; what rules say
in pruning.py.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import replace
from typing import Any

from pellux.core.objective import Ancestor, Points
from pellux.core.reasons import NONE, Reason, because
from pellux.core.space import Value
from pellux.core.strategies import Continue, Exhausted, Suggest, Wait
from pellux.engine.budget import Budget
from pellux.engine.lifecycle import Lifecycle
from pellux.engine.messages import (
    WISHES,
    Ask,
    Begin,
    Command,
    Event,
    Finish,
    FitEnded,
    FitStarted,
    FitStepped,
    Halted,
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
from pellux.engine.model import Fit, Limits, Outcome, Trial
from pellux.engine.pruning import Pruning, Stopping
from pellux.engine.states import FitState, IllegalTransition, SearchState, TrialState, moved
from pellux.engine.worker_pool import Key

HOPELESS = 5  # trials that may fail before any is scored
FAILED_STARTS = 3  # beyond one a worker: losses in a row without a fit having begun
BUSY = ""  # what keeps workers from being idle: fits that wait for one
SAVE_SECONDS = 2.0  # how much running time a crash may forget


class Coordinator:
    """One search. `handle` takes an event and returns the commands that follow from it, saves first.

    `earlier` is how many results its strategy knew before it began.
    """

    def __init__(
        self,
        limits: Limits,
        baselines: Sequence[Mapping[str, Value]],
        trials: Iterable[Trial] = (),
        active_seconds: float = 0.0,
        state: SearchState = SearchState.RUNNING,
        stopping: Stopping | None = None,
        curves: Mapping[Key, Points] | None = None,
        checkpoints: Mapping[int, Mapping[int, int]] | None = None,
        earlier: int = 0,
    ) -> None:
        self.state = state
        self.reason = NONE
        self.trials = {trial.number: trial for trial in trials}
        self.budget = Budget(limits, self.trials.values(), active_seconds)
        self.pruning = Pruning(stopping or Stopping(), limits)
        self.life = Lifecycle(self.trials, self.budget, self.pruning, curves or {}, checkpoints or {}, earlier)
        self.scheduler, self.checkpoints = self.life.scheduler, self.life.checkpoints
        self._baselines = baselines
        self._failed_starts = 0
        self._asked = False

    @property
    def limits(self) -> Limits:
        return self.budget.limits

    @property
    def active_seconds(self) -> float:
        return self.budget.active_seconds

    @property
    def live(self) -> list[Trial]:
        """The trials that are being worked on, oldest first; parked ones are not among them."""
        return self.life.live

    @property
    def idle(self) -> str:
        """Why workers that are ready have no fit: 'paused', 'closing' (no further trial begins), 'thinking' (the strategy), 'strategy
        waits' or 'rule waits' (for a trial to end); empty where all have one. May be asked by any thread."""
        if self.state is not SearchState.RUNNING:
            return "paused"
        if self.scheduler.queue or all(worker.fits or not worker.ready for worker in list(self.scheduler.pool.workers.values())):
            return BUSY
        if self.budget.spent():
            return "closing"
        if self._asked:
            return "thinking"
        return "strategy waits" if self.life.waits else "rule waits"

    def changed_since(self, count: int) -> list[int]:
        """Trials that gained a result, or ended, after the first `count` such events; in their order."""
        return self.life.changed_since(count)

    def handle(self, event: Event) -> list[Command]:
        """What follows from an event. IllegalTransition for a wish that the search's state does not allow; what the world
        reports of a search that has ended comes too late and changes nothing."""
        self.life.out = []
        at = getattr(event, "at", None)
        if at is not None:
            self.budget.advance(at, self.state is SearchState.RUNNING)
        if self.state.ended:
            if isinstance(event, WISHES):
                raise IllegalTransition(f"The search is {self.state.value}; {type(event).__name__} does not apply any more.")
            return self.life.out
        _HANDLERS[type(event)](self, event)
        if type(event) is not FitStarted:  # which makes no worker free and no fit wait
            self._schedule(at if at is not None else self.budget.now)
        return self.life.out

    # What each event means

    def _on_begin(self, event: Begin) -> None:
        if not self.trials:
            for place, configuration in enumerate(self._baselines):
                number = 0 if place == 0 else self.life.next_number()
                self.life.add_trial(Trial(number, configuration, origin="baseline", created_at=event.at), event.at)
        self._staff()
        self._save_search(event.at)

    def _on_tick(self, event: Tick) -> None:
        for number, worker in list(self.scheduler.pool.workers.items()):
            fit = self.life.running_fit(worker)
            over = self.budget.over_limit(fit, self.trials[fit.trial], event.at) if fit else NONE
            if fit and over:
                self.life.dismiss(number)
                seconds = event.at - (fit.started_at or event.at)
                self.life.end_fit(fit, Outcome(FitState.TOO_LONG, seconds=seconds, reason=over), event.at)
        if self.state is SearchState.RUNNING and self.active_seconds - self.budget.saved_seconds >= SAVE_SECONDS:
            self._save_search(event.at)

    def _on_worker_ready(self, event: WorkerReady) -> None:
        self.scheduler.pool.ready(event.worker)

    def _on_worker_lost(self, event: WorkerLost) -> None:
        worker = self.scheduler.pool.remove(event.worker)
        if worker is None:
            return
        if not event.blameless and not any(self.life.fit(key).state is FitState.RUNNING for key in worker.fits):
            self._failed_starts += 1
            if self._failed_starts >= FAILED_STARTS + self.limits.workers:
                self._end(SearchState.FAILED, because("workers do not start", how=event.reason), event.at)
                return
        for place, key in enumerate(worker.fits):
            fit = self.life.fit(key)
            if place == 0 and fit.state is FitState.RUNNING:
                self.life.lose(fit, event.reason, event.at, blameless=event.blameless)
            elif fit.state is FitState.QUEUED and not self.trials[fit.trial].state.ended:
                self.life.requeue(fit)

    def _on_fit_started(self, event: FitStarted) -> None:
        held = self.life.held(event)
        if held is None:
            return
        self._failed_starts = 0
        worker, trial = self.scheduler.pool.workers[event.worker], self.trials[event.trial]
        if held.state is not FitState.QUEUED:
            return
        fit = trial.put(held.begun(worker.lane, event.at, event.machine))
        if trial.state is TrialState.DUE:
            trial.move(TrialState.RUNNING)
            self.life.out.append(SaveTrial(trial, event.at))
        self.life.out.append(SaveFit(fit, event.at))

    def _on_fit_stepped(self, event: FitStepped) -> None:
        fit = self.life.held(event)
        if fit is not None:
            self.life.take_points(fit, event.points, event.at)

    def _on_fit_ended(self, event: FitEnded) -> None:
        fit = self.life.held(event)
        if fit is None:
            return
        self.scheduler.pool.release(event.worker, (event.trial, event.fold))
        self.scheduler.note_seconds(event.outcome.seconds)
        if fit.state is FitState.QUEUED:  # its runner never said that it began
            trial = self.trials[fit.trial]
            fit = trial.put(fit.begun(fit.lane, event.at))
            if trial.state is TrialState.DUE:
                trial.move(TrialState.RUNNING)
        if fit.state is FitState.CUT:
            self.life.write_down_late(fit, event)
        elif event.outcome.state is FitState.LOST:
            self._wait_for(fit, event)
        else:
            self.life.end_fit(fit, event.outcome, event.at)

    def _wait_for(self, fit: Fit, event: FitEnded) -> None:
        """What fits need is gone: this one waits, as all do, until a person has brought it back and says to go on."""
        self.life.out.append(SaveFit(fit._replace(state=FitState.LOST, ended_at=event.at), event.at))
        if not self.trials[fit.trial].state.ended:
            self.life.requeue(fit)
        self._halt(event.outcome.reason, event.at)

    def _on_halted(self, event: Halted) -> None:
        self._halt(event.reason, event.at)

    def _halt(self, reason: Reason, at: float) -> None:
        if self.state is SearchState.RUNNING:
            self._move(SearchState.PAUSED, reason)
            self._save_search(at)

    def _on_proposal(self, event: Proposal) -> None:
        self._asked = False
        match event.answer:
            case Wait():
                self.life.waits = True
            case Exhausted() | Suggest(configurations=()):
                self.budget.exhausted = True
            case Suggest(configurations=(configuration, *_)):
                self._propose(self.life.new_trial(configuration, event.origin, event.at), event.at)
            case Continue(configuration=configuration, parent=parent, rung=rung, member=member):
                trial = self.life.new_trial(configuration, event.origin, event.at)
                trial.parent, trial.rung, trial.goal, trial.cohort = parent, rung, rung, member
                self._propose(trial, event.at)

    def _propose(self, trial: Trial, at: float) -> None:
        self.budget.proposed += 1
        self.life.add_trial(trial, at)

    def _on_try(self, event: Try) -> None:
        self.life.add_trial(self.life.new_trial(event.configuration, "by hand", event.at), event.at)

    def _on_set_limits(self, event: SetLimits) -> None:
        self.budget.limits = replace(self.limits, **event.changes)  # type: ignore[arg-type]
        self.pruning.reopen(self.limits.trials)
        self._save_search(event.at)

    def _on_proposal_failed(self, event: ProposalFailed) -> None:
        self._end(SearchState.FAILED, because("strategy failed", error=event.message), event.at)

    def _on_pause(self, event: Pause) -> None:
        self._move(SearchState.PAUSED, because("paused by a person"))
        self._save_search(event.at)

    def _on_resume(self, event: Resume) -> None:
        self._move(SearchState.RUNNING, NONE)
        self._save_search(event.at)

    def _on_stop(self, event: Stop) -> None:
        for number in sorted(self.life.living):
            self.life.withdraw(self.trials[number], because("search was stopped"), event.at)
        self._end(SearchState.STOPPED, because("stopped by a person"), event.at)

    def _on_withdraw(self, event: Withdraw) -> None:
        trial = self.trials.get(event.trial)
        if trial is None or trial.state.ended:
            raise IllegalTransition(f"Trial {event.trial} has ended already; only a live trial can be withdrawn.")
        self.life.withdraw(trial, because("withdrawn by a person"), event.at)

    def _on_set_workers(self, event: SetWorkers) -> None:
        self.budget.limits = replace(self.limits, workers=event.count)
        self._save_search(event.at)

    def _move(self, state: SearchState, reason: Reason) -> None:
        self.state, self.reason = moved(self.state, state, "The search"), reason

    # Scheduling

    def _staff(self) -> None:
        """Hire up to the wanted number of workers, or let idle ones go."""
        pool, wanted = self.scheduler.pool, self.budget.limits.workers
        while len(pool.workers) < wanted:
            self.life.out.append(Hire(*pool.hire()))
        surplus = len(pool.workers) - wanted
        if surplus > 0:
            for number in list(pool.idle_last_first())[:surplus]:
                self.life.dismiss(number)

    def _schedule(self, at: float) -> None:
        """Hand out, ask or end, as long as that changes something."""
        more = True
        while more and not self.state.ended:
            self._staff()
            if self.state is not SearchState.RUNNING:
                return
            self._hand_out(at, held=0)
            if self.scheduler.queue and self.scheduler.ahead:
                self._hand_out(at, held=1)
            more = self._ask_or_end(at)

    def _hand_out(self, at: float, held: int) -> None:
        """Give queued fits to the workers that hold so many."""
        pool = self.scheduler.pool
        if len(pool.workers) > self.budget.limits.workers:
            return
        while (number := pool.free(held)) is not None:
            key = self.scheduler.next() or (self._promoted(at) if held == 0 else None)
            if key is None:
                return
            trial = self.trials[key[0]]
            fit = trial.put(trial.fits[key[1]].handed())
            if trial.past:  # who had it last has its checkpoint, and its fold prepared
                number = pool.free_on(self._lane_before(trial, fit.fold), held) or number
            pool.hold(number, key)
            ladder = self.pruning.ladder
            self.life.out.append(
                StartFit(
                    number, fit.trial, fit.fold, fit.attempt, trial.configuration, trial.learner, trial.rung,
                    ladder.levels[min(trial.rung, ladder.top)], trial.rung >= self.pruning.goal(trial),
                    self._ancestors(trial) if trial.parent is not None else (),
                    self._begun(trial, fit.fold) if trial.past else 0,
                )
            )  # fmt: skip

    def _lane_before(self, trial: Trial, fold: int) -> int | None:
        return next((fit.lane for fit in reversed(trial.past) if fit.fold == fold), None)

    def _begun(self, trial: Trial, fold: int) -> int:
        """The level of the highest rung that a fold has done."""
        done = [fit.rung for fit in trial.past if fit.fold == fold and fit.state is FitState.DONE]
        return self.pruning.ladder.levels[max(done)] if done else 0

    def _ancestors(self, trial: Trial) -> tuple[Ancestor, ...]:
        """The line of trials that one goes on from, the first first."""
        found, number = list[Ancestor](), trial.parent
        while number is not None:
            parent = self.trials[number]
            found.append(Ancestor(number, parent.configuration, self.pruning.ladder.levels[parent.rung]))
            number = parent.parent
        return tuple(reversed(found))

    def _promoted(self, at: float) -> Key | None:
        """The first fit of a parked trial that may go on now."""
        trial = self.pruning.promotable()
        if trial is None:
            return None
        self.life.go_on(trial, at)
        return self.scheduler.next()

    def _ask_or_end(self, at: float) -> bool:
        """Ask for a proposal where one is wanted, or end what is to end; whether that may have made more to do."""
        spent = self.budget.spent()
        if not self.life.proved and self.life.failures and self._hopeless(spent):
            self._end(SearchState.FAILED, because("every trial failed", first=self.life.failures[0].to_json()), at)
        elif spent and not self._asked:
            return self._close(spent, at)
        elif not spent and not self._asked and self.scheduler.wants_more:
            self._ask()
        return False

    def _hopeless(self, spent: Reason) -> bool:
        return len(self.life.failures) >= HOPELESS or bool(spent and not self.life.living)

    def _ask(self) -> None:
        if not self.life.waits and self.pruning.may_propose(self.budget.proposed):
            self._asked = True
            self.life.out.append(Ask(self.budget.proposed + 1))

    def _close(self, spent: Reason, at: float) -> bool:
        """No further trial begins: those on their way come to their end, then the search does."""
        if self.life.living and not self.pruning.record.closing:
            self.pruning.close()
            for cohort in self.pruning.cohorts_waiting():
                for trial, verdict in self.pruning.settled(cohort):
                    self.life.apply(trial, verdict, at)
            return True
        if (
            self.life.living
            and self.life.living == self.life.resting
            and not self.scheduler.queue
            and self.pruning.promotable() is None
        ):
            for trial in list(self.pruning.parked):
                if not trial.state.ended:
                    self.life.end_trial(trial, TrialState.ENDED_EARLY, trial.reason._replace(code="not promoted"), at)
        if not self.life.living:
            self._end(SearchState.FINISHED, spent, at)
        return False

    def _end(self, state: SearchState, reason: Reason, at: float) -> None:
        for number in sorted(self.life.living):
            self.life.withdraw(self.trials[number], reason, at)
        self.life.cut_leftovers(at)
        self._move(state, reason)
        self._save_search(at)
        self.life.out.append(Finish())

    def _save_search(self, at: float) -> None:
        self.budget.saved_seconds = self.active_seconds
        self.life.out.append(SaveSearch(self.state, self.reason, self.active_seconds, self.limits.workers, at))


# A table, for it is consulted at every event.
_HANDLERS: dict[type, Callable[[Coordinator, Any], None]] = {
    Begin: Coordinator._on_begin,
    Tick: Coordinator._on_tick,
    WorkerReady: Coordinator._on_worker_ready,
    WorkerLost: Coordinator._on_worker_lost,
    Halted: Coordinator._on_halted,
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
