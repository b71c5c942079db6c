"""Fits that somebody else's loop does: they are taken with a lease that has to be kept alive, and answered for once.

A worker is a seat at the table. It becomes ready when somebody asks for a fit, so that nothing is proposed for holders
that are not there. A lease that is not kept alive is a worker that died: its fit is lost, and nobody else's.
"""

from __future__ import annotations

import secrets
import threading
import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field

from pellux.core.errors import Conflict, NotFound
from pellux.core.objective import Points
from pellux.engine.clock import Clock
from pellux.engine.messages import CutFit, FitEnded, FitStarted, FitStepped, StartFit, WorkerLost, WorkerReady
from pellux.engine.model import Outcome
from pellux.engine.runners.base import OfWorker, Report

REMEMBERED = 10_000  # ended leases of which it is still known how they ended


@dataclass
class Lease:
    """A fit that is somebody's until `ends`, by the runner's clock.

    Attributes
    ----------
    seconds : float
        For how long a sign of life keeps it.
    """

    id: str
    fit: StartFit
    holder: str
    seconds: float
    ends: float
    began: float
    cut: bool = False


@dataclass
class _Seat:
    fits: deque[StartFit] = field(default_factory=deque)
    lease: Lease | None = None


class OutsideRunner:
    """Runs nothing: hands fits out and hears of them. The driver's methods and those of holders may be called by different threads.

    Attributes
    ----------
    grows : bool
        Whether the levels of fits are of what they are trained in, and their curves are looked at.
    about : object
        Whatever those who made it want to find again with it.
    """

    def __init__(
        self, clock: Callable[[], float] = time.monotonic, *, steady: Clock | None = None, grows: bool = True, about: object = None
    ) -> None:
        self._steady = steady or Clock()
        self._clock, self.grows, self.about = clock, grows, about
        self._change = threading.Condition()
        self._vacant: deque[int] = deque()  # seats that nobody has asked for yet
        self._seats: dict[int, _Seat] = {}
        self._leases: dict[str, Lease] = {}
        self._over: dict[str, str] = {}  # ended leases, and how they ended
        self._reports: list[OfWorker] = []
        self._woken = self._closed = False

    # What the driver calls: the contract of base.py

    def hire(self, worker: int, lane: int) -> None:
        with self._change:
            self._vacant.append(worker)
            self._change.notify_all()

    def start(self, fit: StartFit) -> None:
        with self._change:
            if fit.worker in self._seats:
                self._seats[fit.worker].fits.append(fit)
                self._change.notify_all()

    def cut(self, fit: CutFit) -> None:
        with self._change:
            seat = self._seats.get(fit.worker)
            if seat is None:
                return
            if seat.lease is not None and _same(seat.lease.fit, fit):
                seat.lease.cut = True
                return
            for waiting in [one for one in seat.fits if _same(one, fit)]:  # nobody need begin it
                seat.fits.remove(waiting)
                now = self._steady()
                whose = (fit.worker, fit.trial, fit.fold, fit.attempt)
                self._reports += [FitStarted(*whose, now), FitEnded(*whose, Outcome.of_nothing(), now)]
                self._change.notify_all()

    def forget(self, trial: int | None) -> None:
        pass

    def dismiss(self, worker: int) -> None:
        with self._change:
            if worker in self._vacant:
                self._vacant.remove(worker)
            seat = self._seats.pop(worker, None)
            if seat is not None and seat.lease is not None:
                self._end(seat.lease, "its fit is not wanted any more")
            self._reports = [report for report in self._reports if report.worker != worker]

    def wait(self, seconds: float) -> list[Report]:
        with self._change:
            self._expire()
            if not self._reports and not self._woken:
                self._change.wait_for(lambda: bool(self._reports) or self._woken, seconds)
                self._expire()
            self._woken = False
            found, self._reports = self._reports, []
            return [*found]

    def wake(self) -> None:
        with self._change:
            self._woken = True
            self._change.notify_all()

    def close(self) -> None:
        with self._change:
            self._closed = True
            for lease in list(self._leases.values()):
                self._end(lease, "the search does not run any more")
            self._seats.clear()
            self._vacant.clear()
            self._change.notify_all()

    # What holders call

    def take(self, count: int, seconds: float, holder: str, patience: float = 1.0) -> list[Lease]:
        """Up to `count` fits; fewer, or none, when no more come within `patience` seconds."""
        found: list[Lease] = []
        until = self._clock() + patience
        with self._change:
            while not self._closed:
                for worker, seat in self._seats.items():
                    if len(found) < count and seat.lease is None and seat.fits:
                        found.append(self._lease(worker, seat, seconds, holder))
                waiting = sum(seat.lease is None for seat in self._seats.values())
                while self._vacant and waiting < count - len(found):
                    worker, waiting = self._vacant.popleft(), waiting + 1
                    self._seats[worker] = _Seat()
                    self._report(WorkerReady(worker))
                left = until - self._clock()
                if len(found) == count or left <= 0:
                    break
                self._change.wait(left)
        return found

    def beat(self, lease_id: str) -> Lease:
        """Keep a lease alive; its `cut` says whether nobody waits for it any more."""
        with self._change:
            lease = self._held(lease_id)
            lease.ends = self._clock() + lease.seconds
            return lease

    def age(self, lease_id: str) -> float:
        """Seconds since it was taken."""
        with self._change:
            return self._clock() - self._held(lease_id).began

    def tell(self, lease_id: str, points: Points) -> Lease:
        """Further points of the curve; they keep the lease alive too."""
        with self._change:
            lease = self.beat(lease_id)
            if points:
                self._report(FitStepped(*_whose(lease.fit), points, self._steady()))
            return lease

    def done(self, lease_id: str, outcome: Outcome) -> None:
        """The one answer for a lease."""
        with self._change:
            lease = self._held(lease_id)
            seat = self._seats[lease.fit.worker]
            self._end(lease, "it was answered for already")
            seat.lease = None
            self._report(FitEnded(*_whose(lease.fit), outcome, self._steady()))

    def _lease(self, worker: int, seat: _Seat, seconds: float, holder: str) -> Lease:
        now = self._clock()
        lease = Lease(secrets.token_hex(8), seat.fits.popleft(), holder, seconds, now + seconds, now)
        seat.lease = self._leases[lease.id] = lease
        self._report(FitStarted(*_whose(lease.fit), self._steady()))
        return lease

    def _held(self, lease_id: str) -> Lease:
        self._expire()
        if lease_id in self._leases:
            return self._leases[lease_id]
        if lease_id in self._over:
            raise Conflict(f"This lease is over: {self._over[lease_id]}.")
        raise NotFound("There is no such lease. If the server was started anew, its fit is handed out again.")

    def _expire(self) -> None:
        now = self._clock()
        for lease in [lease for lease in self._leases.values() if lease.ends < now]:
            self._end(lease, f"there was no sign of life for {lease.seconds:g} s, and its fit was handed out again")
            self._seats.pop(lease.fit.worker, None)
            whose = f" of {lease.holder}" if lease.holder else ""
            self._report(
                WorkerLost(lease.fit.worker, f"the lease{whose} ran out after {lease.seconds:g} s without a sign", self._steady())
            )

    def _end(self, lease: Lease, how: str) -> None:
        del self._leases[lease.id]
        self._over[lease.id] = how
        if len(self._over) > REMEMBERED:
            del self._over[next(iter(self._over))]

    def _report(self, report: OfWorker) -> None:
        self._reports.append(report)
        self._change.notify_all()


def _whose(fit: StartFit) -> tuple[int, int, int, int]:
    return fit.worker, fit.trial, fit.fold, fit.attempt


def _same(one: StartFit, other: CutFit) -> bool:
    return (one.trial, one.fold, one.attempt) == (other.trial, other.fold, other.attempt)
