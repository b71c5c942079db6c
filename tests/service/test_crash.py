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
FOREST = {
    "learner": "forest",
    "space": "trees: 5 .. 20 int\ndepth: 2 .. 12 int\nfeatures: 0.2 .. 1",
    "plan": {**PLAN, "trials": 4},
}
NETWORK = {
    "learner": "network",
    "space": "rate: 1e-4 .. 0.1 log\nwidth: 4 .. 8 int log\npull: 1e-6 .. 1 log\nepochs: 27",
    "plan": {**PLAN, "early_stopping": "asynchronous halving", "stopping": {"factor": 3, "least": 3}},
}


def launch(server: Server, csv: bytes, body: Any) -> int:
    _, data = server.call("POST", "/api/v1/data?name=mixed.csv", csv)
    brief = {"data": data["hash"], "target": "label", "metric": "average precision", "ignore": ["amount"], "seed": 1, "folds": 3}
    _, problem = server.call("POST", "/api/v1/problems", brief)
    status, search = server.call("POST", f"/api/v1/problems/{problem['id']}/searches", body)
    assert status == 201, search
    return int(search["id"])


def results(server: Server, search: int) -> list[Any]:
    server.until(f"/searches/{search}", lambda s: s["state"] == "finished")
    page = server.get(f"/searches/{search}/trials?limit=100")
    told = ("number", "configuration", "state", "scores", "seen", "pending", "rung", "reason")
    return [tuple(t[what] for what in told) for t in page["trials"]]


def fits_done(folder: Path, search: int) -> Counter[Any]:
    """How often each fit of each rung of a search was scored."""
    wanted = ", ".join(f"json_extract(payload, '$.{key}')" for key in ("trial", "fold", "rung"))
    where = "search_id = ? AND kind = 'fit' AND json_extract(payload, '$.state') = 'done'"
    return Counter(sqlite3.connect(folder / "pellux.db").execute(f"SELECT {wanted} FROM ledger WHERE {where}", (search,)))


def reached(server: Server, forest: int, network: int, fits: int, trials: int) -> None:
    """Both searches have come so far."""
    server.until(f"/searches/{network}", lambda s: s["trials"]["ended_early"] + s["trials"]["scored"] >= trials)
    server.until(f"/searches/{forest}", lambda s: s["fits"]["run"] >= fits)


def test_killed_and_started_again_searches_end_as_uninterrupted(tmp_path: Path) -> None:
    """One with a model, and one amid halving, side by side: undisturbed first, then once more with a kill in between."""
    csv = write_csv(tmp_path / "mixed.csv", mixed_columns()).read_bytes()
    folder = tmp_path / "rough"
    with Server(folder) as server:
        calm = [launch(server, csv, body) for body in (FOREST, NETWORK)]
        undisturbed = [results(server, search) for search in calm]
        forest, network = (launch(server, csv, body) for body in (FOREST, NETWORK))
        reached(server, forest, network, fits=3, trials=4)
        server.kill()
    database = sqlite3.connect(folder / "pellux.db")
    scored = "SELECT trial, fold, ended_at FROM fit WHERE search_id = ? AND state = 'done'"
    before, rungs = database.execute(scored, (forest,)).fetchall(), fits_done(folder, network)
    assert len(before) >= 3
    with Server(folder) as server:
        assert [results(server, search) for search in (forest, network)] == undisturbed

    done = fits_done(folder, forest)
    assert len(done) == 5 * 3
    assert set(done.values()) == {1}, "a scored fit was run again"
    assert set(before) <= set(database.execute(scored, (forest,))), "a recorded score was written anew"
    assert [s for (s,) in database.execute("SELECT DISTINCT attempt FROM fit WHERE search_id = ?", (forest,))] == [1]
    climbed = fits_done(folder, network)
    assert set(climbed.values()) == {1}, "a scored rung was run again"
    assert rungs.keys() < climbed.keys()
    assert {rung for _, _, rung in climbed} == {0, 1, 2}


def test_a_second_server_says_who_holds_the_workspace(tmp_path: Path) -> None:
    with Server(tmp_path) as server:
        with pytest.raises(AssertionError, match=rf"Process {server.process.pid} at {server.url} holds the workspace"):
            Server(tmp_path)
        server.kill()
        with Server(tmp_path) as next_one:
            assert next_one.stop() == 0
