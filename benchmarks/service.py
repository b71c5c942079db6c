"""The running server: reports a second with its page open, large searches, the browser's frames, memory and start."""

from __future__ import annotations

import json
import sys
import tempfile
import threading
import time
from pathlib import Path
from statistics import median
from typing import Any

import psutil
from tests.browser.driving import Page, browser
from tests.serving import Server

from benchmarks import lists, live_page, open_page
from benchmarks.scenes import InstantRunner, warm_arrivals
from pellux.service.engine.engine import Engine
from pellux.service.planning.launching import launch
from pellux.service.planning.requests import SearchRequest, SettingsRequest
from pellux.service.searches.searches import search_view
from pellux.service.workspace import Workspace
from pellux.web.app import create_app
from pellux.web.server import address, bind, serve

SPACE = """\
rate:     0.01 .. 0.3 log
rounds:   20 .. 400 int log
leaves:   4 .. 128 int log
min_leaf: 2 .. 200 int log
pull:     1e-3 .. 100 log
features: 0.2 .. 1
"""
FRAMES = """
const done = arguments[arguments.length - 1];
window.frames_ = []; let last = performance.now();
const step = (now) => { window.frames_.push(now - last); last = now; if (window.counting_) requestAnimationFrame(step); };
window.counting_ = true; requestAnimationFrame(step); done();
"""


def search_of(engine: Engine, problem: int, trials: int, workers: int = 64) -> tuple[int, float]:
    """Run a search whose fits cost nothing; its id and the fits a second."""
    plan = SettingsRequest(strategy="random", trials=trials, workers=workers, seed=trials)
    begun = time.perf_counter()
    search = launch(engine, problem, SearchRequest(learner="boosting", space=SPACE, plan=plan))
    engine.join(search)
    return search, search_view(engine, search).fits.run / (time.perf_counter() - begun)


def reports(page: Page, engine: Engine, problem: int) -> str:
    """Fits through coordinator, store and stream while the page watches; every fit is two reports."""
    found: list[Any] = []
    plan = SettingsRequest(strategy="random", trials=2000, workers=64, seed=3)
    search = launch(engine, problem, SearchRequest(learner="boosting", space=SPACE, plan=plan))
    page.open(f"/p/{problem}/live?search={search}")
    begun, before = time.perf_counter(), search_view(engine, search).fits.run
    while not engine.join(search, 0.2):
        found.append(page.run("return document.body.innerText.length"))
    rate = (search_view(engine, search).fits.run - before) / (time.perf_counter() - begun)
    page.wait_text("[data-figures='live']", "2000/2000 trials · finished", 30)
    assert found, "the page did not answer while reports came in"
    return f"| fit results a second, page open (each also reports its start) | {rate:,.0f} | ≥ 1,500 |"


def drag(page: Page, problem: int, search: int) -> tuple[float, float]:
    """Median and 95th percentile of frame times while a lane's end is dragged over 2,000 dots in each of six lanes."""
    page.open(f"/p/{problem}/space?search={search}")
    page.find("[data-end='rate-to']")
    time.sleep(1.5)
    page.driver.execute_async_script(FRAMES)
    page.drag("[data-end='rate-to']", -240, steps=60)
    page.run("window.counting_ = false")
    frames = sorted(page.run("return window.frames_"))[:-1]
    return median(frames), frames[int(0.95 * len(frames))]


def usable(page: Page, path: str, css: str, rounds: int = 5) -> float:
    times = []
    for _ in range(rounds):
        begun = time.perf_counter()
        page.open(path)
        page.until(lambda: page.all(css))
        times.append(time.perf_counter() - begun)
    return median(times)


def first_page_of_trials(port: int, search: int) -> float:
    import http.client

    times = []
    for i in range(40):
        connection = http.client.HTTPConnection("127.0.0.1", port)
        begun = time.perf_counter()
        connection.request("GET", f"/api/v1/searches/{search}/trials?sort={'score' if i % 2 else 'rate'}&descending=true&limit=100")
        found = json.loads(connection.getresponse().read())
        times.append(time.perf_counter() - begun)
        assert found["total"] > 9000
        connection.close()
    return median(times)


def at_rest() -> tuple[float, float]:
    """Seconds from the command to the first page, and resident memory at rest."""
    with tempfile.TemporaryDirectory() as folder:
        begun = time.perf_counter()
        with Server(Path(folder)) as server:
            assert server.call("GET", "/")[0] == 200
            started = time.perf_counter() - begun
            for path in ("/problems", "/catalogue", "/workspace"):
                server.get(path)
            time.sleep(3)
            return started, psutil.Process(server.process.pid).memory_info().rss / 2**20


def run() -> list[str]:
    lines = ["| what | measured | wanted |", "|---|---|---|"]
    started, resident = at_rest()
    with tempfile.TemporaryDirectory() as folder:
        workspace = Workspace(Path(folder))
        problem = warm_arrivals(workspace)
        engine = Engine(workspace, InstantRunner)
        listening = bind("127.0.0.1", 0)
        server = threading.Thread(target=serve, args=(create_app(engine), listening, workspace, lambda: None), daemon=True)
        server.start()
        url = address(listening)
        with browser(url) as page:
            lines.append(reports(page, engine, problem))
            small, _ = search_of(engine, problem, 2000)
            large, _ = search_of(engine, problem, 10_000)
            first = first_page_of_trials(int(url.rpartition(":")[2]), large)
            lines.append(f"| first page of a 10,000-trial search, median | {1000 * first:.0f} ms | < 100 ms |")
            for path, css in (("evidence", "[data-trial]"), ("live", "[data-finished='yes']")):
                seconds = usable(page, f"/p/{problem}/{path}?search={large}&view=trials", css)
                lines.append(f"| page *{path}* with 10,000 trials usable | {seconds:.2f} s | < 2 s |")
            middle, slow = drag(page, problem, small)
            lines.append(
                f"| dragging a lane's end over 2,000 dots in each of 6 lanes | {1000 / middle:.0f} frames a second (95 %: {slow:.0f} ms) | ≥ 50 |"
            )
    lines += live_page.run()
    lines += lists.run()
    lines += open_page.run()
    lines.append(f"| `pellux serve` to the first page | {started:.1f} s | < 3 s |")
    lines.append(f"| server at rest, resident | {resident:.0f} MB | < 250 MB |")
    return lines


if __name__ == "__main__":
    sys.exit(print("\n".join(run())))
