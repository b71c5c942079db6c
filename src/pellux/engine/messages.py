"""Events that the coordinator hears and commands that it gives. Times are wall-clock seconds and come with the event."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from pellux.core.space import Value
from pellux.engine.model import Fit, Outcome, Points, SearchState, Trial

# Events


@dataclass(frozen=True, slots=True)
class Begin:
    at: float


@dataclass(frozen=True, slots=True)
class Tick:
    at: float


@dataclass(frozen=True, slots=True)
class WorkerReady:
    worker: int


@dataclass(frozen=True, slots=True)
class WorkerLost:
    worker: int
    reason: str
    at: float


@dataclass(frozen=True, slots=True)
class FitStarted:
    worker: int
    trial: int
    fold: int
    attempt: int
    at: float


@dataclass(frozen=True, slots=True)
class FitEnded:
    worker: int
    trial: int
    fold: int
    attempt: int
    outcome: Outcome
    at: float


@dataclass(frozen=True, slots=True)
class FitStepped:
    """A running fit tells the scores of further iterations."""

    worker: int
    trial: int
    fold: int
    attempt: int
    points: Points
    at: float


@dataclass(frozen=True, slots=True)
class SetLimits:
    """New budgets while the search runs; what is left out stays."""

    changes: Mapping[str, float | int | None]
    at: float


@dataclass(frozen=True, slots=True)
class Try:
    """A person wants this configuration tried."""

    configuration: Mapping[str, Value]
    at: float


@dataclass(frozen=True, slots=True)
class Proposal:
    """The answer to Ask: a configuration, or None when the space is exhausted.

    `parent` is the trial that it goes on from, `rung` how far it is to get, `member` whose interval it is. `wait` asks for patience: nothing can be
    proposed before another trial ends.
    """

    number: int
    configuration: Mapping[str, Value] | None
    at: float
    parent: int | None = None
    rung: int | None = None
    member: int = 0
    wait: bool = False


@dataclass(frozen=True, slots=True)
class ProposalFailed:
    message: str
    at: float


@dataclass(frozen=True, slots=True)
class Pause:
    at: float


@dataclass(frozen=True, slots=True)
class Resume:
    at: float


@dataclass(frozen=True, slots=True)
class Stop:
    at: float


@dataclass(frozen=True, slots=True)
class Withdraw:
    trial: int
    at: float


@dataclass(frozen=True, slots=True)
class SetWorkers:
    count: int
    at: float


Event = (
    Begin | Tick | WorkerReady | WorkerLost | FitStarted | FitStepped | FitEnded | Proposal | ProposalFailed
    | Pause | Resume | Stop | Withdraw | SetWorkers | SetLimits | Try
)  # fmt: skip

# Commands


@dataclass(frozen=True, slots=True)
class SaveSearch:
    state: SearchState
    reason: str
    active_seconds: float
    workers: int
    at: float


@dataclass(frozen=True, slots=True)
class SaveTrial:
    trial: Trial
    at: float


@dataclass(frozen=True, slots=True)
class SaveFit:
    fit: Fit
    at: float


@dataclass(frozen=True, slots=True)
class SavePoints:
    """Further points of a fold's curve."""

    trial: int
    fold: int
    points: Points
    at: float


@dataclass(frozen=True, slots=True)
class Ask:
    """Ask the strategy for proposal `number`."""

    number: int


@dataclass(frozen=True, slots=True)
class Ancestor:
    """A trial from which another goes on, and how far it came: enough to go the way again when its checkpoint is gone."""

    trial: int
    configuration: Mapping[str, Value]
    level: int


@dataclass(frozen=True, slots=True)
class StartFit:
    """`level` is how much of the resource it gets, `last` whether that is its last rung; `ancestors` begin with the first."""

    worker: int
    trial: int
    fold: int
    attempt: int
    configuration: Mapping[str, Value]
    learner: str = ""
    rung: int = 0
    level: int = 0
    last: bool = True
    ancestors: tuple[Ancestor, ...] = ()


@dataclass(frozen=True, slots=True)
class CutFit:
    """Tell a worker that nobody waits for what it does."""

    worker: int
    trial: int
    fold: int
    attempt: int


@dataclass(frozen=True, slots=True)
class Forget:
    """The checkpoints of a trial are not needed any more."""

    trial: int


@dataclass(frozen=True, slots=True)
class Hire:
    worker: int
    lane: int


@dataclass(frozen=True, slots=True)
class Dismiss:
    """End a worker at once, whatever it is doing."""

    worker: int


@dataclass(frozen=True, slots=True)
class Finish:
    """Nothing is left to do: close the runner."""


Save = SaveSearch | SaveTrial | SaveFit | SavePoints
Command = Save | Ask | StartFit | CutFit | Forget | Hire | Dismiss | Finish
