"""Fits in worker processes on this machine: one pipe each, forked from a server that has what they need loaded."""

from __future__ import annotations

import contextlib
import multiprocessing
import signal
import threading
import time
from dataclasses import dataclass, replace
from multiprocessing.connection import Connection, wait
from typing import Any

from pellux.engine.clock import Clock
from pellux.engine.devices import DevicePool
from pellux.engine.messages import CutFit, FitEnded, FitStarted, FitStepped, StartFit, WorkerLost
from pellux.engine.processes import busy_seconds, kill_group, prepare
from pellux.engine.runners.base import Report
from pellux.engine.worker import BEAT, Assignment, main

FROZEN = 10.0  # seconds without a sign of life and without using the processor


@dataclass
class _Process:
    process: Any
    pipe: Connection
    parent_end: Connection
    heard: float
    devices: tuple[str, ...] = ()
    busy_seconds: float = 0.0


class LocalRunner:
    """Runs the fits of one search. A worker that is to have devices begins when so many are free."""

    def __init__(self, assignment: Assignment, clock: Clock | None = None, devices: DevicePool | None = None) -> None:
        self._steady = clock or Clock()
        self._assignment, self._devices = assignment, devices or DevicePool()
        self._without_devices: dict[int, int] = {}  # workers that wait for some, and their lanes
        self._clock = time.monotonic
        self._context = prepare()
        self._workers: dict[int, _Process] = {}
        self._ear, self._mouth = multiprocessing.Pipe(duplex=False)
        self._closing = threading.Lock()
        self._looked = 0.0

    def hire(self, worker: int, lane: int) -> None:
        devices = self._devices.take(self._assignment.each)
        if devices is None:
            self._without_devices[worker] = lane
        else:
            self._begin(worker, lane, devices)

    def _begin(self, worker: int, lane: int, devices: tuple[str, ...]) -> None:
        ours, theirs = self._context.Pipe()
        listening, holding = self._context.Pipe(duplex=False)
        log = self._assignment.log
        if devices:
            self._devices.note(log.name, lane, devices)
        assignment = replace(self._assignment, log=log.with_name(f"{log.name}-{lane + 1}.log"), devices=devices)
        process = self._context.Process(target=main, args=(assignment, theirs, listening), daemon=True)
        process.start()
        theirs.close()
        listening.close()
        self._workers[worker] = _Process(process, ours, holding, self._clock(), devices)

    def start(self, fit: StartFit) -> None:
        self._send(fit.worker, fit)

    def cut(self, fit: CutFit) -> None:
        self._send(fit.worker, fit)

    def _send(self, worker: int, message: StartFit | CutFit) -> None:
        held = self._workers.get(worker)
        if held is not None:
            with contextlib.suppress(OSError):  # a worker that has just died is reported by its sentinel
                held.pipe.send(message)

    def forget(self, trial: int | None) -> None:
        self._assignment.artifacts.forget(trial)
        if trial is None:
            self._assignment.evaluators.tidy()

    def dismiss(self, worker: int) -> None:
        self._without_devices.pop(worker, None)
        held = self._workers.pop(worker, None)
        if held is not None:
            self._end(held)

    def _end(self, held: _Process) -> None:
        _kill(held)
        self._devices.give(held.devices)

    def wake(self) -> None:
        with contextlib.suppress(OSError), self._closing:
            self._mouth.send_bytes(b"!")

    def wait(self, seconds: float) -> list[Report]:
        if self._ear.closed:
            return []
        for worker, lane in list(self._without_devices.items()):
            devices = self._devices.take(self._assignment.each)
            if devices is None:
                break
            del self._without_devices[worker]
            self._begin(worker, lane, devices)
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
                message = held.pipe.recv()
                if message != BEAT:
                    at = {"at": self._steady.of(message.at)} if isinstance(message, (FitStarted, FitStepped, FitEnded)) else {}
                    reports.append(message._replace(worker=worker, **at))
        return reports

    def _lost(self, worker: int, reason: str | None) -> WorkerLost:
        held = self._workers.pop(worker)
        held.process.join(1)
        code = held.process.exitcode
        why = reason or (f"killed by {signal.Signals(-code).name}" if code and code < 0 else f"ended with exit code {code}")
        self._end(held)
        return WorkerLost(worker, f"the worker process {held.process.pid} was {why}", self._steady())

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
            busy = busy_seconds(held.process.pid)
            if busy > held.busy_seconds:
                held.busy_seconds, held.heard = busy, now
            else:
                kill_group(held.process.pid)
                lost.append(self._lost(worker, f"frozen for {FROZEN:g} s and was replaced"))
        return lost

    def close(self) -> None:
        for worker in [*self._workers, *self._without_devices]:
            self.dismiss(worker)
        with self._closing:  # nobody wakes it while its pipe is taken away
            self._ear.close()
            self._mouth.close()


def _kill(held: _Process) -> None:
    kill_group(held.process.pid)
    held.pipe.close()
    held.parent_end.close()
    held.process.join(1)
