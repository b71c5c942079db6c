"""A coordinator, and workers that obey it without a process: for tests of the state machine alone."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

from pellux.core.strategies import Answer, Exhausted, Suggest
from pellux.engine.coordinator import Coordinator
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
    Proposal,
    SaveFit,
    StartFit,
    WorkerLost,
    WorkerReady,
)
from pellux.engine.model import Limits, Outcome
from pellux.engine.states import FitState, TrialState

Judge = Callable[[StartFit], Outcome]


def scored(score: float = 0.5, seconds: float = 1.0) -> Outcome:
    return Outcome(FitState.DONE, score, seconds)


@dataclass
class Play:
    """Carries out commands at once; fits end when `end` says so. Checks the invariants after every event."""

    coordinator: Coordinator
    clock: float = 100.0
    most_proposals: int = 10**9
    held: dict[int, list[StartFit]] = field(default_factory=dict)
    ready: set[int] = field(default_factory=set)
    hired: list[int] = field(default_factory=list)
    started: list[StartFit] = field(default_factory=list)
    saved_done: Counter[tuple[int, int]] = field(default_factory=Counter)
    finished: bool = False
    asked: list[int] = field(default_factory=list)
    starts: Sequence[dict[str, Any]] = ()
    _answering: bool = False

    def tell(self, event: Event) -> list[Command]:
        commands = self.coordinator.handle(event)
        self.check()
        for command in commands:
            self.carry_out(command)
        return commands

    def carry_out(self, command: Command) -> None:
        match command:
            case Hire(worker=worker):
                self.held[worker] = []
                self.hired.append(worker)
            case Dismiss(worker=worker):
                self.held.pop(worker)
                self.ready.discard(worker)
            case StartFit(worker=worker):
                self.held[worker].append(command)
                self.started.append(command)
            case Ask(number=number):
                self.asked.append(number)
                self.answer()
            case SaveFit(fit=fit) if fit.state is FitState.DONE:
                self.saved_done[fit.trial, fit.fold] += 1
            case Finish():
                assert not self.finished
                self.finished = True

    def answer(self) -> None:
        """Answer what was asked, one question after another, however many come of it."""
        if self._answering:
            return
        self._answering = True
        while self.asked:
            number = self.asked.pop(0)
            if number <= len(self.starts):
                self.tell(Proposal(number, Suggest((self.starts[number - 1],)), self.clock, "start"))
            else:
                found: Answer = Suggest(({"x": number},)) if number <= self.most_proposals else Exhausted()
                self.tell(Proposal(number, found, self.clock))
        self._answering = False

    def begin(self) -> Play:
        self.tell(Begin(self.clock))
        self.awake()
        return self

    def awake(self) -> None:
        """Workers that were hired report that they are ready."""
        for worker in list(self.held):
            if worker not in self.ready:
                self.ready.add(worker)
                self.tell(WorkerReady(worker))

    def busy(self) -> list[int]:
        return [worker for worker, fits in self.held.items() if fits]

    def start(self, worker: int) -> StartFit:
        fit = self.held[worker][0]
        self.tell(FitStarted(worker, fit.trial, fit.fold, fit.attempt, self.clock))
        return fit

    def end(self, worker: int, outcome: Outcome | None = None) -> StartFit:
        fit = self.start(worker)
        if worker in self.held and fit in self.held[worker]:
            self.held[worker].remove(fit)
            self.clock += 1
            self.tell(FitEnded(worker, fit.trial, fit.fold, fit.attempt, outcome or scored(), self.clock))
        return fit

    def lose(self, worker: int, *, started: bool = True) -> None:
        if started and self.held[worker]:
            self.start(worker)
        self.held.pop(worker)
        self.ready.discard(worker)
        self.tell(WorkerLost(worker, "killed by SIGKILL", self.clock))

    def finish(self, judge: Judge = lambda fit: scored()) -> Play:
        """Let everything run to its end, one fit after another, the oldest worker first."""
        for _ in range(100_000):
            self.awake()
            if self.finished:
                return self
            busy = self.busy()
            assert busy, "nothing runs and nothing ends: the search hangs"
            self.end(busy[0], judge(self.held[busy[0]][0]))
        raise AssertionError("the search does not end")

    def check(self) -> None:
        """What must hold after every event."""
        c = self.coordinator
        held = [key for worker in c.scheduler.pool.workers.values() for key in worker.fits]
        assert len(held) == len(set(held))
        queued_or_held = {*c.scheduler.queue, *held}
        assert c.life.living == {n for n, t in c.trials.items() if not t.state.ended}
        for trial in c.trials.values():
            states = [fit.state for fit in trial.fits.values()]
            if trial.state is TrialState.SCORED:
                assert states == [FitState.DONE] * c.limits.folds
            if trial.state.ended:
                assert trial.ended_at is not None
            elif c.state.ended:
                raise AssertionError("a live trial in an ended search")
            else:
                waiting = {(trial.number, f) for f, fit in trial.fits.items() if fit.state is FitState.QUEUED}
                assert waiting <= queued_or_held


def play(trials: int = 3, workers: int = 2, folds: int = 3, **more: Any) -> Play:
    baseline = more.pop("baseline", None)
    restored = {key: more.pop(key) for key in ("state", "active_seconds") if key in more}
    earlier = more.pop("earlier", ())
    most = more.pop("most_proposals", 10**9)
    limits = Limits(trials=trials, workers=workers, folds=folds, **more)
    return Play(Coordinator(limits, () if baseline is None else (baseline,), earlier, **restored), most_proposals=most)
