"""What a worker process does: open the data once, then fit after fit until its pipe closes."""

from __future__ import annotations

import contextlib
import os
import resource
import sys
import threading
import time
import traceback
from collections.abc import Mapping
from dataclasses import dataclass
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

import numpy as np
from threadpoolctl import threadpool_limits

from pellux.core.judging import Brief
from pellux.engine.lifeline import tie
from pellux.engine.model import FitState, Outcome
from pellux.learners.catalogue import learner
from pellux.learners.fitting import fit_fold, model_bytes
from pellux.learners.fold_data import FoldData
from pellux.learners.table import Table

HEARTBEAT = 2.0
LOG_TAIL = 4000


@dataclass(frozen=True)
class Assignment:
    """Everything a worker needs to know about its problem; sent once, when the worker starts.

    Attributes
    ----------
    memory_bytes : int or None
        What a worker may allocate beyond what it holds when the data are open.
    """

    table: Path
    folds: Path
    brief: Brief
    learner: str
    log: Path
    memory_bytes: int | None = None


@dataclass(frozen=True, slots=True)
class Task:
    trial: int
    fold: int
    attempt: int
    configuration: Mapping[str, Any]
    learner: str = ""


def main(assignment: Assignment, pipe: Connection, lifeline: Connection) -> None:
    """Entry point of the process; answers ('ready',), ('beat',), ('started', ...) and ('ended', ...)."""
    tie(lifeline.fileno())
    send = _locked(pipe)
    log = _capture_output(assignment.log)
    threading.Thread(target=_beat, args=(send,), daemon=True).start()
    with threadpool_limits(1):
        bench = _Bench(assignment, log)
        _limit_memory(assignment.memory_bytes)
        send(("ready",))
        with contextlib.suppress(EOFError, OSError):
            while True:
                task: Task = pipe.recv()
                send(("started", task.trial, task.fold, task.attempt, time.time()))
                outcome = bench.fit(task)
                send(("ended", task.trial, task.fold, task.attempt, outcome, time.time()))


class _Bench:
    """The worker's own copy of the problem, opened once."""

    def __init__(self, assignment: Assignment, log: int) -> None:
        brief = assignment.brief
        self.brief = brief
        self.default_learner = assignment.learner
        self.data = FoldData(Table.open(assignment.table), brief, np.load(assignment.folds))
        self.log = log

    def fit(self, task: Task) -> Outcome:
        os.ftruncate(self.log, 0)
        begun = time.perf_counter()
        try:
            chosen = learner(task.learner or self.default_learner, self.brief.task)
            fold = self.data.prepared(task.fold, chosen.preparation)
            fitted = fit_fold(fold, chosen, task.configuration, self.brief, time.perf_counter)
            # Models of one trial are much alike: the size of the first says enough, and costs the others nothing.
            size = model_bytes(fitted.model) if task.fold == 0 else None
        except MemoryError:
            spent = time.perf_counter() - begun
            return Outcome(FitState.MEMORY, seconds=spent, message="The fit needed more memory than its limit.", log=self.tail())
        except Exception as error:
            spent = time.perf_counter() - begun
            text = f"{type(error).__name__}: {error}"
            return Outcome(FitState.ERROR, seconds=spent, message=text, log=self.tail() + traceback.format_exc()[-LOG_TAIL:])
        spent = time.perf_counter() - begun
        if not np.isfinite(fitted.score):
            message = f"The metric {self.brief.metric} gave {fitted.score}. Is a class missing from the fold's {len(fold.test)} test rows?"
            return Outcome(FitState.ERROR, seconds=spent, message=message, log=self.tail(), warnings=fitted.warnings)
        return Outcome(
            FitState.DONE, fitted.score, spent, fitted.predict_seconds, log=self.tail(), warnings=fitted.warnings,
            predictions=fitted.predictions, model_bytes=size,
        )  # fmt: skip

    def tail(self) -> str:
        sys.stdout.flush()
        sys.stderr.flush()
        size = os.fstat(self.log).st_size
        return os.pread(self.log, LOG_TAIL, max(size - LOG_TAIL, 0)).decode("utf-8", "replace")


def _locked(pipe: Connection) -> Any:
    lock = threading.Lock()

    def send(message: tuple[Any, ...]) -> None:
        with lock:
            pipe.send(message)

    return send


def _beat(send: Any) -> None:
    """Signs of life, so that a frozen process is told apart from a long fit."""
    with contextlib.suppress(OSError):
        while True:
            time.sleep(HEARTBEAT)
            send(("beat",))


def _capture_output(path: Path) -> int:
    """Send everything that is printed, by Python or by C, to the worker's log file."""
    log = os.open(path, os.O_RDWR | os.O_CREAT | os.O_TRUNC | os.O_APPEND, 0o644)
    os.dup2(log, 1)
    os.dup2(log, 2)
    sys.stdout = os.fdopen(1, "w", buffering=1, closefd=False)
    sys.stderr = os.fdopen(2, "w", buffering=1, closefd=False)
    return log


def _limit_memory(allowance: int | None) -> None:
    """RLIMIT_AS of what is mapped now plus the allowance: too much gives a MemoryError, and the worker lives on."""
    if allowance is None:
        return
    pages = int(Path("/proc/self/statm").read_text().split()[0])
    limit = pages * os.sysconf("SC_PAGE_SIZE") + allowance
    resource.setrlimit(resource.RLIMIT_AS, (limit, limit))
