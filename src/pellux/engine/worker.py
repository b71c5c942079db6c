"""What a worker process does: open its evaluator once, then fit after fit until its pipe closes.

What comes down the pipe are the coordinator's own messages, StartFit and CutFit; what goes up are events without the worker's
number, which it does not know: the runner puts it in.
"""

from __future__ import annotations

import contextlib
import os
import resource
import sys
import threading
import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

from pellux.core.objective import Evaluator, EvaluatorSource, FitContext, FitOrder, FitResult, Unavailable
from pellux.engine.artifacts import Artifacts
from pellux.engine.evaluation import LOG_TAIL, evaluate
from pellux.engine.messages import CutFit, FitEnded, FitStarted, FitStepped, StartFit, WorkerReady
from pellux.engine.one_thread import one_thread
from pellux.engine.parent_death import tie
from pellux.objectives import sealed

HEARTBEAT = 2.0
BATCH = 0.05  # seconds that a point of a curve may wait for others
HERE = -1  # a worker does not know its own number
BEAT = "beat"
Send = Callable[[Any], None]


@dataclass(frozen=True)
class Assignment:
    """Everything a worker needs to know of its search; sent once, when the worker starts.

    Attributes
    ----------
    log : Path
        The file that gets what fits print.
    memory_bytes : int or None
        What a worker may allocate beyond what it holds when its evaluator is open.
    devices : tuple of str
        Those that are this worker's alone; the runner puts them in.
    each : int
        How many devices a worker is to have.
    seal : str
        What it seals with on another machine; empty on the server's own.
    """

    evaluators: EvaluatorSource
    artifacts: Artifacts
    log: Path
    memory_bytes: int | None = None
    devices: tuple[str, ...] = ()
    each: int = 0
    seal: str = ""


def main(assignment: Assignment, pipe: Connection, parent_end: Connection) -> None:
    """Entry point of the process."""
    tie(parent_end.fileno())
    if assignment.seal:
        sealed.use(assignment.seal)
    send = _locked(pipe)
    log = _Log(assignment.log)
    threading.Thread(target=_beat, args=(send,), daemon=True).start()
    with one_thread():
        evaluator = WhenThere(assignment.evaluators)
        _limit_memory(assignment.memory_bytes)
        send(WorkerReady(HERE))
        inbox = _Inbox(pipe)
        with contextlib.suppress(EOFError, OSError):
            while True:
                order = inbox.next()
                whose = (HERE, order.trial, order.fold, order.attempt)
                send(FitStarted(*whose, time.monotonic()))
                log.clear()
                curve = _Curve(order, send)
                context = FitContext(
                    curve.point, partial(inbox.cut, order), assignment.artifacts, time.perf_counter, assignment.devices
                )
                outcome = evaluate(evaluator, order, context, log.tail, str(assignment.log.parent))
                send(FitEnded(*whose, outcome, time.monotonic()))


class WhenThere:
    """Opens the evaluator at once, or, when what it needs is not there, again with each fit until it is."""

    def __init__(self, source: EvaluatorSource) -> None:
        self._source = source
        self._evaluator: Evaluator | None = None
        with contextlib.suppress(Unavailable):
            self._evaluator = source.open()

    def evaluate(self, order: FitOrder, context: FitContext) -> FitResult:
        if self._evaluator is None:
            self._evaluator = self._source.open()
        return self._evaluator.evaluate(order, context)


class _Inbox:
    """What was sent to this worker: fits in their order, and cuts, which are heard while a fit is done."""

    def __init__(self, pipe: Connection) -> None:
        self._pipe = pipe
        self._orders: deque[StartFit] = deque()
        self._cut: set[tuple[int, int, int]] = set()

    def next(self) -> StartFit:
        while not self._orders:
            self._take(self._pipe.recv())
        return self._orders.popleft()

    def cut(self, order: StartFit) -> bool:
        while self._pipe.poll():
            self._take(self._pipe.recv())
        return (order.trial, order.fold, order.attempt) in self._cut

    def _take(self, message: StartFit | CutFit) -> None:
        if isinstance(message, StartFit):
            self._orders.append(message)
        else:
            self._cut.add((message.trial, message.fold, message.attempt))


class _Curve:
    """Sends the points of a curve, a few at a time."""

    def __init__(self, order: StartFit, send: Send) -> None:
        self._order, self._send = order, send
        self._waiting: list[tuple[int, float]] = []
        self._last = time.monotonic()

    def point(self, level: int, score: float) -> None:
        self._waiting.append((level, score))
        if time.monotonic() - self._last >= BATCH:
            order = self._order
            self._send(FitStepped(HERE, order.trial, order.fold, order.attempt, tuple(self._waiting), time.monotonic()))
            self._waiting, self._last = [], time.monotonic()


def _locked(pipe: Connection) -> Send:
    lock = threading.Lock()

    def send(message: Any) -> None:
        with lock:
            pipe.send(message)

    return send


def _beat(send: Send) -> None:
    """Signs of life, so that a frozen process is told apart from a long fit."""
    with contextlib.suppress(OSError):
        while True:
            time.sleep(HEARTBEAT)
            send(BEAT)


class _Log:
    """Takes everything that is printed, by Python or by C."""

    def __init__(self, path: Path) -> None:
        self._file = os.open(path, os.O_RDWR | os.O_CREAT | os.O_TRUNC | os.O_APPEND, 0o644)
        os.dup2(self._file, 1)
        os.dup2(self._file, 2)
        sys.stdout = os.fdopen(1, "w", buffering=1, closefd=False)
        sys.stderr = os.fdopen(2, "w", buffering=1, closefd=False)

    def clear(self) -> None:
        os.ftruncate(self._file, 0)

    def tail(self) -> str:
        with contextlib.suppress(OSError):  # the disk is full: what is missing then is the end of what was printed
            sys.stdout.flush()
            sys.stderr.flush()
        size = os.fstat(self._file).st_size
        return os.pread(self._file, LOG_TAIL, max(size - LOG_TAIL, 0)).decode("utf-8", "replace")


def _limit_memory(allowance: int | None) -> None:
    """RLIMIT_AS of what is mapped now plus the allowance: too much gives a MemoryError, and the worker lives on."""
    if allowance is None:
        return
    pages = int(Path("/proc/self/statm").read_text().split()[0])
    limit = pages * os.sysconf("SC_PAGE_SIZE") + allowance
    resource.setrlimit(resource.RLIMIT_AS, (limit, limit))
