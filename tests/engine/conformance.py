"""What every runner must keep to: the contract of engine/runners/base.py as tests. A runner's test class inherits them.

`bench` gives a runner, the fits that it may be given, and what only a fault can do. A runner that cannot be made to do one of
them (nothing dies on a virtual clock by itself) says so by None.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import pytest

from pellux.engine.messages import CutFit, FitEnded, FitStarted, FitStepped, StartFit, WorkerLost, WorkerReady
from pellux.engine.runners import Report, Runner
from pellux.engine.states import FitState

QUICK: dict[str, Any] = {"x": 0.5, "y": 0.5}
LONG: dict[str, Any] = {"x": 7.0, "y": 0.0}  # ends when nobody waits any more, or late


@dataclass
class Bench:
    """A runner, and how to make its worker die."""

    runner: Runner
    kill: Callable[[int], None]

    def until(self, wanted: Callable[[Report], bool], seconds: float = 90) -> list[Report]:
        """All reports up to the first that is wanted."""
        seen: list[Report] = []
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            for report in self.runner.wait(0.5):
                seen.append(report)
                if wanted(report):
                    return seen
        raise AssertionError(f"the report never came; there were {seen}")

    def ready(self, worker: int = 0) -> None:
        self.runner.hire(worker, worker)
        self.until(lambda r: r == WorkerReady(worker))

    def ended(self, trial: int) -> list[Report]:
        return self.until(lambda r: isinstance(r, FitEnded) and r.trial == trial)


def order(trial: int, configuration: dict[str, Any] = QUICK, worker: int = 0, fold: int = 0, attempt: int = 1) -> StartFit:
    return StartFit(worker, trial, fold, attempt, configuration, level=4)


class Conformance:
    """Inherit, and give a fixture `bench`."""

    def test_a_fit_begins_and_ends_once_with_its_attempt(self, bench: Bench) -> None:
        bench.ready()
        bench.runner.start(order(1, attempt=3))
        seen = bench.ended(1)
        assert [type(r) for r in seen if not isinstance(r, FitStepped)] == [FitStarted, FitEnded]
        assert all((r.worker, r.trial, r.fold, r.attempt) == (0, 1, 0, 3) for r in seen)  # type: ignore[union-attr]
        last = seen[-1]
        assert isinstance(last, FitEnded)
        assert last.outcome.state is FitState.DONE
        assert last.outcome.score is not None
        assert last.outcome.seconds >= 0

    def test_fits_are_done_in_their_order(self, bench: Bench) -> None:
        bench.ready()
        for trial in (1, 2, 3):
            bench.runner.start(order(trial))
        seen = [r for r in bench.ended(3) if not isinstance(r, FitStepped)]
        assert [(type(r).__name__, r.trial) for r in seen] == [  # type: ignore[union-attr]
            (kind, trial) for trial in (1, 2, 3) for kind in ("FitStarted", "FitEnded")
        ]

    def test_times_never_go_back(self, bench: Bench) -> None:
        bench.ready()
        bench.runner.start(order(1))
        bench.runner.start(order(2))
        times = [r.at for r in bench.ended(2) if not isinstance(r, WorkerReady)]
        assert times == sorted(times)

    def test_a_cut_fit_ends_soon_and_the_next_goes_on(self, bench: Bench) -> None:
        bench.ready()
        bench.runner.start(order(1, LONG))
        bench.until(lambda r: isinstance(r, FitStarted))
        bench.runner.cut(CutFit(0, 1, 0, 1))
        bench.ended(1)
        bench.runner.start(order(2))
        bench.ended(2)

    def test_a_cut_that_comes_out_of_turn_changes_nothing(self, bench: Bench) -> None:
        bench.ready()
        bench.runner.cut(CutFit(0, 9, 0, 1))
        bench.runner.start(order(1, attempt=2))
        bench.runner.cut(CutFit(0, 1, 0, 1))
        assert bench.ended(1)[-1].outcome.state is FitState.DONE  # type: ignore[union-attr]
        bench.runner.cut(CutFit(0, 1, 0, 2))
        bench.runner.start(order(2))
        bench.ended(2)

    def test_nothing_comes_from_a_worker_that_was_dismissed(self, bench: Bench) -> None:
        bench.ready()
        bench.ready(1)
        bench.runner.start(order(1, LONG))
        bench.until(lambda r: isinstance(r, FitStarted))
        bench.runner.dismiss(0)
        bench.runner.dismiss(0)
        bench.runner.start(order(2))  # it is gone: the fit is nobody's
        bench.runner.start(order(3, worker=1))
        assert all(not hasattr(r, "worker") or r.worker == 1 for r in bench.ended(3))

    def test_a_worker_that_dies_is_told_once_and_its_fit_is_nobodys(self, bench: Bench) -> None:
        bench.ready()
        bench.runner.start(order(1, LONG))
        bench.until(lambda r: isinstance(r, FitStarted))
        bench.kill(0)
        [*before, lost] = bench.until(lambda r: isinstance(r, WorkerLost))
        assert isinstance(lost, WorkerLost)
        assert lost.worker == 0
        assert lost.reason
        assert not [r for r in before if isinstance(r, FitEnded)]
        bench.ready(1)
        bench.runner.start(order(2, worker=1))
        assert not [r for r in bench.ended(2) if isinstance(r, WorkerLost)]

    def test_waking_ends_a_wait_early(self, bench: Bench) -> None:
        bench.runner.wake()
        assert bench.runner.wait(3600) == []

    def test_after_closing_nothing_runs(self, bench: Bench) -> None:
        bench.ready()
        bench.runner.start(order(1, LONG))
        bench.until(lambda r: isinstance(r, FitStarted))
        bench.runner.close()
        bench.runner.forget(None)
        assert bench.runner.wait(0.1) == []


__all__ = ["LONG", "QUICK", "Bench", "Conformance", "order", "pytest"]
