"""Fits on the machines of a cluster: each worker is a seat on one of them.

The coordinator alone decides what runs and what is tried again. A seat that cannot be had now is waited for; one that could not open, or that
its machine dropped before it was ready, is put elsewhere without a word. A machine that vanishes loses its fits, and they count as
lost by no fault of their own.
"""

from __future__ import annotations

import asyncio
import threading
import time
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from pellux.core.reasons import Reason, because
from pellux.engine.clock import Clock
from pellux.engine.cluster.connection import Cluster
from pellux.engine.cluster.door import Line
from pellux.engine.cluster.machines import Demand, Place
from pellux.engine.cluster.manifest import listed
from pellux.engine.cluster.travel import ServerSide, UnderWay
from pellux.engine.cluster.wire import Beat, Drop, End, Left, Listed, Opening, Order, Said, Trouble, Want
from pellux.engine.messages import CutFit, FitEnded, FitStarted, Halted, StartFit, WorkerLost, WorkerReady
from pellux.engine.model import Outcome
from pellux.engine.runners.base import OfWorker, Report
from pellux.engine.states import FitState
from pellux.engine.worker import Assignment

SETTLE = 1.0  # seconds in which it shows whether a machine went alone or the whole cluster with it
COMES = 8.0  # seconds in which a seat comes, on a machine whose places are not taken by others


@dataclass
class _Seat:
    worker: int
    lane: int
    place: Place
    machine: str
    begun: float
    token: str = ""
    line: Line | None = None
    ready: bool = False
    offset: float | None = None  # of its machine's clock to ours
    newest: float = 0.0
    fits: dict[tuple[int, int, int], StartFit] = field(default_factory=dict)  # told to it and not ended, in their order
    lost: tuple[float, str] | None = None  # since when, and how
    under_way: UnderWay = field(default_factory=UnderWay)


@dataclass(frozen=True)
class LaneState:
    """Where a lane is: the label of its machine and the devices it has there, or why it has none."""

    machine: str = ""
    waits: str = ""
    devices: tuple[str, ...] = ()


class ClusterRunner:
    """Runs the fits of one search on a cluster. `search` names it among all that the cluster's machines may hold."""

    def __init__(
        self, assignment: Assignment, cluster: Cluster, search: str, demand: Demand, memory_bytes: int | None = None,
        elsewhere: bool = False, clock: Clock | None = None,
    ) -> None:  # fmt: skip
        self._assignment, self.cluster, self.demand = assignment, cluster, demand
        self._search, self._memory, self._elsewhere = search, memory_bytes, elsewhere
        self._steady = clock or Clock()
        files = assignment.evaluators.files()
        self._listed = listed(files)
        self._travel = ServerSide(assignment.artifacts, files)
        self._change = threading.Condition()
        self._waiting: dict[int, int] = {}  # workers without a seat, and their lanes
        self._seats: dict[int, _Seat] = {}
        self._reports: list[Report] = []
        self._woken = self._closed = self._used = self._halted = False
        cluster.listen(self.wake)

    # The contract of base.py

    def hire(self, worker: int, lane: int) -> None:
        with self._change:
            self._waiting[worker] = lane
        self._place()

    def start(self, fit: StartFit) -> None:
        with self._change:
            seat = self._seats.get(fit.worker)
            if seat is not None and seat.line is not None:
                seat.fits[fit.trial, fit.fold, fit.attempt] = fit
                seat.line.send(Order(fit, self._travel.offers(fit)))

    def cut(self, fit: CutFit) -> None:
        with self._change:
            seat = self._seats.get(fit.worker)
            if seat is not None and seat.line is not None and (fit.trial, fit.fold, fit.attempt) in seat.fits:
                seat.line.send(fit)

    def forget(self, trial: int | None) -> None:
        self._assignment.artifacts.forget(trial)
        self._travel.forget(trial)
        with self._change:
            lines = [seat.line for seat in self._seats.values() if seat.line is not None]
        if trial is None:
            self._assignment.evaluators.tidy()
            if self._used:
                self.cluster.tidy(self._search)
            return
        for line in lines:
            line.send(Drop(trial))

    def dismiss(self, worker: int) -> None:
        with self._change:
            self._waiting.pop(worker, None)
            seat = self._seats.pop(worker, None)
            self._reports = [r for r in self._reports if isinstance(r, Halted) or r.worker != worker]
        if seat is not None:
            self._end(seat)
        self._place()

    def wait(self, seconds: float) -> list[Report]:
        self._look_after_seats()
        with self._change:
            if not self._reports and not self._woken and not self._closed:
                self._change.wait_for(lambda: bool(self._reports) or self._woken or self._closed, min(seconds, SETTLE))
            self._woken = False
            found, self._reports = self._reports, []
            return [] if self._closed else found

    def wake(self) -> None:
        with self._change:
            self._woken = True
            self._change.notify_all()

    def close(self) -> None:
        self.cluster.unlisten(self.wake)
        with self._change:
            self._closed = True
            seats, self._seats = list(self._seats.values()), {}
            self._waiting.clear()
            self._change.notify_all()
        for seat in seats:
            self._end(seat)

    # For those who look

    def lanes(self) -> dict[int, LaneState]:
        with self._change:
            found = {
                seat.lane: LaneState(seat.machine, "", seat.place.devices)
                if seat.ready
                else LaneState("", f"opens on {seat.machine}")
                for seat in self._seats.values()
            }
            why = self._why_none() if self._waiting else ""
            return found | {lane: LaneState("", why) for lane in self._waiting.values()}

    def _why_none(self) -> str:
        if self.cluster.gone:
            return "the scheduler is gone"
        machines = self.cluster.known()
        if not machines:
            return "no machine has joined"
        usable = [machine for machine in machines if machine.usable(time.monotonic())]
        if not usable:
            return f"{machines[0].label}: {machines[0].trouble}"
        return "every place that fits is taken" if not self.demand.devices else "no device is free"

    # Seats

    def _place(self) -> None:
        """Give waiting workers seats, as far as there are places."""
        while True:
            with self._change:
                if self._closed or not self._waiting:
                    return
                place = self.cluster.take(self.demand)
                if place is None:
                    return
                worker = next(iter(self._waiting))
                machine = self.cluster.machine(place)
                seat = _Seat(
                    worker, self._waiting.pop(worker), place, machine.label if machine else place.machine, time.monotonic()
                )
                self._seats[worker] = seat
                self._used = True
            try:
                seat.token = self.cluster.seat(place, _Guest(self, seat), lambda how, seat=seat: self._task_ended(seat, how))  # type: ignore[misc]
            except Exception as error:  # the scheduler went just now
                self._lose(seat, f"no seat could be put there: {error}")
                return

    def _look_after_seats(self) -> None:
        now = time.monotonic()
        with self._change:
            seats = list(self._seats.values())
            if self.cluster.gone and not self._halted:
                self._report(Halted(self._reason(), self._steady()))
            self._halted = self.cluster.gone
        for seat in seats:
            if seat.lost is not None and now - seat.lost[0] >= SETTLE:
                self._lose(seat, seat.lost[1])
            elif seat.line is None and seat.lost is None and now - seat.begun > COMES:
                self._lose(seat, "its places are taken by other work of the cluster, or it does not answer")
        self._place()

    def _reason(self) -> Reason:
        return because("cluster gone", cluster=self.cluster.address)

    def _lose(self, seat: _Seat, how: str) -> None:
        """A seat is gone for good. The worker of one that was ready is lost, with its fits: those that went with the whole cluster only
        wait for it. That of one that never was gets another seat."""
        with self._change:
            if self._seats.get(seat.worker) is not seat:
                return
            del self._seats[seat.worker]
            for fit in seat.fits.values() if self.cluster.gone else ():
                waits = Outcome(FitState.LOST, reason=self._reason())
                self._report(FitEnded(fit.worker, fit.trial, fit.fold, fit.attempt, waits, self._steady()))
            if seat.ready:
                lost = f"the seat on {seat.machine} is gone: {how}"
                self._report(WorkerLost(seat.worker, lost, self._steady(), blameless=True))
            else:
                self._waiting[seat.worker] = seat.lane
        self.cluster.failed(seat.place, how)
        self._end(seat)

    def _end(self, seat: _Seat) -> None:
        if seat.line is None:
            self.cluster.unseat(seat.token)
        else:
            seat.line.send(End())
            seat.line.close()
        self.cluster.give(seat.place)

    def _task_ended(self, seat: _Seat, how: str) -> None:
        """In the engine's thread: a task that ended before its seat came will never come."""
        with self._change:
            if seat.line is None and seat.lost is None and self._seats.get(seat.worker) is seat:
                seat.lost = time.monotonic() - SETTLE / 2, how
                self.wake()

    # What seats say, in the door's thread

    def _came(self, seat: _Seat, line: Line) -> None:
        machine = self.cluster.machine(seat.place)
        with self._change:
            if self._seats.get(seat.worker) is not seat:
                line.send(End())
                line.close()
                return
            seat.line = line
            held = machine.seats(self.demand) if machine else 1
            line.send(
                Opening(
                    self._search, self._assignment.evaluators, self._listed, seat.place.devices, max(held, 1), self._memory,
                    self._elsewhere, self._assignment.seal,
                )
            )  # fmt: skip

    async def _heard(self, seat: _Seat, line: Line, messages: Sequence[Any]) -> None:
        loop = asyncio.get_running_loop()
        for message in messages:
            match message:
                case Beat(sent=sent):
                    self._set_clock(seat, sent)
                case Said(reports=reports, sent=sent):
                    self._set_clock(seat, sent)
                    self._take(seat, reports)
                case Want():
                    piece = await loop.run_in_executor(None, self._travel.piece, message, seat.under_way)
                    await line.answer(piece)
                    self._count(seat, message, len(piece.content or b""))
                case Left():
                    await loop.run_in_executor(None, self._travel.take, message, seat.under_way)
                case Trouble(reason=reason):
                    self._in_trouble(seat, reason.facts.get("text") or reason.code)

    def _count(self, seat: _Seat, want: Want, size: int) -> None:
        if isinstance(want.what, Listed):
            self.cluster.count(seat.place, size)

    def _set_clock(self, seat: _Seat, sent: float) -> None:
        """The smallest difference that was ever seen is the one with the least delay in it."""
        ahead = time.monotonic() - sent
        seat.offset = ahead if seat.offset is None else min(seat.offset, ahead)

    def _take(self, seat: _Seat, reports: Sequence[OfWorker]) -> None:
        with self._change:
            if self._seats.get(seat.worker) is not seat:
                return
            for report in reports:
                self._take_one(seat, report)
            self._change.notify_all()

    def _take_one(self, seat: _Seat, report: OfWorker) -> None:
        if isinstance(report, WorkerReady):
            seat.ready = True
            machine = self.cluster.machine(seat.place)
            if machine is not None:
                machine.proved()
            self._report(WorkerReady(seat.worker))
        elif isinstance(report, WorkerLost):
            del self._seats[seat.worker]
            self._report(WorkerLost(seat.worker, f"{report.reason}, on {seat.machine}", self._steady()))
            threading.Thread(target=self._end, args=(seat,), daemon=True).start()
        else:
            whose = (report.trial, report.fold, report.attempt)
            if whose not in seat.fits:  # of an older attempt, or said twice
                return
            if isinstance(report, FitEnded):
                del seat.fits[whose]
            at = self._steady.of(report.at + (seat.offset or 0.0))
            seat.newest = at = max(at, seat.newest)
            told = report._replace(worker=seat.worker, at=at)
            self._report(told._replace(machine=seat.machine) if isinstance(told, FitStarted) else told)

    def _in_trouble(self, seat: _Seat, why: str) -> None:
        with self._change:
            if seat.lost is None:
                seat.lost = time.monotonic() - SETTLE, str(why)
                self.wake()

    def _went(self, seat: _Seat, why: str) -> None:
        seat.under_way.close()
        with self._change:
            if self._seats.get(seat.worker) is seat and seat.lost is None:
                seat.lost = time.monotonic(), why
                self.wake()

    def _report(self, report: Report) -> None:
        self._reports.append(report)
        self._change.notify_all()


class _Guest:
    """One seat's side of the door."""

    def __init__(self, runner: ClusterRunner, seat: _Seat) -> None:
        self._runner, self._seat = runner, seat

    def came(self, line: Line) -> None:
        self._runner._came(self._seat, line)

    async def heard(self, line: Line, messages: Sequence[Any]) -> None:
        await self._runner._heard(self._seat, line, messages)

    def went(self, line: Line, why: str) -> None:
        self._runner._went(self._seat, why)
