"""Kill the server in the middle of a search: it goes on by itself, does nothing twice, and ends as if nothing had been."""

from __future__ import annotations

import sqlite3
from collections import Counter
from pathlib import Path
from typing import Any

import pytest

from tests.making import mixed_columns, write_csv
from tests.serving import Server

pytestmark = pytest.mark.slow
PLAN = {"strategy": "gaussian process", "trials": 9, "workers": 1, "seed": 21}
FOREST = {"learner": "forest", "space": "trees: 10 .. 40 int\ndepth: 2 .. 12 int\nfeatures: 0.2 .. 1", "plan": PLAN}
NETWORK = {
    "learner": "network",
    "space": "rate: 1e-4 .. 0.1 log\nwidth: 4 .. 12 int log\npull: 1e-6 .. 1 log\nepochs: 27",
    "plan": {**PLAN, "early_stopping": "asynchronous halving", "stopping": {"factor": 3, "least": 3}},
}


def launch(server: Server, csv: bytes, body: Any) -> int:
    _, data = server.call("POST", "/api/v1/data?name=mixed.csv", csv)
    brief = {"data": data["hash"], "target": "label", "metric": "average precision", "ignore": ["amount"], "seed": 1}
    _, problem = server.call("POST", "/api/v1/problems", brief)
    status, search = server.call("POST", f"/api/v1/problems/{problem['id']}/searches", body)
    assert status == 201, search
    return int(search["id"])


def results(server: Server, search: int) -> list[Any]:
    server.until(f"/searches/{search}", lambda s: s["state"] == "finished")
    page = server.get(f"/searches/{search}/trials?limit=100")
    told = ("number", "configuration", "state", "scores", "seen", "pending", "rung", "reason")
    return [tuple(t[what] for what in told) for t in page["trials"]]


def fits_done(folder: Path) -> Counter[Any]:
    """How often each fit of each rung was scored."""
    wanted = ", ".join(f"json_extract(payload, '$.{key}')" for key in ("trial", "fold", "rung"))
    where = "kind = 'fit' AND json_extract(payload, '$.state') = 'done'"
    return Counter(sqlite3.connect(folder / "pellux.db").execute(f"SELECT {wanted} FROM ledger WHERE {where}"))


def test_killed_amid_halving_it_goes_on_from_its_rungs(tmp_path: Path) -> None:
    csv = write_csv(tmp_path / "mixed.csv", mixed_columns()).read_bytes()
    with Server(tmp_path / "calm") as server:
        undisturbed = results(server, launch(server, csv, NETWORK))
    folder = tmp_path / "rough"
    with Server(folder) as server:
        search = launch(server, csv, NETWORK)
        server.until(f"/searches/{search}", lambda s: s["trials"]["pruned"] + s["trials"]["scored"] >= 3)
        server.kill()
    before = fits_done(folder)
    with Server(folder) as server:
        server.until(f"/searches/{search}", lambda s: s["trials"]["pruned"] + s["trials"]["scored"] >= 6)
        server.kill()
    with Server(folder) as server:
        assert results(server, search) == undisturbed
    done = fits_done(folder)
    assert set(done.values()) == {1}, "a scored rung was run again"
    assert before.keys() < done.keys()
    assert {rung for _, _, rung in done} == {0, 1, 2}


def test_killed_and_started_again_it_ends_as_uninterrupted(tmp_path: Path) -> None:
    csv = write_csv(tmp_path / "mixed.csv", mixed_columns()).read_bytes()
    with Server(tmp_path / "calm") as server:
        undisturbed = results(server, launch(server, csv, FOREST))
        assert server.stop() == 0

    folder = tmp_path / "rough"
    with Server(folder) as server:
        search = launch(server, csv, FOREST)
        server.until(f"/searches/{search}", lambda s: s["fits"]["run"] >= 13)
        server.kill()
    before = sqlite3.connect(folder / "pellux.db").execute("SELECT trial, fold, ended_at FROM fit WHERE state = 'done'").fetchall()
    assert len(before) >= 13

    with Server(folder) as server:
        assert server.until(f"/searches/{search}", lambda s: s["fits"]["run"] > len(before))["state"] in ("running", "finished")
        server.kill()
    with Server(folder) as server:
        assert results(server, search) == undisturbed

    done, database = fits_done(folder), sqlite3.connect(folder / "pellux.db")
    assert len(done) == 10 * 5
    assert set(done.values()) == {1}, "a scored fit was run again"
    kept = set(database.execute("SELECT trial, fold, ended_at FROM fit"))
    assert set(before) <= kept, "a recorded score was written anew"
    assert [s for (s,) in database.execute("SELECT DISTINCT attempt FROM fit")] == [1]


def test_a_second_server_says_who_holds_the_workspace(tmp_path: Path) -> None:
    with Server(tmp_path) as server:
        with pytest.raises(AssertionError, match=rf"Process {server.process.pid} at {server.url} holds the workspace"):
            Server(tmp_path)
        server.kill()
        with Server(tmp_path) as next_one:
            assert next_one.stop() == 0
