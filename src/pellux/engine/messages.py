"""Events that the coordinator hears and commands that it gives; what travels to a worker is these. Times come with the event, in
wall-clock seconds."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from pellux.core.objective import Ancestor, Points
from pellux.core.reasons import Reason
from pellux.core.space import Value
from pellux.core.strategies import Answer
from pellux.engine.model import Fit, Outcome, Trial
from pellux.engine.states import SearchState

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
    """The strategy's answer to Ask; `origin` says where its configuration comes from."""

    number: int
    answer: Answer
    at: float
    origin: str = "proposed"


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

WISHES = (Pause, Resume, Stop, Withdraw, SetWorkers, SetLimits, Try)  # what people want; the rest is what the world reports

# Commands


@dataclass(frozen=True, slots=True)
class SaveSearch:
    state: SearchState
    reason: Reason
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
class StartFit:
    """A fit for a worker, to which it is sent as it is; what its fields mean stands in core/objective.py (FitOrder)."""

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
    """Tell a worker that nobody waits for what it does; sent to it as it is."""

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
