"""Fits on a virtual clock: nothing is computed, everything takes the time it is said to take."""

from __future__ import annotations

import heapq
from collections.abc import Callable
from dataclasses import dataclass, field

from pellux.core.objective import Points
from pellux.core.space import Configuration
from pellux.engine.messages import CutFit, FitEnded, FitStarted, StartFit, WorkerLost, WorkerReady
from pellux.engine.model import Outcome
from pellux.engine.runners.base import OfWorker, Report
from pellux.engine.states import FitState


@dataclass(frozen=True)
class SimulatedWorld:
    """A world in which fits are not computed.

    Attributes
    ----------
    duration : function of (configuration, fold, level before, level wanted)
        Seconds of the fit from what was done before to what is wanted.
    score : function of (configuration, fold, level)
    curve : function of (configuration, fold, level), or None
        The whole curve up to a level, where fits have one.
    """

    duration: Callable[[Configuration, int, int, int], float]
    score: Callable[[Configuration, int, int], float] = lambda configuration, fold, level: 0.0
    curve: Callable[[Configuration, int, int], Points] | None = None


@dataclass
class _Busy:
    """What a worker does and will do: ends of its fits by (trial, fold, attempt)."""

    free_at: float
    fits: dict[tuple[int, int, int], tuple[float, float]] = field(default_factory=dict)  # when it begins and ends


class SimulatedRunner:
    """The contract on a virtual clock. `now` is its time, `busy` the seconds of all fits; `wait` goes on to the next report."""

    def __init__(self, world: SimulatedWorld, on_end: Callable[[StartFit, float, float], None] | None = None) -> None:
        self.now = self.busy = 0.0
        self._world, self._on_end = world, on_end
        self._workers: dict[int, _Busy] = {}
        self._reports: list[tuple[float, int, OfWorker]] = []
        self._levels: dict[tuple[int, int], int] = {}
        self._count = 0

    def hire(self, worker: int, lane: int) -> None:
        self._workers[worker] = _Busy(self.now)
        self._at(self.now, WorkerReady(worker))

    def start(self, fit: StartFit) -> None:
        held = self._workers.get(fit.worker)
        if held is None:
            return
        begin = max(self.now, held.free_at)
        key, level = (fit.trial, fit.fold), fit.level
        seconds = self._world.duration(fit.configuration, fit.fold, self._levels.get(key, 0), level)
        self._levels[key] = level
        end = held.free_at = begin + seconds
        self.busy += seconds
        held.fits[fit.trial, fit.fold, fit.attempt] = (begin, end)
        curve = self._world.curve(fit.configuration, fit.fold, level) if self._world.curve else ()
        outcome = Outcome(FitState.DONE, self._world.score(fit.configuration, fit.fold, level), seconds, curve=curve)
        self._at(begin, FitStarted(fit.worker, fit.trial, fit.fold, fit.attempt, begin))
        self._at(end, FitEnded(fit.worker, fit.trial, fit.fold, fit.attempt, outcome, end))
        if self._on_end is not None:
            self._on_end(fit, seconds, end)

    def cut(self, fit: CutFit) -> None:
        """A fit that runs ends now; one that has not begun when its turn comes. The worker's later fits move up."""
        held = self._workers.get(fit.worker)
        times = held.fits.get((fit.trial, fit.fold, fit.attempt)) if held else None
        if held is None or times is None or times[1] <= self.now:
            return
        saved = times[1] - max(self.now, times[0])
        self.busy -= saved
        held.free_at -= saved
        self._reports = [self._moved(entry, fit, times[1], saved) for entry in self._reports]
        held.fits = {key: tuple(t - saved if t >= times[1] else t for t in when) for key, when in held.fits.items()}  # type: ignore[misc]
        heapq.heapify(self._reports)

    def _moved(self, entry: tuple[float, int, OfWorker], cut: CutFit, end: float, saved: float) -> tuple[float, int, OfWorker]:
        """A report as it is after a cut: of the cut fit's end, and of what its worker does afterwards."""
        when, count, report = entry
        if report.worker != cut.worker or when < end or isinstance(report, WorkerReady):
            return entry
        return when - saved, count, _at_another_time(report, when - saved)

    def forget(self, trial: int | None) -> None:
        pass

    def dismiss(self, worker: int) -> None:
        self._workers.pop(worker, None)

    def lose(self, worker: int) -> None:
        """A worker dies now."""
        self._workers.pop(worker)
        self._at(self.now, WorkerLost(worker, "lost on the virtual clock", self.now))

    def wait(self, seconds: float) -> list[Report]:
        """The next report, whenever it comes; none when nothing will."""
        while self._reports:
            when, _, report = heapq.heappop(self._reports)
            if report.worker in self._workers or isinstance(report, WorkerLost):
                self.now = max(self.now, when)
                return [report]
        return []

    def wake(self) -> None:
        pass

    def close(self) -> None:
        self._workers.clear()

    def _at(self, when: float, report: OfWorker) -> None:
        self._count += 1
        heapq.heappush(self._reports, (when, self._count, report))


def _at_another_time(report: OfWorker, at: float) -> OfWorker:
    if isinstance(report, FitStarted):
        return FitStarted(report.worker, report.trial, report.fold, report.attempt, at)
    if isinstance(report, FitEnded):
        return FitEnded(report.worker, report.trial, report.fold, report.attempt, report.outcome, at)
    return report
