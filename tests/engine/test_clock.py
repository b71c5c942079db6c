"""Durations by a clock that goes on evenly, times for people by theirs."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from pellux.engine.budget import Budget
from pellux.engine.clock import LEAP, Clock
from pellux.engine.model import Limits


class Times:
    def __init__(self) -> None:
        self.monotonic, self.set_by = 100.0, 1e9

    def wall(self) -> float:
        return self.monotonic + self.set_by


@given(st.lists(st.tuples(st.floats(0.001, 100), st.floats(-7200, 7200)), min_size=1, max_size=30))
def test_whatever_the_clock_is_set_to_durations_stay_and_order_too(steps: list[tuple[float, float]]) -> None:
    times = Times()
    clock = Clock(0.0, times.wall, lambda: times.monotonic)
    budget, at, shown = Budget(Limits(trials=1, workers=1, folds=1), (), 0.0), clock(), clock.people()
    budget.advance(at, running=True)
    for seconds, leap in steps:
        times.monotonic += seconds
        times.set_by += leap
        assert abs(clock() - at - seconds) < 1e-4
        budget.advance(clock(), running=True)
        assert clock.people() >= shown, "what is written down later is never earlier"
        assert clock.people() > times.wall() - LEAP - 1e-3, "and never behind what people's clock shows"
        at, shown = clock(), clock.people()
    assert abs(budget.active_seconds - sum(seconds for seconds, _ in steps)) < 1e-3


def test_what_was_written_before_stays_before() -> None:
    times = Times()
    clock = Clock(times.wall() + 5000, times.wall, lambda: times.monotonic)
    assert clock() == times.wall() + 5000
    assert clock.shown(17.0) == 17.0
