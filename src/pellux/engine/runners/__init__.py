"""Where fits run. A runner starts workers, hands them fits, and reports what happens as events."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

from pellux.engine.messages import CutFit, FitEnded, FitStarted, FitStepped, StartFit, WorkerLost, WorkerReady

Report = WorkerReady | WorkerLost | FitStarted | FitStepped | FitEnded
Clock = Callable[[], float]


class Runner(Protocol):
    """The contract between the driver and the processes (or machines) that fit."""

    def hire(self, worker: int, lane: int) -> None: ...

    def start(self, fit: StartFit) -> None: ...

    def cut(self, fit: CutFit) -> None:
        """Tell a worker to end a fit at its next iteration."""
        ...

    def forget(self, trial: int | None) -> None:
        """Remove the checkpoints of a trial, or all."""
        ...

    def dismiss(self, worker: int) -> None: ...

    def wait(self, seconds: float) -> list[Report]:
        """Reports in order; returns early when there are any or when `wake` is called."""
        ...

    def wake(self) -> None: ...

    def close(self) -> None: ...
