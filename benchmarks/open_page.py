"""What it costs a search of 20,000 trials that its Live page is open.

python -m benchmarks.open_page        # prints the line
"""

from __future__ import annotations

import tempfile
import time
from pathlib import Path
from statistics import median

from tests.browser.driving import browser
from tests.serving import Server

TRIALS, AHEAD = 20_000, 40_000
ROUNDS, SECONDS = 4, 8.0
SPACE = "x: 0 .. 1\ny: 0 .. 1"


def cost() -> tuple[float, float]:
    """Trials a second with no page open, and with one: medians of windows that take turns, on one worker of two cores."""
    with tempfile.TemporaryDirectory() as folder, Server(Path(folder) / "w", module="tests.serving_two_numbers") as server:
        plan = {"strategy": "random", "trials": TRIALS + AHEAD, "workers": 1, "seed": 1, "early_stopping": "none"}
        status, search = server.call("POST", "/api/v1/problems/1/searches", {"space": SPACE, "plan": plan})
        assert status == 201, search
        at = f"/searches/{search['id']}"

        def ended() -> int:
            return int(server.get(at)["budgeted"])

        def rate() -> float:
            before, begun = ended(), time.perf_counter()
            time.sleep(SECONDS)
            return (ended() - before) / (time.perf_counter() - begun)

        while ended() < TRIALS:
            time.sleep(0.5)
        alone, watched = [], []
        with browser(server.url) as page:
            for _ in range(ROUNDS):
                page.driver.get("about:blank")
                time.sleep(1)
                alone.append(rate())
                page.open(f"/p/1/live?search={search['id']}")
                page.find("[data-finished='yes']", 60)
                time.sleep(1)
                watched.append(rate())
        assert server.get(at)["state"] == "running", "it ended before it was measured"
        return median(alone), median(watched)


def run() -> list[str]:
    alone, watched = cost()
    return [
        f"| trials a second past {TRIALS:,} trials, page closed, then open; what the page costs | {alone:,.0f}, {watched:,.0f}; "
        f"{100 * (1 - watched / alone):.1f} % | ≤ 10 % |"
    ]


if __name__ == "__main__":
    print(*run())
