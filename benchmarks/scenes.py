"""What the benchmarks stand on: the demo data, and a runner that answers at once."""

from __future__ import annotations

import queue
import time

import numpy as np

from pellux.demo.generator import FOLDER
from pellux.engine.messages import CutFit, FitEnded, FitStarted, StartFit, WorkerReady
from pellux.engine.model import Outcome
from pellux.engine.runners import Report
from pellux.engine.states import FitState
from pellux.engine.worker import Assignment
from pellux.service.planning.requests import BriefRequest
from pellux.service.problems.datasets import import_file
from pellux.service.problems.problems import create_problem
from pellux.service.workspace import Workspace


def warm_arrivals(workspace: Workspace, **brief: object) -> int:
    table = import_file(workspace, FOLDER / "warm_arrivals.csv")
    request = {
        "data": table.hash,
        "target": "arrived_warm",
        "metric": "average precision",
        "ignore": ["unit_id", "departed_on"],
        "seed": 7,
    }
    return create_problem(workspace, BriefRequest.model_validate({**request, **brief}))


class InstantRunner:
    """Ends every fit as soon as it is asked for: what remains is the engine, the store and the stream."""

    def __init__(self, assignment: Assignment) -> None:
        self._reports: queue.SimpleQueue[Report] = queue.SimpleQueue()
        self._rng = np.random.default_rng(1)

    def hire(self, worker: int, lane: int) -> None:
        self._reports.put(WorkerReady(worker))

    def start(self, fit: StartFit) -> None:
        now = time.time()
        self._reports.put(FitStarted(fit.worker, fit.trial, fit.fold, fit.attempt, now))
        score = 0.7 - 0.1 * float(self._rng.random()) ** 2
        self._reports.put(FitEnded(fit.worker, fit.trial, fit.fold, fit.attempt, Outcome(FitState.DONE, score, 0.001), now))

    def dismiss(self, worker: int) -> None:
        pass

    def cut(self, fit: CutFit) -> None:
        pass

    def forget(self, trial: int | None) -> None:
        pass

    def wake(self) -> None:
        pass

    def wait(self, seconds: float) -> list[Report]:
        found: list[Report] = []
        try:
            found.append(self._reports.get(timeout=min(seconds, 0.05)))
            while True:
                found.append(self._reports.get_nowait())
        except queue.Empty:
            return found

    def close(self) -> None:
        pass
