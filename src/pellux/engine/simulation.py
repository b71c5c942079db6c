"""The coordinator on a virtual clock: how a schedule would go, before or instead of running it.

Fits take the time that `duration` gives them and score what `score` says; nothing is computed. Used for forecasts and
for benchmarks of scheduling and early stopping, with up to ten thousand workers.
"""

from __future__ import annotations

import heapq
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from pellux.core.space import Value
from pellux.engine.coordinator import Coordinator
from pellux.engine.messages import (
    Ask,
    Begin,
    Command,
    CutFit,
    Dismiss,
    Event,
    FitEnded,
    FitStarted,
    Hire,
    Proposal,
    StartFit,
    WorkerReady,
)
from pellux.engine.model import FitState, Limits, Outcome, Points, TrialState
from pellux.engine.referee import Stopping

Configuration = Mapping[str, Value]
SHORT_SIGHTED = 2  # other trials under way from which on a proposal counts as short-sighted


@dataclass(frozen=True)
class Course:
    """How a simulated search went: seconds on the virtual clock, seconds of all fits, sightlines, events handled."""

    coordinator: Coordinator
    seconds: float
    busy: float
    events: int

    @property
    def short_sighted(self) -> float:
        """Share of proposals made while two or more other trials were under way."""
        proposed = [t for t in self.coordinator.trials.values() if t.origin == "proposed"]
        return sum(t.pending >= SHORT_SIGHTED for t in proposed) / max(len(proposed), 1)

    @property
    def scored(self) -> int:
        return sum(t.state is TrialState.SCORED for t in self.coordinator.trials.values())


@dataclass(frozen=True)
class MadeUp:
    """A world in which fits are not computed.

    Attributes
    ----------
    duration : function of (configuration, fold, level before, level wanted)
        Seconds of the fit from what was done before to what is wanted.
    score : function of (configuration, fold, level)
    curve : function of (configuration, fold, level), or None
        The whole curve up to a level, where fits have one.
    """

    duration: Callable[[Configuration, int, int, int], float]
    score: Callable[[Configuration, int, int], float] = lambda configuration, fold, level: 0.0
    curve: Callable[[Configuration, int, int], Points] | None = None


def simulate(
    limits: Limits,
    propose: Callable[[int, Coordinator], Configuration | None],
    world: MadeUp,
    baseline: Configuration | None = None,
    stopping: Stopping | None = None,
    on_end: Callable[[StartFit, float, float], None] | None = None,
) -> Course:
    """Run a search on a virtual clock to its end; `on_end` hears of every fit with its seconds and when it ended."""
    play = _Play(Coordinator(limits, () if baseline is None else (baseline,), stopping=stopping), propose, world, on_end)
    play.tell(Begin(0.0))
    while play.events:
        play.now, _, event = heapq.heappop(play.events)
        play.tell(event)
    return Course(play.coordinator, play.now, play.busy, play.handled)


class _Play:
    def __init__(self, coordinator: Coordinator, propose: Any, world: MadeUp, on_end: Any) -> None:
        self.coordinator, self._propose, self._world, self._on_end = coordinator, propose, world, on_end
        self.events: list[tuple[float, int, Event]] = []
        self.now = self.busy = 0.0
        self.handled = 0
        self._free: dict[int, float] = {}  # when each worker has done all it was handed
        self._levels: dict[tuple[int, int], int] = {}
        self._count = 0

    def tell(self, event: Event) -> None:
        waiting = [event]
        while waiting:
            self.handled += 1
            for command in self.coordinator.handle(waiting.pop()):
                answer = self._carry_out(command)
                if answer is not None:
                    waiting.append(answer)

    def _at(self, when: float, event: Event) -> None:
        self._count += 1
        heapq.heappush(self.events, (when, self._count, event))

    def _carry_out(self, command: Command) -> Event | None:
        match command:
            case StartFit(worker=worker):
                self._start(command, worker)
            case Ask(number=number):
                return Proposal(number, self._propose(number, self.coordinator), self.now)
            case Hire(worker=worker):
                self._free[worker] = self.now
                self._at(self.now, WorkerReady(worker))
            case Dismiss(worker=worker):
                self._free.pop(worker, None)
            case CutFit():
                pass  # a made-up fit is over when it was said to be
        return None

    def _start(self, fit: StartFit, worker: int) -> None:
        begin = max(self.now, self._free[worker])
        key = (fit.trial, fit.fold)
        before = self._levels.get(key, 0)
        seconds = self._world.duration(fit.configuration, fit.fold, before, fit.level)
        self._levels[key] = fit.level
        end = begin + seconds
        self._free[worker] = end
        self.busy += seconds
        curve = self._world.curve(fit.configuration, fit.fold, fit.level) if self._world.curve else ()
        outcome = Outcome(FitState.DONE, self._world.score(fit.configuration, fit.fold, fit.level), seconds, curve=curve)
        self._at(begin, FitStarted(worker, fit.trial, fit.fold, fit.attempt, begin))
        self._at(end, FitEnded(worker, fit.trial, fit.fold, fit.attempt, outcome, end))
        if self._on_end is not None:
            self._on_end(fit, seconds, end)
