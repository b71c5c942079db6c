"""The cluster runner on real machines of the engine: the contract of all runners, and what only a cluster has."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import sys
import threading
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import psutil
import pytest

from pellux.core.objective import Terms
from pellux.engine.artifacts import FileArtifacts
from pellux.engine.cluster import seat, wire
from pellux.engine.cluster.connection import Cluster
from pellux.engine.cluster.door import Door, Line
from pellux.engine.cluster.machines import Demand, Place
from pellux.engine.cluster.seat import sit
from pellux.engine.messages import FitEnded, FitStarted, FitStepped, Halted, WorkerLost, WorkerReady
from pellux.engine.runners.cluster import ClusterRunner
from pellux.engine.states import FitState
from pellux.engine.worker import Assignment
from pellux.objectives.code.brief import Growing
from pellux.objectives.code.program import ProgramSource
from tests.cluster.standing import Standing
from tests.code.test_running import STEPS, brief_of
from tests.engine.conformance import LONG, Bench, Conformance, order
from tests.two_numbers import Source
from tests.waiting import until

pytestmark = pytest.mark.slow


@pytest.fixture(scope="module")
def standing(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Standing]:
    found = Standing(tmp_path_factory.mktemp("cluster"))
    found.schedule()
    found.join("one", cores=2, devices=2)
    found.join("two", cores=2)
    yield found
    found.close()


@pytest.fixture(scope="module")
def cluster(standing: Standing) -> Iterator[Cluster]:
    found = standing.connected(2)
    yield found
    found.close()


def runner_on(cluster: Cluster, folder: Path, demand: Demand | None = None) -> ClusterRunner:
    assignment = Assignment(Source(Terms(grid=(1, 2, 3, 4))), FileArtifacts(folder / "kept", folder / "fits"), folder / "worker")
    return ClusterRunner(assignment, cluster, folder.name, demand or Demand())


class TestCluster(Conformance):
    @pytest.fixture
    def bench(self, cluster: Cluster, tmp_path: Path) -> Iterator[Bench]:
        runner = runner_on(cluster, tmp_path)

        def kill(worker: int) -> None:
            """The process that fits, as it would be for want of memory."""
            for process in psutil.process_iter(["cmdline"]):
                if _fits(process, runner, worker):
                    process.kill()

        yield Bench(runner, kill)
        runner.close()


def _fits(process: psutil.Process, runner: ClusterRunner, worker: int) -> bool:
    """Whether a process is the worker of a seat: it writes the log of its search."""
    try:
        return any(f"/searches/{runner._search}/logs/" in file.path for file in process.open_files())
    except psutil.Error:
        return False


def test_checkpoints_travel_and_what_a_machine_has_is_not_sent_again(cluster: Cluster, standing: Standing, tmp_path: Path) -> None:
    runner = runner_on(cluster, tmp_path)
    bench = Bench(runner, lambda worker: None)
    for worker in range(4):
        bench.ready(worker)
    where = {seat.worker: seat.machine for seat in runner._seats.values()}
    assert len(set(where.values())) == 2, "work is spread"
    there = next(worker for worker, machine in where.items() if machine != where[0])
    runner.start(order(1))  # four steps
    first = bench.ended(1)[-1].outcome
    assert first.score is not None
    kept = FileArtifacts(tmp_path / "kept", tmp_path / "fits")
    assert kept.get(1, 0, "checkpoint") == b"4", "the server has it too"
    runner.start(order(1, worker=there, attempt=2)._replace(level=8))  # on the other machine it goes on from four
    second = bench.ended(1)[-1].outcome
    assert second.curve[0][0] == 5
    assert second.curve[-1][0] == 8
    runner.forget(1)
    assert kept.get(1, 0, "checkpoint") is None
    runner.close()
    runner.forget(None)
    until(lambda: not list(standing.folder.glob(f"machine-*/searches/{tmp_path.name}")), what="tidying")


def test_a_program_goes_on_from_its_folder_on_another_machine(cluster: Cluster, tmp_path: Path) -> None:
    grows = Growing("step", most=8, goes_on=True)
    brief = brief_of(tmp_path, STEPS, "{folder}", "{from}", "{level}", "{x}", "0", grows=grows)
    terms = Terms(resource="iterations", most=8, grid=tuple(range(1, 9)), settings=("x",))
    kept = FileArtifacts(tmp_path / "kept", tmp_path / "fits")
    runner = ClusterRunner(Assignment(ProgramSource(brief, terms), kept, tmp_path / "worker"), cluster, tmp_path.name, Demand())
    bench = Bench(runner, lambda worker: None)
    for worker in range(4):
        bench.ready(worker)
    where = {seat.worker: seat.machine for seat in runner._seats.values()}
    there = next(worker for worker, machine in where.items() if machine != where[0])
    runner.start(order(1, {"x": 2.0}))
    assert bench.ended(1)[-1].outcome.score == pytest.approx(8.004)
    runner.start(order(1, {"x": 2.0}, worker=there, attempt=2)._replace(level=8, begun=4))
    assert bench.ended(1)[-1].outcome.score == pytest.approx(16.008)
    assert (tmp_path / "done.txt").read_text().split() == [str(step) for step in range(1, 9)], "each step was done once"
    assert (tmp_path / "fits" / "1-0" / "keep" / "note.txt").read_text() == "2.0", "what it keeps is with the server"
    runner.close()


def test_devices_of_a_machine_are_each_one_seats(cluster: Cluster, tmp_path: Path) -> None:
    runner = runner_on(cluster, tmp_path, Demand(devices=1))
    bench = Bench(runner, lambda worker: None)
    bench.ready(0)
    bench.ready(1)
    runner.hire(2, 2)
    assert not runner.wait(0.2)
    assert {seat.place.devices for seat in runner._seats.values()} == {("0",), ("1",)}
    assert runner.lanes()[2].waits == "no device is free"
    runner.dismiss(0)
    bench.until(lambda r: r == WorkerReady(2))
    runner.close()
    assert "no machine has more than 2" in cluster.unmet(Demand(devices=3))
    assert "cores" in cluster.unmet(Demand(cores=99))
    assert not cluster.unmet(Demand(cores=2, devices=2))


def test_whoever_shows_no_token_is_not_let_in(cluster: Cluster) -> None:
    for said in (wire.hello("nobody"), wire.framed(b"\x80\x05."), b"GET / HTTP/1.1\r\n\r\n", wire.HEAD.pack(2**31)):
        with socket.create_connection((cluster.door.host, cluster.door.port), 5) as knocking:
            knocking.sendall(said)
            knocking.shutdown(socket.SHUT_WR)
            assert knocking.recv(100) == b""


@dataclass
class Alone:
    """A scheduler with one machine of one place, for a test that breaks them; its runner's worker 0 is ready."""

    standing: Standing
    runner: ClusterRunner
    bench: Bench


@pytest.fixture
def alone(tmp_path: Path) -> Iterator[Alone]:
    standing = Standing(tmp_path)
    standing.schedule()
    standing.join("a", cores=1)
    cluster = standing.connected(1)
    runner = runner_on(cluster, tmp_path)
    bench = Bench(runner, lambda worker: None)
    bench.ready(0)
    yield Alone(standing, runner, bench)
    runner.close()
    cluster.close()
    standing.close()


def test_a_machine_that_freezes_or_is_killed_loses_its_fits_and_one_that_joins_gets_work(alone: Alone) -> None:
    standing, runner, bench = alone.standing, alone.runner, alone.bench
    runner.start(order(1, LONG))
    bench.until(lambda r: isinstance(r, FitStarted))
    standing.kill("a", signal.SIGSTOP)
    standing.join("b", cores=1)
    [*_, lost] = bench.until(lambda r: isinstance(r, WorkerLost))  # after 12 s without a word
    assert isinstance(lost, WorkerLost)
    assert lost.blameless
    bench.ready(1)
    runner.start(order(2, LONG, worker=1))
    bench.until(lambda r: isinstance(r, FitStarted) and r.trial == 2)
    standing.kill("a", signal.SIGCONT)  # it was given up: nothing of it counts any more
    standing.kill("b")
    seen = bench.until(lambda r: isinstance(r, WorkerLost) and r.worker == 1)
    assert not [r for r in seen if isinstance(r, FitEnded)]
    bench.ready(2)  # the thawed one may work again, once the engine has heard of it
    runner.start(order(3, worker=2))
    assert bench.ended(3)[-1].outcome.state is FitState.DONE


def test_with_the_scheduler_gone_the_search_is_told_to_wait_and_workers_hired_meanwhile_work_when_it_is_back(alone: Alone) -> None:
    standing, runner, bench = alone.standing, alone.runner, alone.bench
    runner.start(order(1, LONG))
    bench.until(lambda r: isinstance(r, FitStarted))
    standing.kill("scheduler")
    seen = [r for r in bench.until(lambda r: isinstance(r, WorkerLost)) if not isinstance(r, FitStepped)]
    assert [type(r) for r in seen] == [Halted, FitEnded, WorkerLost], "first the search pauses; then nothing is anybody's fault"
    assert seen[0].reason.code == seen[1].outcome.reason.code == "cluster gone"
    assert seen[1].outcome.state is FitState.LOST
    runner.hire(1, 0)
    runner.start(order(2))  # to a worker that is not there any more: nobody's
    assert runner.wait(0.2) == []
    assert runner.lanes()[0].waits == "the scheduler is gone"
    until(lambda: standing.processes["a"].poll() is not None, what="the end of the engine's worker")
    standing.schedule()
    standing.join("a", cores=1)
    bench.until(lambda r: r == WorkerReady(1))
    runner.start(order(2, worker=1, attempt=2))
    assert bench.ended(2)[-1].outcome.state is FitState.DONE


def test_a_seat_that_comes_too_late_ends_at_once() -> None:
    """It holds a core of its machine, on which the next one would wait for it until that came too late as well."""
    door = Door("127.0.0.1")
    try:
        with ThreadPoolExecutor(1) as pool:
            ended = pool.submit(sit, seat.Door(door.host, door.port, "nobody waits for this"), None, lambda: True, None)
            assert ended.result(wire.SILENCE / 2) == "the server wants nothing of this seat any more"
    finally:
        door.close()


def test_a_seat_that_nobody_waits_for_any_more_is_not_begun(cluster: Cluster, tmp_path: Path) -> None:
    def tasks() -> list[str]:
        return list(cluster._client.run_on_scheduler(lambda dask_scheduler: list(dask_scheduler.tasks)))

    (two,) = [machine for machine in cluster.known() if machine.label == "two"]
    free = tmp_path / "free"
    others = [cluster._client.submit(held_until, str(free), i, workers=[two.address]) for i in range(two.threads)]
    guest, place = Guest(), Place(two.address, 1, (), 0)
    try:
        token = cluster.seat(place, guest, lambda how: None)
        key = f"pellux-seat-{token[:16]}"
        until(lambda: key in tasks(), what="the seat's task")
        cluster.unseat(token)
        until(lambda: key not in tasks(), what="its end")
    finally:
        free.touch()
    assert [other.result(30) for other in others] == [0, 1]
    cluster.seat(place, guest, lambda how: None)
    until(lambda: guest.lines, what="the next seat")
    guest.lines[0].close()


def test_machines_stay_known_whatever_the_engines_client_asks_meanwhile(cluster: Cluster) -> None:
    """It asks now and then how the scheduler is, without its machines."""
    enough = threading.Event()

    def ask() -> None:
        while not enough.is_set():
            cluster._client.sync(cluster._client._update_scheduler_info)

    there = cluster.known()
    with ThreadPoolExecutor(1) as pool:
        asking = pool.submit(ask)
        try:
            for _ in range(100):
                cluster._look()
                assert all(one is other for one, other in zip(cluster.known(), there, strict=True))
        finally:
            enough.set()
        asking.result()


def test_a_machine_that_is_out_of_sight_for_a_look_still_holds_its_seats(cluster: Cluster, monkeypatch: pytest.MonkeyPatch) -> None:
    """Else the next seat would be put on a core that is not free, and wait there in vain."""
    place = cluster.take(Demand(cores=2))
    assert place is not None
    try:
        with monkeypatch.context() as patched:
            patched.setattr(cluster._client, "sync", lambda *_, **__: {"workers": {}})
            until(lambda: not cluster.known(), what="a look that sees nobody")
        until(lambda: place.machine in {m.address for m in cluster.known() if not m.trouble}, what="the machine")
        assert cluster.machines[place.machine].taken == [place]
        assert cluster.machines[place.machine].fitting(Demand()) is None
    finally:
        cluster.give(place)
    assert cluster.machines[place.machine].taken == []


def held_until(there: str, what: int) -> int:
    """Other work of the cluster: a core is taken until a file is there."""
    until(Path(there).exists, what=there)
    return what


class Guest:
    def __init__(self) -> None:
        self.lines: list[Line] = []

    def came(self, line: Line) -> None:
        self.lines.append(line)

    async def heard(self, line: Line, messages: Sequence[Any]) -> None: ...

    def went(self, line: Line, why: str) -> None: ...


def test_seats_end_with_their_server(standing: Standing, tmp_path: Path) -> None:
    """Killed, not closed: nobody computes for nobody."""
    script = tmp_path / "server.py"
    script.write_text(
        "import sys, time\n"
        "from pathlib import Path\n"
        "from pellux.engine.cluster.connection import Cluster\n"
        "from tests.cluster.test_runner import runner_on\n"
        "from tests.engine.conformance import LONG, Bench, order\n"
        "from pellux.engine.messages import FitStarted\n"
        f"cluster = Cluster({standing.address!r})\n"
        "cluster.looked()\n"
        f"bench = Bench(runner_on(cluster, Path({str(tmp_path / 'orphan')!r})), lambda worker: None)\n"
        "bench.ready()\n"
        "bench.runner.start(order(1, LONG))\n"
        "bench.until(lambda r: isinstance(r, FitStarted))\n"
        "print('fitting', flush=True)\n"
        "time.sleep(60)\n"
    )
    environment = {**os.environ, "PYTHONPATH": str(Path(__file__).parents[2])}
    server = subprocess.Popen([sys.executable, str(script)], stdout=subprocess.PIPE, env=environment)
    assert server.stdout is not None
    assert server.stdout.readline() == b"fitting\n"
    orphans: list[Any] = [p for p in psutil.process_iter() if _writes(p, "/searches/orphan/logs/")]
    assert orphans
    server.kill()
    server.wait()
    server.stdout.close()
    _, left = psutil.wait_procs(orphans, 15)
    assert not left


def _writes(process: psutil.Process, where: str) -> bool:
    try:
        return any(where in file.path for file in process.open_files())
    except psutil.Error:
        return False
