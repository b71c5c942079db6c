"""Two servers on one cluster, and answers that come too late."""

from __future__ import annotations

import time
from pathlib import Path

import pytest

from pellux.engine.cluster.connection import Cluster
from pellux.engine.cluster.machines import Demand, Machine, emptiest
from pellux.engine.messages import FitEnded, WorkerReady
from pellux.engine.model import Outcome
from pellux.engine.states import FitState
from tests.cluster.standing import Standing
from tests.cluster.test_runner import runner_on
from tests.engine.conformance import LONG, Bench, order
from tests.waiting import until


@pytest.mark.slow
def test_a_second_server_waits_for_places_and_an_older_answer_counts_for_nothing(tmp_path: Path) -> None:
    standing = Standing(tmp_path)
    standing.schedule()
    standing.join("one", cores=1)
    first, second = standing.connected(1), Cluster(standing.address)
    (tmp_path / "a").mkdir()
    (tmp_path / "b").mkdir()
    held, waiting = runner_on(first, tmp_path / "a"), runner_on(second, tmp_path / "b")
    try:
        bench = Bench(held, lambda worker: None)
        bench.ready()
        held.start(order(1, LONG, attempt=2))
        seat = held._seats[0]
        held._take(seat, [FitEnded(0, 1, 0, 1, Outcome(FitState.DONE, 9.9), time.monotonic())])
        held._take(seat, [FitEnded(0, 7, 0, 2, Outcome(FitState.DONE, 9.9), time.monotonic())])
        assert not [r for r in held.wait(0.2) if isinstance(r, FitEnded)]
        waiting.hire(0, 0)
        until(lambda: not waiting.wait(0.2) and "taken by other work" in waiting.lanes()[0].waits, what="the reason")
        held.close()
        Bench(waiting, lambda worker: None).until(lambda r: r == WorkerReady(0))
    finally:
        held.close()
        waiting.close()
        first.close()
        second.close()
        standing.close()


def test_work_is_spread_by_what_machines_have_and_a_machine_in_trouble_is_left_alone() -> None:
    def machine(name: str, threads: int) -> Machine:
        return Machine(name, name, threads, 1000, versions={"python": "3.11"}, trouble="")

    small, large = machine("small", 1), machine("large", 4)
    taken: list[str] = []
    for _ in range(5):
        place = emptiest([small, large], Demand(), 0.0)
        assert place is not None
        {"small": small, "large": large}[place.machine].taken.append(place)
        taken.append(place.machine)
    assert sorted(taken) == ["large"] * 4 + ["small"]
    assert emptiest([small, large], Demand(), 0.0) is None
    large.taken.clear()
    for failure in range(3):
        large.fail("it broke", now=100.0 * failure)
    large.fail("again, while it rests", now=200.1)
    assert large.trouble == "it broke"
    assert emptiest([large], Demand(), 219.9) is None, "5, 10, then 20 s"
    assert emptiest([large], Demand(), 220.1) is not None
    large.proved()
    large.fail("once more", now=300.0)
    assert emptiest([large], Demand(), 305.1) is not None
