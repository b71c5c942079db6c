"""Searches on a cluster, through the service: the results of local workers, whatever happens to machines, scheduler and server."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest

from pellux.core.errors import InvalidPlan
from pellux.engine.cluster import inspecting
from pellux.engine.cluster.connection import Cluster, Unreachable, connected
from pellux.engine.cluster.machines import Demand, differences
from pellux.service.engine.engine import Engine
from pellux.service.machine import default_workers
from pellux.service.machines.demands import workers_here
from pellux.service.machines.views import clusters_view, connect
from pellux.service.planning.requests import LimitsRequest
from pellux.service.searches import searches, trials, waiting
from pellux.service.workspace import Workspace
from pellux.store.problems import add_problem
from tests.cluster.standing import Standing, free_port
from tests.service.test_searches import launch, problem, rows
from tests.two_numbers import KIND, PACE, TwoNumbers
from tests.waiting import until

pytestmark = pytest.mark.slow
PAIR: dict[str, Any] = {"key": "", "space": "x: -1 .. 1\ny: -1 .. 1"}


@pytest.fixture
def workspace(tmp_path: Path) -> Iterator[Workspace]:
    found = opened(tmp_path)
    yield found
    found.close()


def opened(folder: Path) -> Workspace:
    """A workspace that knows the tiny objective, whose fits here last and cost nothing."""
    return Workspace(folder / "workspace", kinds=[TwoNumbers()])


def pair(engine: Engine) -> int:
    with engine.workspace.database.write() as session:
        return add_problem(session, name="Two numbers", created_at=1.0, brief={}, brief_hash=KIND, objective=KIND)


@pytest.fixture
def standing(tmp_path: Path) -> Iterator[Standing]:
    found = Standing(tmp_path, environment={PACE: "0.1"})
    found.schedule()
    yield found
    found.close()


def on(standing: Standing, **more: Any) -> dict[str, Any]:
    return {"runner": {"cluster": standing.address}, **more}


def told(engine: Engine, search: int) -> list[Any]:
    return [
        (row.number, row.configuration, row.state, row.scores) for row in sorted(rows(engine, search), key=lambda row: row.number)
    ]


def machines_of(engine: Engine, search: int) -> set[str]:
    return {fit.machine for fit in trials.lanes(engine.workspace, search).fits}


def test_machines_that_vanish_and_join_change_no_result(engine: Engine, standing: Standing) -> None:
    problem_id = pair(engine)
    alone = launch(engine, problem_id, **PAIR, trials=300)
    assert engine.join(alone, 240)
    standing.join("first", cores=2)
    until(lambda: _usable(engine, standing) == 1, what="a machine")
    search = launch(engine, problem_id, **PAIR, **on(standing, trials=300, workers="all"))
    until(lambda: searches.search_view(engine, search).fits.run > 5, what="fits")
    standing.join("second", cores=2)
    until(lambda: searches.search_view(engine, search).workers == 4, what="the workers of the second machine")
    until(lambda: "second" in machines_of(engine, search), what="a fit of the second machine")
    standing.kill("first")
    until(lambda: searches.search_view(engine, search).workers == 2, what="that the first machine is gone")
    enough = searches.search_view(engine, search).trials.scored + 6
    searches.set_limits(engine, search, LimitsRequest(trials=enough))
    assert engine.join(search, 240)
    known, found = {row[0]: row for row in told(engine, alone)}, told(engine, search)
    # The baseline was scored before, and is not scored again.
    assert [row[0] for row in found] == list(range(1, len(found) + 1))
    assert len(found) >= enough
    assert {row[2] for row in found} == {"scored"}
    assert [row[1:] for row in found] == [known[row[0]][1:] for row in found]
    assert machines_of(engine, search) == {"first", "second"}


def _usable(engine: Engine, standing: Standing) -> int:
    try:
        return sum(not machine.trouble for machine in connect(engine.workspace, standing.address).machines)
    except Unreachable:
        return 0


def test_halving_with_checkpoints_ends_as_it_does_here(engine: Engine, standing: Standing, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path)
    network: dict[str, Any] = {
        "key": "network", "space": "rate: 1e-3 .. 0.1 log\nwidth: 4 .. 12 int log\nepochs: 9", "trials": 9, "workers": 1,
        "early stopping": "successive halving", "stopping": {"factor": 3, "least": 1},
    }  # fmt: skip
    alone = launch(engine, problem_id, **network)
    standing.join("one", cores=1)
    until(lambda: _usable(engine, standing) == 1, what="a machine")
    assert engine.join(alone, 240)
    search = launch(engine, problem_id, **network, **on(standing))
    assert engine.join(search, 240)
    known, found = {row[0]: row for row in told(engine, alone)}, told(engine, search)
    assert found
    assert all(row[2:] == known[row[0]][2:] for row in found)
    assert not list(engine.workspace.checkpoints_folder(search).glob("*")), "nothing is left when it is over"


def test_fewer_machines_come_back_than_went_and_the_search_ends_all_the_same(engine: Engine, standing: Standing) -> None:
    for name in ("one", "two", "three"):
        standing.join(name, cores=1)
    until(lambda: _usable(engine, standing) == 3, what="machines")
    search = launch(engine, pair(engine), **PAIR, **on(standing, trials=30, workers=3))
    until(lambda: machines_of(engine, search) == {"one", "two", "three"}, what="fits on all of them")
    standing.kill("scheduler")
    until_state(engine, search, "paused")
    for name in ("one", "two", "three"):
        until(lambda name=name: standing.processes[name].poll() is not None, what="the end of the engine's workers")  # type: ignore[misc]
    standing.schedule()
    standing.join("one", cores=1)
    until_state(engine, search, "running")
    assert engine.join(search, 60), waiting.waiting_view(engine, search)
    assert searches.search_view(engine, search).trials.scored == 31


def test_a_search_waits_for_its_scheduler_and_a_server_started_again_goes_on(standing: Standing, tmp_path: Path) -> None:
    workspace = opened(tmp_path)
    engine = Engine(workspace)
    standing.join("one", cores=2)
    until(lambda: _usable(engine, standing) == 1, what="a machine")
    search = launch(engine, pair(engine), **PAIR, **on(standing, trials=40))
    until(lambda: searches.search_view(engine, search).fits.run > 4, what="fits")
    standing.kill("scheduler")
    view = until_state(engine, search, "paused")
    assert "is not there, has no machine" in view.reason
    engine.close()
    workspace.close()

    again = opened(tmp_path)
    engine = Engine(again)
    engine.take_up()
    time.sleep(1.5)  # two looks of whoever mends
    assert searches.search_view(engine, search).state == "paused"
    standing.schedule()
    standing.join("one", cores=2)
    until_state(engine, search, "running")
    searches.set_workers(engine, search, 1)
    assert engine.join(search, 240)
    assert searches.search_view(engine, search).trials.scored == 41
    engine.close()
    again.close()


def until_state(engine: Engine, search: int, state: str, seconds: float = 120) -> Any:
    until(lambda: searches.search_view(engine, search).state == state, seconds, state)
    return searches.search_view(engine, search)


def test_a_cluster_that_nobody_here_named_is_not_used(engine: Engine, standing: Standing) -> None:
    standing.join("one", cores=1)
    until(lambda: _usable(engine, standing) == 1, what="a machine")
    search = launch(engine, pair(engine), **PAIR, **on(standing, trials=30))
    searches.set_state(engine, search, "paused")
    until_state(engine, search, "paused")
    engine.close()
    (engine.workspace.folder / "clusters.txt").write_text(f"{'0' * 64} {standing.address}\n")  # as it would come from elsewhere
    again = Engine(engine.workspace)
    with pytest.raises(Exception, match="which you have not named here"):
        searches.set_state(again, search, "running")
    connect(engine.workspace, standing.address)
    searches.set_state(again, search, "running")
    until_state(again, search, "running")
    again.close()


def test_a_cluster_that_is_forgotten_pauses_its_searches_until_it_is_named_again(
    engine: Engine, standing: Standing, tmp_path: Path
) -> None:
    standing.join("one", cores=1)
    until(lambda: _usable(engine, standing) == 1, what="a machine")
    search = launch(engine, pair(engine), **PAIR, **on(standing, trials=20, workers="all"))
    until(lambda: searches.search_view(engine, search).fits.run > 1, what="fits")
    engine.let_go(standing.address)
    assert "is not there" in until_state(engine, search, "paused").reason
    assert clusters_view(engine.workspace) == []
    connect(engine.workspace, standing.address)  # it goes on by itself
    until_state(engine, search, "finished")
    assert searches.search_view(engine, search).trials.scored == 21


def test_what_cannot_run_there_is_refused_with_the_reason(engine: Engine, standing: Standing, tmp_path: Path) -> None:
    problem_id, nowhere = problem(engine, tmp_path), f"tcp://127.0.0.1:{free_port()}"
    refused = [
        ({"runner": {"cluster": nowhere}}, "nothing answers there"),
        ({"runner": {"cluster": "tls://127.0.0.1:9"}}, "No certificates are configured"),
        ({"runner": {"cluster": "head:8786"}}, "should match pattern|String"),
        ({"workers": "all"}, "'all' means the machines of a cluster"),
    ]
    for plan, words in refused:
        with pytest.raises(Exception, match=words):
            launch(engine, problem_id, **plan)
    until(lambda: _there(standing), what="the scheduler")
    with pytest.raises(InvalidPlan, match="no machine has joined it"):
        launch(engine, problem_id, **on(standing))
    standing.join("small", cores=1)
    until(lambda: _usable(engine, standing) == 1, what="a machine")
    with pytest.raises(InvalidPlan, match="a fit holds 90000000 MB of memory, and no machine has more than"):
        launch(engine, problem_id, **on(standing, **{"memory mb": 90_000_000}))
    assert not searches.list_searches(engine, problem_id), "nothing was kept of what was refused"


def _there(standing: Standing) -> bool:
    try:
        with connected(standing.address):
            return True
    except Unreachable:
        return False


def test_a_machine_with_other_versions_gets_nothing_and_says_why() -> None:
    ours = inspecting.look()["versions"]
    assert differences(ours, ours) == []
    patched = {**ours, "scipy": ours["scipy"].rpartition(".")[0] + ".99"}
    assert differences(ours, patched) == [], "scores do not change with a correction"
    other = {**ours, "scikit-learn": "0.24.1", "pellux": ""}
    del other["numpy"]
    assert differences(ours, other) == [
        f"pellux {ours['pellux']} here, none there", f"numpy {ours['numpy']} here, none there",
        f"scikit-learn {ours['scikit-learn']} here, 0.24.1 there",
    ]  # fmt: skip


def test_a_machine_whose_look_broke_is_looked_at_again(standing: Standing, monkeypatch: pytest.MonkeyPatch) -> None:
    ask, asked = Cluster._ask, list[str]()

    async def breaks_once(self: Cluster, what: Any, address: str) -> Any:
        asked.append(address)
        if len(asked) == 1:
            raise OSError("the stream is closed")
        return await ask(self, what, address)

    monkeypatch.setattr(Cluster, "_ask", breaks_once)
    standing.join("one", cores=1)
    until(lambda: _there(standing), what="the scheduler")
    asked.clear()
    with connected(standing.address) as cluster:
        until(
            lambda: [m.trouble for m in cluster.known()] == ["it could not be looked at: the stream is closed"], what="its trouble"
        )
        assert cluster.capacity(Demand()) == 0
        until(lambda: cluster.capacity(Demand()) == 1, what="a second look")


def test_it_is_said_where_workers_are_and_what_they_wait_for(engine: Engine, standing: Standing) -> None:
    standing.join("one", cores=1)
    until(lambda: _usable(engine, standing) == 1, what="a machine")
    search = launch(engine, pair(engine), **PAIR, **on(standing, trials=60, workers=2))

    def lanes() -> dict[int, Any]:
        return {at.lane: (at.machine, at.waits) for at in waiting.waiting_view(engine, search).lanes}

    until(lambda: {at[0] for at in lanes().values()} == {"one", ""}, what="a lane on the machine")
    assert "every place that fits is taken" in {at[1] for at in lanes().values()}
    searches.set_state(engine, search, "paused")
    until_state(engine, search, "paused")
    assert waiting.waiting_view(engine, search).idle == "the search is paused"


@pytest.mark.parametrize(
    ("busy", "workers", "free", "strategy", "suggested"),
    [
        (1.9, 8, 0, "random", 3),  # most have nothing to do
        (7.0, 8, 0, "random", None),
        (8.0, 8, 4, "random", 12),
        (8.0, 8, 90, "gaussian process", 20),  # 5 folds x a tenth of 40 trials
        (8.0, 8, 0, "gaussian process", None),
    ],
)
def test_how_many_workers_a_search_can_use(busy: float, workers: int, free: int, strategy: str, suggested: int | None) -> None:
    search: Any = SimpleNamespace(workers=workers, strategy=strategy, plan={"trials": 40})
    assert waiting.useful_workers(busy, workers, search, 5, free) == suggested
    assert waiting.useful_workers(4.0, 4, search, 5, free) is None, "the others wait for a place: that is said in their lanes"


def test_what_follows_from_a_search_on_a_cluster_takes_no_more_than_this_machine_has() -> None:
    def search(**plan: Any) -> Any:
        return SimpleNamespace(workers=64, plan=plan)

    assert workers_here(search()) == 64, "a person wanted so many here"
    assert workers_here(search(runner={"cluster": "tcp://head:1"}, workers="all")) == default_workers()
