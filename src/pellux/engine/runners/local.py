"""Fits in worker processes on this machine: one pipe each, forked from a server that has scikit-learn loaded."""

from __future__ import annotations

import contextlib
import multiprocessing
import os
import shutil
import signal
import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from multiprocessing import forkserver
from multiprocessing.connection import Connection, wait
from typing import Any

import psutil

from pellux.engine.messages import CutFit, FitEnded, FitStarted, FitStepped, StartFit, WorkerLost, WorkerReady
from pellux.engine.runners import Report
from pellux.engine.worker import Assignment, Cut, Task, main
from pellux.learners.checkpoints import Checkpoints

FROZEN = 10.0  # seconds without a sign of life and without using the processor
THREADS = ("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS", "MKL_NUM_THREADS")


def prepare() -> Any:
    """Start the process that workers are forked from; call it early, from the main thread. Returns its context."""
    for name in THREADS:
        os.environ.setdefault(name, "1")
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(["pellux.engine.preload"])
    forkserver.ensure_running()
    return context


@dataclass
class _Process:
    process: Any
    pipe: Connection
    lifeline: Connection
    heard: float
    busy_seconds: float = 0.0


class LocalRunner:
    """Runs the fits of one search. All methods but `wake` are called by one thread, the search's driver."""

    def __init__(self, assignment: Assignment, clock: Callable[[], float] = time.time) -> None:
        self._assignment = assignment
        self._clock = clock
        self._context = prepare()
        self._workers: dict[int, _Process] = {}
        self._ear, self._mouth = multiprocessing.Pipe(duplex=False)
        self._looked = 0.0

    def hire(self, worker: int, lane: int) -> None:
        ours, theirs = self._context.Pipe()
        listening, holding = self._context.Pipe(duplex=False)
        log = self._assignment.log
        assignment = replace(self._assignment, log=log.with_name(f"{log.name}-{lane + 1}.log"))
        process = self._context.Process(target=main, args=(assignment, theirs, listening), daemon=True)
        process.start()
        theirs.close()
        listening.close()
        self._workers[worker] = _Process(process, ours, holding, self._clock())

    def start(self, fit: StartFit) -> None:
        held = self._workers.get(fit.worker)
        if held is not None:
            task = Task(
                fit.trial, fit.fold, fit.attempt, fit.configuration, fit.learner, fit.level, fit.last, fit.ancestors
            )  # fmt: skip
            with contextlib.suppress(OSError):  # a worker that has just died is reported by its sentinel
                held.pipe.send(task)

    def cut(self, fit: CutFit) -> None:
        held = self._workers.get(fit.worker)
        if held is not None:
            with contextlib.suppress(OSError):
                held.pipe.send(Cut(fit.trial, fit.fold, fit.attempt))

    def forget(self, trial: int | None) -> None:
        if self._assignment.checkpoints is not None:
            Checkpoints(self._assignment.checkpoints).forget(trial)
        if trial is None and self._assignment.prefixes is not None:
            shutil.rmtree(self._assignment.prefixes, ignore_errors=True)

    def dismiss(self, worker: int) -> None:
        held = self._workers.pop(worker, None)
        if held is not None:
            _kill(held)

    def wake(self) -> None:
        with contextlib.suppress(OSError):
            self._mouth.send_bytes(b"!")

    def wait(self, seconds: float) -> list[Report]:
        by_pipe = {held.pipe: number for number, held in self._workers.items()}
        by_sentinel = {held.process.sentinel: number for number, held in self._workers.items()}
        ready = wait([self._ear, *by_pipe, *by_sentinel], seconds)
        reports: list[Report] = []
        for thing in ready:
            if thing is self._ear:
                while self._ear.poll():
                    self._ear.recv_bytes()
            elif thing in by_pipe:
                reports += self._read(by_pipe[thing])
        for thing in ready:
            if thing in by_sentinel and by_sentinel[thing] in self._workers:
                reports += self._read(by_sentinel[thing])
                reports.append(self._lost(by_sentinel[thing], None))
        return reports + self._frozen()

    def _read(self, worker: int) -> list[Report]:
        held = self._workers[worker]
        reports: list[Report] = []
        with contextlib.suppress(EOFError, OSError):
            while held.pipe.poll():
                held.heard = self._clock()
                match held.pipe.recv():
                    case ("ready",):
                        reports.append(WorkerReady(worker))
                    case ("started", trial, fold, attempt, at):
                        reports.append(FitStarted(worker, trial, fold, attempt, at))
                    case ("points", trial, fold, attempt, points, at):
                        reports.append(FitStepped(worker, trial, fold, attempt, points, at))
                    case ("ended", trial, fold, attempt, outcome, at):
                        reports.append(FitEnded(worker, trial, fold, attempt, outcome, at))
        return reports

    def _lost(self, worker: int, reason: str | None) -> WorkerLost:
        held = self._workers.pop(worker)
        held.process.join(1)
        code = held.process.exitcode
        why = reason or (f"killed by {signal.Signals(-code).name}" if code and code < 0 else f"ended with exit code {code}")
        _kill(held)
        return WorkerLost(worker, f"the worker process {held.process.pid} was {why}", self._clock())

    def _frozen(self) -> list[Report]:
        """Workers that give no sign of life and do not compute either: stopped, or stuck in the kernel."""
        now = self._clock()
        if now - self._looked < 1:
            return []
        self._looked = now
        lost: list[Report] = []
        for worker, held in list(self._workers.items()):
            if now - held.heard < FROZEN:
                continue
            busy = _busy_seconds(held.process.pid)
            if busy > held.busy_seconds:
                held.busy_seconds, held.heard = busy, now
            else:
                lost.append(self._lost_frozen(worker))
        return lost

    def _lost_frozen(self, worker: int) -> Report:
        _signal(self._workers[worker].process.pid)
        return self._lost(worker, f"frozen for {FROZEN:g} s and was replaced")

    def close(self) -> None:
        for worker in list(self._workers):
            self.dismiss(worker)


def _busy_seconds(pid: int) -> float:
    try:
        times = psutil.Process(pid).cpu_times()
        return float(times.user + times.system)
    except psutil.Error:
        return 0.0


def _signal(pid: int | None) -> None:
    """SIGKILL to the worker and everything it started; before it made its own group, to itself alone."""
    if pid is None:
        return
    with contextlib.suppress(ProcessLookupError, PermissionError):
        if os.getpgid(pid) == pid:
            os.killpg(pid, signal.SIGKILL)
        else:
            os.kill(pid, signal.SIGKILL)


def _kill(held: _Process) -> None:
    _signal(held.process.pid)
    held.pipe.close()
    held.lifeline.close()
    held.process.join(1)
