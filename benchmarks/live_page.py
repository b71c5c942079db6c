"""How often a Live page asks the server, beside its stream, while a search runs."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

from tests.browser.driving import Page, browser
from tests.making import mixed_columns, write_csv
from tests.serving import Server

SECONDS = 60
COUNT = """
return performance.getEntriesByType("resource").filter((e) => e.name.includes("/api/") && !e.name.includes("/events")).length
"""
SPACE = "rate: 1e-3 .. 0.1 log\nwidth: 4 .. 12 int log\nactivation: relu | tanh\nepochs: 30"
PLAN = {"strategy": "random", "trials": 5000, "minutes": 2, "workers": 2, "seed": 1, "early stopping": "asynchronous halving"}


def asked(page: Page) -> int:
    return int(page.run(COUNT))


def requests_a_second() -> float:
    """Requests a second of a Live page over a minute of a search with growing fits on two workers."""
    with tempfile.TemporaryDirectory() as folder, Server(Path(folder) / "w") as server:
        csv = write_csv(Path(folder) / "mixed.csv", mixed_columns(4000)).read_bytes()
        data = server.call("POST", "/api/v1/data?name=mixed.csv", csv)[1]
        brief = {"data": data["hash"], "target": "label", "metric": "log loss", "ignore": ["amount"], "folds": 3}
        problem = server.call("POST", "/api/v1/problems", brief)[1]["id"]
        body = {"learner": "network", "space": SPACE, "plan": {**PLAN, "stopping": {"least": 1}}}
        status, search = server.call("POST", f"/api/v1/problems/{problem}/searches", body)
        assert status == 201, search
        with browser(server.url) as page:
            page.open(f"/p/{problem}/live?search={search['id']}")
            page.run("performance.setResourceTimingBufferSize(100000)")
            page.find("[data-curves]", 60)
            time.sleep(3)  # what a page asks when it opens is not meant
            before, begun = asked(page), time.perf_counter()
            time.sleep(SECONDS)
            found = (asked(page) - before) / (time.perf_counter() - begun)
            assert server.get(f"/searches/{search['id']}")["state"] == "running"
        return found


def run() -> list[str]:
    return [f"| requests a second of a Live page while a search runs, beside its stream | {requests_a_second():.2f} | ≤ 1 |"]


if __name__ == "__main__":
    print(*run())
