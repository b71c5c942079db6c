"""What a worker process does: open the data once, then fit after fit until its pipe closes."""

from __future__ import annotations

import contextlib
import os
import resource
import sys
import threading
import time
import traceback
from collections import deque
from collections.abc import Mapping
from dataclasses import dataclass
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

import numpy as np
from threadpoolctl import threadpool_limits

from pellux.core.judging import Brief
from pellux.core.stopping import ITERATIONS, ROWS
from pellux.engine.lifeline import tie
from pellux.engine.messages import Ancestor
from pellux.engine.model import FitState, Outcome
from pellux.engine.tending import Keeping, Telling
from pellux.learners.catalogue import learner
from pellux.learners.fitting import fit_fold, model_bytes
from pellux.learners.fold_data import FoldData
from pellux.learners.growing import Tending, grow_fold
from pellux.learners.own_code import declare_all
from pellux.learners.prefixes import BUDGET, Prefixes
from pellux.learners.preparation import steps_of
from pellux.learners.settings import Learner
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
    resource : str
        What grows from rung to rung.
    most : int
        All of it: what a whole trial gets.
    grid : tuple of int
        The iterations at which a growing fit tells its score.
    checkpoints : Path or None
        The folder of what growing fits leave to go on from.
    prefixes : Path or None
        Where prepared rows are shared with other workers of the search.
    prefix_bytes : int
        What those may take.
    own : Path or None
        The folder with people's own learners and metrics.
    """

    table: Path
    folds: Path
    brief: Brief
    learner: str
    log: Path
    memory_bytes: int | None = None
    resource: str = ""
    most: int = 1
    grid: tuple[int, ...] = ()
    checkpoints: Path | None = None
    prefixes: Path | None = None
    prefix_bytes: int = BUDGET
    own: Path | None = None


@dataclass(frozen=True, slots=True)
class Task:
    trial: int
    fold: int
    attempt: int
    configuration: Mapping[str, Any]
    learner: str = ""
    level: int = 0
    last: bool = True
    ancestors: tuple[Ancestor, ...] = ()


@dataclass(frozen=True, slots=True)
class Cut:
    """Nobody waits for this fit any more."""

    trial: int
    fold: int
    attempt: int


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
        inbox = _Inbox(pipe)
        with contextlib.suppress(EOFError, OSError):
            while True:
                task = inbox.next()
                send(("started", task.trial, task.fold, task.attempt, time.time()))
                outcome = bench.fit(task, send, inbox)
                send(("ended", task.trial, task.fold, task.attempt, outcome, time.time()))


class _Inbox:
    """What was sent to this worker: tasks in their order, and cuts, which are heard while a task is done."""

    def __init__(self, pipe: Connection) -> None:
        self._pipe = pipe
        self._tasks: deque[Task] = deque()
        self._cut: set[tuple[int, int, int]] = set()

    def next(self) -> Task:
        while not self._tasks:
            self._take(self._pipe.recv())
        return self._tasks.popleft()

    def cut(self, task: Task) -> bool:
        while self._pipe.poll():
            self._take(self._pipe.recv())
        return (task.trial, task.fold, task.attempt) in self._cut

    def _take(self, message: Task | Cut) -> None:
        if isinstance(message, Task):
            self._tasks.append(message)
        else:
            self._cut.add((message.trial, message.fold, message.attempt))


class _Bench:
    """The worker's own copy of the problem, opened once."""

    def __init__(self, assignment: Assignment, log: int) -> None:
        declare_all(assignment.own)
        brief = assignment.brief
        self.brief = brief
        self.default_learner = assignment.learner
        prefixes = Prefixes(assignment.prefix_bytes, assignment.prefixes)
        self.data = FoldData(Table.open(assignment.table), brief, np.load(assignment.folds), prefixes)
        self.log = log
        self.assignment = assignment

    def fit(self, task: Task, send: Any, inbox: _Inbox) -> Outcome:
        os.ftruncate(self.log, 0)
        begun = time.perf_counter()
        try:
            whole = learner(task.learner or self.default_learner, self.brief.task)
            chosen, configuration = whole.settle(task.configuration)
            if self.assignment.resource == ITERATIONS:
                return self._grow(task, chosen, send, inbox)
            share = task.level / self.assignment.most if self.assignment.resource == ROWS else 1.0
            fold = self.data.prepared(task.fold, steps_of(chosen, configuration), share)
            fitted = fit_fold(fold, chosen, configuration, self.brief, time.perf_counter)
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
            predictions=fitted.predictions, model_bytes=size, recorded=fitted.recorded,
        )  # fmt: skip

    def _grow(self, task: Task, chosen: Learner, send: Any, inbox: _Inbox) -> Outcome:
        """A fit that goes on from its checkpoint, tells its scores as they come, and leaves a checkpoint behind."""
        assignment = self.assignment
        fold = self.data.prepared(task.fold, steps_of(chosen, task.configuration))
        told = Telling(lambda points: send(("points", task.trial, task.fold, task.attempt, points, time.time())))
        keeping = Keeping(assignment.checkpoints, task.trial, task.fold, [a.trial for a in reversed(task.ancestors)])
        begun = keeping.begin()
        stages = [*((a.configuration, a.level) for a in task.ancestors), (task.configuration, task.level)]
        tending = Tending(told.point, lambda: inbox.cut(task), keeping.now_and_then)
        fitted = grow_fold(fold, chosen, stages, assignment.grid, self.brief, time.perf_counter, begun, tending)
        first = task.ancestors[-1].level if task.ancestors else 0
        curve = tuple(point for point in begun.curve if point[0] > first)
        if not curve:
            message = f"The metric {self.brief.metric} gave {fitted.score} at every iteration."
            return Outcome(FitState.ERROR, seconds=fitted.seconds, message=message, log=self.tail(), warnings=fitted.warnings)
        size = keeping.leave(begun)
        if task.last:
            keeping.lay_down(begun)
        return Outcome(
            FitState.DONE, curve[-1][1], fitted.seconds, fitted.predict_seconds, log=self.tail(),
            warnings=(*keeping.complaints, *fitted.warnings), model_bytes=model_bytes(fitted.model) if task.fold == 0 else None,
            curve=curve, checkpoint_bytes=size, recorded=fitted.recorded,
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
