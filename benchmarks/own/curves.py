"""Points that programs print: how many a second arrive in the store, without loss; and what one that prints 100 MB costs in memory."""

from __future__ import annotations

import contextlib
import tempfile
import threading
import time
from contextlib import closing
from pathlib import Path

import psutil

from benchmarks.own.programs import TALK, written
from pellux.service.engine.engine import Engine
from pellux.service.planning.code_requests import CodeBriefRequest
from pellux.service.planning.launching import launch
from pellux.service.planning.requests import SearchRequest, checked
from pellux.service.problems.code_problems import create_code_problem
from pellux.service.workspace import Workspace
from pellux.store.fits import curves_of

POINTS = 60_000
QUIET = "print('{\"score\": 1}')\n"
LOUD = "import sys\nfor _ in range(100): sys.stdout.write('x' * 2**20)\nprint()\nprint('{\"score\": 1}')\n"


def points() -> tuple[float, int, int]:
    """Points a second of two programs that print at once, how many came, how many were printed."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        brief = {
            "runs": [*written(folder, "talk.py", TALK), "{x}", str(POINTS)], "judged by": {"score": "score"},
            "grows": {"what": "levels", "most": POINTS},
        }  # fmt: skip
        workspace = Workspace(folder / "w", allowed=[folder])
        with closing(workspace), closing(Engine(workspace)) as engine:
            problem = create_code_problem(workspace, checked(CodeBriefRequest, brief))
            plan = {"strategy": "random", "trials": 1, "workers": 2}
            begun = time.perf_counter()
            search = launch(engine, problem, checked(SearchRequest, {"space": "x: 0 .. 1, start 0.5", "plan": plan}))
            engine.join(search)
            seconds = time.perf_counter() - begun
            with workspace.database.read() as session:
                came = sum(len(curve) for curve in curves_of(session, search).values())
    return came / seconds, came, 2 * POINTS


def largest(code: str) -> float:
    """Megabytes of the largest process of Pellux during four fits of a program."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        brief = {"runs": [*written(folder, "loud.py", code), "{x}"], "judged by": {"score": "score"}}
        workspace = Workspace(folder / "w", allowed=[folder])
        with closing(workspace), closing(Engine(workspace)) as engine:
            problem = create_code_problem(workspace, checked(CodeBriefRequest, brief))
            plan = {"strategy": "random", "trials": 4, "workers": 1}
            search = launch(engine, problem, checked(SearchRequest, {"space": "x: 0 .. 1", "plan": plan}))
            seen, ended = [0], threading.Event()

            def watch() -> None:
                while not ended.wait(0.02):
                    for child in psutil.Process().children(recursive=True):
                        with contextlib.suppress(psutil.Error):
                            if "loud.py" not in " ".join(child.cmdline()):
                                seen.append(child.memory_info().rss)

            thread = threading.Thread(target=watch)
            thread.start()
            engine.join(search)
            ended.set()
            thread.join()
    return max(seen) / 2**20


def run() -> list[str]:
    rate, came, printed = points()
    return [
        f"Two programs that print {POINTS:,} lines each, as fast as they can: **{rate:,.0f} points a second** (wanted: 5,000) until all are stored; "
        f"{came:,} of {printed:,} arrived.",
        f"The largest process of Pellux while a program prints 100 MB without a line end, four times: {largest(LOUD):.0f} MB; while one prints a single line: "
        f"{largest(QUIET):.0f} MB.",
    ]
