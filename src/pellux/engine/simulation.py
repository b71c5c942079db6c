"""A whole search on a virtual clock: how a schedule would go, before or instead of running it.

Used for forecasts and for benchmarks of scheduling and early stopping, with up to ten thousand workers.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from pellux.core.space import Value
from pellux.core.strategies import Exhausted, Suggest
from pellux.engine.coordinator import Coordinator
from pellux.engine.messages import Ask, Begin, CutFit, Dismiss, Event, Hire, Proposal, StartFit
from pellux.engine.model import Limits
from pellux.engine.pruning import Stopping
from pellux.engine.runners.simulated import SimulatedRunner, SimulatedWorld
from pellux.engine.states import TrialState

Configuration = Mapping[str, Value]
Propose = Callable[[int, Coordinator], Configuration | None]
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


def simulate(
    limits: Limits,
    propose: Propose,
    world: SimulatedWorld,
    baseline: Configuration | None = None,
    stopping: Stopping | None = None,
    on_end: Callable[[StartFit, float, float], None] | None = None,
) -> Course:
    """Run a search on a virtual clock to its end; `on_end` hears of every fit with its seconds and when it ended."""
    coordinator = Coordinator(limits, () if baseline is None else (baseline,), stopping=stopping)
    runner = SimulatedRunner(world, on_end)
    handled = 0
    waiting: list[Event] = [Begin(0.0)]
    while waiting:
        handled += 1
        for command in coordinator.handle(waiting.pop()):
            does = _DOES.get(type(command))
            if does is not None:
                does(runner, command)
            elif isinstance(command, Ask):  # the rest is for a store
                found = propose(command.number, coordinator)
                answer = Exhausted() if found is None else Suggest((dict(found),))
                waiting.append(Proposal(command.number, answer, runner.now))
        waiting = waiting or list(runner.wait(0.0))
    return Course(coordinator, runner.now, runner.busy, handled)


_DOES: dict[type, Callable[[SimulatedRunner, Any], None]] = {
    StartFit: SimulatedRunner.start,
    Hire: lambda runner, command: runner.hire(command.worker, command.lane),
    Dismiss: lambda runner, command: runner.dismiss(command.worker),
    CutFit: SimulatedRunner.cut,
}
