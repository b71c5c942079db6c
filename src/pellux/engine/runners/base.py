"""The contract between the driver and the processes (or machines) that fit.

A runner starts workers, hands them fits, and reports what happens as events. All methods but `wake` are called by one
thread, the search's driver. What it must keep to, and `tests/engine/conformance.py` asks of every runner:

1. `hire(worker, lane)` returns at once; `WorkerReady` comes when the worker can take fits, `WorkerLost` if it never can.
2. Fits of a worker are done one after another in the order of `start`. Each gives one `FitStarted`, any number of
   `FitStepped`, and one `FitEnded`, with the attempt of its `StartFit`; or none of them and a `WorkerLost`.
3. A worker that dies or freezes gives one `WorkerLost`, and nothing after it. Its number never comes back.
4. `cut(fit)` makes a running fit end soon, with a `FitEnded` as ever; one that has not begun, when its turn comes. A cut for
   an older attempt, or for a fit that has ended, changes nothing.
5. `dismiss(worker)` ends it at once, with all it started. No report of it comes after that, not even a `WorkerLost`.
6. `wait(seconds)` gives reports in the order in which they happened, and returns early for them and for `wake`.
7. A runner that has lost what all of its workers need says so by one `Halted`; the search pauses with the reason. The workers are
   lost as ever, and who is hired meanwhile becomes ready when it is there again.
8. `close` ends all workers; `forget(trial)` drops what a trial's fits left behind, `forget(None)` everything.

>>> from pellux.engine.messages import StartFit
>>> def first_score(runner):                       # how a driver uses it, in short
...     runner.hire(0, 0)
...     runner.start(StartFit(0, trial=1, fold=0, attempt=1, configuration={"x": 0.5}))
...     while True:
...         for report in runner.wait(1.0):
...             if isinstance(report, FitEnded):
...                 return report.outcome.score
"""

from __future__ import annotations

from typing import Protocol

from pellux.engine.messages import CutFit, FitEnded, FitStarted, FitStepped, Halted, StartFit, WorkerLost, WorkerReady

OfWorker = WorkerReady | WorkerLost | FitStarted | FitStepped | FitEnded
Report = OfWorker | Halted


class Runner(Protocol):
    def hire(self, worker: int, lane: int) -> None: ...

    def start(self, fit: StartFit) -> None: ...

    def cut(self, fit: CutFit) -> None: ...

    def forget(self, trial: int | None) -> None: ...

    def dismiss(self, worker: int) -> None: ...

    def wait(self, seconds: float) -> list[Report]: ...

    def wake(self) -> None: ...

    def close(self) -> None: ...
