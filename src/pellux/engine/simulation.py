"""The coordinator on a virtual clock: how a schedule would go, before or instead of running it.

Fits take the time that `duration` gives them and score what `score` says; nothing is computed. Used for forecasts and
for benchmarks of scheduling.
"""

from __future__ import annotations

import heapq
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from pellux.core.space import Value
from pellux.engine.coordinator import Coordinator
from pellux.engine.messages import (
    Ask,
    Begin,
    Command,
    Dismiss,
    Event,
    FitEnded,
    FitStarted,
    Hire,
    Proposal,
    StartFit,
    WorkerReady,
)
from pellux.engine.model import FitState, Limits, Outcome

Configuration = Mapping[str, Value]
SHORT_SIGHTED = 2  # other trials under way from which on a proposal counts as short-sighted


@dataclass(frozen=True)
class Course:
    """How a simulated search went: seconds on the virtual clock, seconds of all fits, sightlines of the proposals."""

    coordinator: Coordinator
    seconds: float
    busy: float

    @property
    def short_sighted(self) -> float:
        """Share of proposals made while two or more other trials were under way."""
        proposed = [t for t in self.coordinator.trials.values() if t.origin == "proposed"]
        return sum(t.pending >= SHORT_SIGHTED for t in proposed) / max(len(proposed), 1)


def simulate(
    limits: Limits,
    propose: Callable[[int, Coordinator], Configuration | None],
    duration: Callable[[Configuration, int], float],
    score: Callable[[Configuration, int], float] = lambda configuration, fold: 0.0,
    baseline: Configuration | None = None,
) -> Course:
    """Run a search on a virtual clock to its end."""
    world = _World(Coordinator(limits, baseline), propose, duration, score)
    world.tell(Begin(0.0))
    while world.events:
        world.now, _, event = heapq.heappop(world.events)
        world.tell(event)
    return Course(world.coordinator, world.now, world.busy)


class _World:
    def __init__(
        self,
        coordinator: Coordinator,
        propose: Callable[[int, Coordinator], Configuration | None],
        duration: Callable[[Configuration, int], float],
        score: Callable[[Configuration, int], float],
    ) -> None:
        self.coordinator, self._propose, self._duration, self._score = coordinator, propose, duration, score
        self.events: list[tuple[float, int, Event]] = []
        self.now = self.busy = 0.0
        self._free: dict[int, float] = {}  # when each worker has done all it was handed
        self._count = 0

    def tell(self, event: Event) -> None:
        waiting = [event]
        while waiting:
            for command in self.coordinator.handle(waiting.pop(0)):
                answer = self._carry_out(command)
                if answer is not None:
                    waiting.append(answer)

    def _at(self, when: float, event: Event) -> None:
        self._count += 1
        heapq.heappush(self.events, (when, self._count, event))

    def _carry_out(self, command: Command) -> Event | None:
        match command:
            case Hire(worker=worker):
                self._free[worker] = self.now
                self._at(self.now, WorkerReady(worker))
            case Dismiss(worker=worker):
                self._free.pop(worker, None)
            case Ask(number=number):
                return Proposal(number, self._propose(number, self.coordinator), self.now)
            case StartFit(worker=worker):
                self._start(command, worker)
        return None

    def _start(self, fit: StartFit, worker: int) -> None:
        begin = max(self.now, self._free[worker])
        seconds = self._duration(fit.configuration, fit.fold)
        self._free[worker] = begin + seconds
        self.busy += seconds
        self._at(begin, FitStarted(worker, fit.trial, fit.fold, fit.attempt, begin))
        outcome = Outcome(FitState.DONE, self._score(fit.configuration, fit.fold), seconds)
        self._at(begin + seconds, FitEnded(worker, fit.trial, fit.fold, fit.attempt, outcome, begin + seconds))
