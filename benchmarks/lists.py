"""How long the list of a problem with 200 searches takes: python -m benchmarks.lists

One search is real; the others are copies of its rows, so that what is counted and summed is what a server wrote.
"""

from __future__ import annotations

import sqlite3
import tempfile
import time
from contextlib import closing
from pathlib import Path
from statistics import median

from tests.serving import Server

SEARCHES, TRIALS, TIMES = 200, 40, 30
MODULE = "tests.serving_two_numbers"


def copied(database: Path) -> None:
    """Every row of search 1 again under each further number."""
    with closing(sqlite3.connect(database)) as connection, connection:
        for table, key in (("search", "id"), ("trial", "search_id"), ("fit", "search_id")):
            names = [row[1] for row in connection.execute(f"PRAGMA table_info({table})")]
            kept = [name for name in names if name not in (key, "id", "number" if table == "search" else "")]
            new = [key, *(["number"] if table == "search" else [])]
            for number in range(2, SEARCHES + 1):
                values = ", ".join([str(number)] * len(new) + [f'"{name}"' for name in kept])
                into = ", ".join([*new, *(f'"{name}"' for name in kept)])
                connection.execute(f"INSERT INTO {table} ({into}) SELECT {values} FROM {table} WHERE {key} = 1")


def run() -> list[str]:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name) / "w"
        with Server(folder, module=MODULE) as server:
            plan = {"strategy": "random", "trials": TRIALS, "workers": 2, "seed": 1, "early_stopping": "none"}
            status, search = server.call("POST", "/api/v1/problems/1/searches", {"space": "x: 0 .. 1\ny: 0 .. 1", "plan": plan})
            assert status == 201, search
            server.until(f"/searches/{search['id']}", lambda s: s["state"] == "finished")
            assert server.stop() == 0
        copied(folder / "pellux.db")
        with Server(folder, module=MODULE) as server:
            seconds = []
            for _ in range(TIMES):
                begun = time.perf_counter()
                found = server.get("/problems/1/searches")
                seconds.append(time.perf_counter() - begun)
            assert len(found) == SEARCHES
            assert {one["trials"]["scored"] for one in found} == {found[0]["trials"]["scored"]}
    return [
        f"| list of {SEARCHES} searches of {TRIALS} trials, from the request to the parsed answer | {1e3 * median(seconds):.0f} ms, at most "
        f"{1e3 * max(seconds):.0f} ms | ≤ 150 ms |"
    ]


if __name__ == "__main__":
    print(*run())
