"""Events that the coordinator hears and commands that it gives; what travels to a worker is these. Times come with the event, in
wall-clock seconds."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import NamedTuple

from pellux.core.objective import Ancestor, Points
from pellux.core.reasons import Reason
from pellux.core.space import Value
from pellux.core.strategies import Answer
from pellux.engine.model import Fit, Outcome, Trial
from pellux.engine.states import SearchState

# Events


class Begin(NamedTuple):
    at: float


class Tick(NamedTuple):
    at: float


class WorkerReady(NamedTuple):
    worker: int


class WorkerLost(NamedTuple):
    """`blameless` where it went with its machine: whatever it did is not what it died of."""

    worker: int
    reason: str
    at: float
    blameless: bool = False


class Halted(NamedTuple):
    """What every fit needs is gone: nothing can be done until it is there again."""

    reason: Reason
    at: float


class FitStarted(NamedTuple):
    """`machine` is empty for the one that the search runs on."""

    worker: int
    trial: int
    fold: int
    attempt: int
    at: float
    machine: str = ""


class FitEnded(NamedTuple):
    worker: int
    trial: int
    fold: int
    attempt: int
    outcome: Outcome
    at: float


class FitStepped(NamedTuple):
    """A running fit tells the scores of further iterations."""

    worker: int
    trial: int
    fold: int
    attempt: int
    points: Points
    at: float


class SetLimits(NamedTuple):
    """New budgets while the search runs; what is left out stays."""

    changes: Mapping[str, float | int | None]
    at: float


class Try(NamedTuple):
    """A person wants this configuration tried."""

    configuration: Mapping[str, Value]
    at: float


class Proposal(NamedTuple):
    """The strategy's answer to Ask; `origin` says where its configuration comes from."""

    number: int
    answer: Answer
    at: float
    origin: str = "proposed"


class ProposalFailed(NamedTuple):
    message: str
    at: float


class Pause(NamedTuple):
    at: float


class Resume(NamedTuple):
    at: float


class Stop(NamedTuple):
    at: float


class Withdraw(NamedTuple):
    trial: int
    at: float


@dataclass(frozen=True)
class SetWorkers:
    count: int
    at: float


Event = (
    Begin | Tick | WorkerReady | WorkerLost | Halted | FitStarted | FitStepped | FitEnded | Proposal | ProposalFailed
    | Pause | Resume | Stop | Withdraw | SetWorkers | SetLimits | Try
)  # fmt: skip

WISHES = (Pause, Resume, Stop, Withdraw, SetWorkers, SetLimits, Try)  # what people want; the rest is what the world reports

# Commands


class SaveSearch(NamedTuple):
    state: SearchState
    reason: Reason
    active_seconds: float
    workers: int
    at: float


class SaveTrial(NamedTuple):
    trial: Trial
    at: float


class SaveFit(NamedTuple):
    fit: Fit
    at: float


class SavePoints(NamedTuple):
    """Further points of a fold's curve."""

    trial: int
    fold: int
    points: Points
    at: float


class Ask(NamedTuple):
    """Ask the strategy for proposal `number`."""

    number: int


class StartFit(NamedTuple):
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
    begun: int = 0  # the level that this trial and fold has come to


class CutFit(NamedTuple):
    """Tell a worker that nobody waits for what it does; sent to it as it is."""

    worker: int
    trial: int
    fold: int
    attempt: int


class Forget(NamedTuple):
    """The checkpoints of a trial are not needed any more."""

    trial: int


class Hire(NamedTuple):
    worker: int
    lane: int


class Dismiss(NamedTuple):
    """End a worker at once, whatever it is doing."""

    worker: int


@dataclass(frozen=True)
class Finish:
    """Nothing is left to do: close the runner."""


Save = SaveSearch | SaveTrial | SaveFit | SavePoints
Command = Save | Ask | StartFit | CutFit | Forget | Hire | Dismiss | Finish
