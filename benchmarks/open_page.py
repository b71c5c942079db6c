"""What it costs a search of 20,000 trials that its Live page is open; and how much of that is the server's, not the browser's.

python -m benchmarks.open_page        # prints the lines
"""

from __future__ import annotations

import http.client
import tempfile
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from statistics import median

from tests.browser.driving import browser
from tests.serving import Server

TRIALS, AHEAD = 20_000, 80_000
ROUNDS, SECONDS = 6, 8.0
SPACE = "x: 0 .. 1\ny: 0 .. 1"


@contextmanager
def listening(server: Server, every: dict[str, float]) -> Iterator[None]:
    """What a page asks of the server, without a page: its stream, and its questions at their pace in seconds."""
    ended = threading.Event()

    def stream() -> None:
        connection = http.client.HTTPConnection("127.0.0.1", server.port, timeout=30)
        connection.request("GET", "/api/v1/events")
        answer = connection.getresponse()
        with suppress(OSError, AttributeError, ValueError):
            while not ended.is_set() and answer.readline():
                pass
        connection.close()

    def asking() -> None:
        due = dict.fromkeys(every, 0.0)
        while not ended.wait(0.1):
            for path in [path for path, at in due.items() if at <= time.monotonic()]:
                server.get(path)
                due[path] = time.monotonic() + every[path]

    threads = [threading.Thread(target=stream, daemon=True), threading.Thread(target=asking, daemon=True)]
    for thread in threads:
        thread.start()
    yield
    ended.set()
    for thread in threads:
        thread.join(30)


def cost() -> tuple[float, float, float]:
    """Trials a second with nobody looking, with what a page asks for, and with a page; medians of windows that take turns.

    One worker of two cores; the browser works on the same two.
    """
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
        alone, asked, watched = [], [], []
        with browser(server.url) as page:
            for _ in range(ROUNDS):
                page.driver.get("about:blank")
                time.sleep(1)
                alone.append(rate())
                with listening(server, {"/problems/1/searches": 5.0, "/workspace": 5.0}):
                    asked.append(rate())
                page.open(f"/p/1/live?search={search['id']}")
                page.find("[data-finished='yes']", 60)
                time.sleep(1)
                watched.append(rate())
        assert server.get(at)["state"] == "running", "it ended before it was measured"
        print([f"{a:.0f} {b:.0f} {c:.0f}" for a, b, c in zip(alone, asked, watched, strict=True)])
        return median(alone), median(asked), median(watched)


def run() -> list[str]:
    alone, asked, watched = cost()
    return [
        f"| trials a second past {TRIALS:,} trials, page closed, then open; what the page costs | {alone:,.0f}, {watched:,.0f}; "
        f"{100 * (1 - watched / alone):.1f} % | ≤ 10 % |",
        f"| the same, with what a page asks the server for, and no browser beside | {alone:,.0f}, {asked:,.0f}; "
        f"{100 * (1 - asked / alone):.1f} % | |",
    ]


if __name__ == "__main__":
    print(*run(), sep="\n")
