"""`pellux cluster`, and a server on it: whichever of them is killed, the search comes to its end."""

from __future__ import annotations

import json
import signal
import subprocess
import sys
from collections import Counter
from collections.abc import Iterator
from pathlib import Path

import psutil
import pytest

from pellux.engine.cluster.connection import Unreachable, connected
from tests.cluster.standing import free_port
from tests.forking import run
from tests.making import mixed_columns, write_csv
from tests.service.test_crash import fits_done, launch
from tests.serving import Server
from tests.waiting import until

pytestmark = pytest.mark.slow
PELLUX = [sys.executable, "-m", "pellux"]


@pytest.fixture
def address(tmp_path: Path) -> Iterator[str]:
    port = free_port()
    command = [*PELLUX, "cluster", "--port", str(port), "--machines", "2", "--cores", "1"]
    with (tmp_path / "cluster.log").open("wb") as log:
        process = subprocess.Popen(command, stdout=log, stderr=log)
    yield f"tcp://127.0.0.1:{port}"
    process.send_signal(signal.SIGTERM)
    assert process.wait(60) == 0
    left = [p for p in psutil.process_iter(["cmdline"]) if {str(port), f"tcp://127.0.0.1:{port}"} & set(p.info["cmdline"] or [])]
    assert not left, "all of it has ended"


def usable(address: str) -> int:
    try:
        with connected(address) as cluster:
            cluster.looked()
            return sum(not machine.trouble for machine in cluster.known())
    except Unreachable:
        return 0


def test_server_and_scheduler_are_killed_and_the_search_goes_on(address: str, tmp_path: Path) -> None:
    until(lambda: usable(address) == 2, what="both machines")
    looked_at = run([*PELLUX, "doctor", "--cluster", address, "--json"], timeout=60)
    assert [(m["cores"], m["trouble"]) for m in json.loads(looked_at.stdout)["cluster"]["machines"]] == [(1, "")] * 2
    csv = write_csv(tmp_path / "mixed.csv", mixed_columns()).read_bytes()
    folder = tmp_path / "workspace"
    server = Server(folder, "--cluster", address)
    body = {
        "learner": "forest", "space": "trees: 20 .. 50 int\ndepth: 2 .. 12 int",
        "plan": {"strategy": "random", "trials": 40, "workers": "all", "seed": 4, "runner": {"cluster": address}},
    }  # fmt: skip
    search = launch(server, csv, body)
    server.until(f"/searches/{search}", lambda s: s["fits"]["run"] >= 6 and s["workers"] == 2)
    # Fits are quick: a machine that is slow to begin could find none left.
    server.until(f"/searches/{search}/lanes", lambda s: len({fit["machine"] for fit in s["fits"]}) == 2)
    server.kill()

    (scheduler,) = [
        p
        for p in psutil.process_iter(["cmdline"])
        if "distributed.cli.dask_scheduler" in (p.info["cmdline"] or []) and address.rpartition(":")[2] in p.info["cmdline"]
    ]
    command = scheduler.parent()
    assert command is not None
    server = Server(folder, "--cluster", address)  # it goes on by itself, on the same machines
    before = server.get(f"/searches/{search}")["fits"]["run"]
    server.until(f"/searches/{search}", lambda s: s["fits"]["run"] >= before + 4)
    command.suspend()  # it would start another at once, perhaps before anybody sees that there was none
    try:
        scheduler.kill()
        server.until(f"/searches/{search}", lambda s: s["state"] == "paused" and "is not there" in s["reason"], 60)
    finally:
        command.resume()
    server.until(f"/searches/{search}", lambda s: s["state"] == "finished", 180)
    assert server.get(f"/searches/{search}")["trials"]["scored"] == 41
    assert set(fits_done(folder, search).values()) == {1}, "no fit was scored twice"
    lanes = server.get(f"/searches/{search}/lanes")["fits"]
    assert len(Counter(fit["machine"] for fit in lanes)) == 2
    assert server.stop() == 0


def test_nothing_to_start_and_nobody_there_are_said(tmp_path: Path) -> None:
    nothing = run([*PELLUX, "cluster", "--machines", "0", "--join", "tcp://head:1"], timeout=60)
    assert (nothing.returncode, "There is nothing to start" in nothing.stderr) == (2, True)
    nowhere = f"tcp://127.0.0.1:{free_port()}"
    for command in (["doctor"], ["serve", "--workspace", str(tmp_path / "w"), "--port", "0"]):
        said = run([*PELLUX, *command, "--cluster", nowhere], timeout=60, cwd=tmp_path)
        assert said.returncode == 2
        assert f"No scheduler can be worked with at {nowhere}: nothing answers there." in said.stderr
    door = run([*PELLUX, "serve", "--cluster-door", "nonsense"], timeout=60, cwd=tmp_path)
    assert "'nonsense' is not HOST:PORT." in door.stderr
