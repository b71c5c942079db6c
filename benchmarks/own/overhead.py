"""What Pellux adds to somebody's program and function: the same fits beside it, in the same minutes."""

from __future__ import annotations

import subprocess
import tempfile
import time
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing
from pathlib import Path
from typing import Any

from joblib import Parallel, delayed

from benchmarks.own.programs import WORK, function, steps_in, work, written
from pellux.service.engine.engine import Engine
from pellux.service.planning.code_requests import CodeBriefRequest
from pellux.service.planning.launching import launch
from pellux.service.planning.requests import SearchRequest, checked
from pellux.service.problems.code_problems import create_code_problem, send
from pellux.service.searches.searches import search_view
from pellux.service.workspace import Workspace
from pellux.store.fits import fits_of
from pellux.store.trials import trials_of

ROUNDS = 3
WORKERS = 2


def searched(engine: Engine, problem: int, trials: int, space: str) -> tuple[float, list[dict[str, Any]]]:
    """Seconds of a search from its first fit to its last, and the configurations that it tried."""
    plan = {"strategy": "random", "trials": trials, "workers": WORKERS, "seed": 1}
    search = launch(engine, problem, checked(SearchRequest, {"space": space, "plan": plan}))
    engine.join(search)
    view = search_view(engine, search)
    assert view.state == "finished", view.reason
    with engine.workspace.database.read() as session:
        fits = fits_of(session, search)
        configurations = [dict(trial.configuration) for trial in trials_of(session, search)]
    assert all(fit.state == "done" for fit in fits)
    return max(f.ended_at or 0 for f in fits) - min(f.started_at or 0 for f in fits), configurations


def program(seconds: float, trials: int) -> tuple[float, float, float]:
    """Ratio, our seconds and theirs, of the median round."""
    steps = steps_in(seconds)
    rounds = []
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        command = written(folder, "work.py", WORK)
        for number in range(ROUNDS):
            workspace = Workspace(folder / f"w{number}", allowed=[folder])
            with closing(workspace), closing(Engine(workspace)) as engine:
                brief = {"runs": [*command, "{x}", str(steps)], "judged by": {"score": "score"}}
                problem = create_code_problem(workspace, checked(CodeBriefRequest, brief))
                ours, configurations = searched(engine, problem, trials, "x: 0 .. 1")
            begun = time.perf_counter()
            with ThreadPoolExecutor(WORKERS) as pool:
                list(pool.map(lambda c: _bare([*command, repr(c["x"]), str(steps)], folder), configurations))
            theirs = time.perf_counter() - begun
            rounds.append((ours / theirs, ours, theirs))
    return sorted(rounds)[ROUNDS // 2]


def _bare(command: Sequence[str], folder: Path) -> str:
    return subprocess.run(command, cwd=folder, capture_output=True, text=True, check=True).stdout


def a_function(seconds: float, trials: int) -> tuple[float, float, float]:
    """The same of a function, beside joblib with as many processes."""
    steps = steps_in(seconds)
    rounds = []
    with tempfile.TemporaryDirectory() as name:
        Parallel(WORKERS)(
            delayed(work)(10) for _ in range(WORKERS)
        )  # its processes are there, as ours are when the first fit begins
        for number in range(ROUNDS):
            workspace = Workspace(Path(name) / f"w{number}")
            with closing(workspace), closing(Engine(workspace)) as engine:
                request = checked(CodeBriefRequest, {"judged by": {"score": "score"}})
                problem = create_code_problem(workspace, request, sent=send(workspace, function))
                ours, configurations = searched(engine, problem, trials, f"x: 0 .. 1\nsteps: {steps}")
            begun = time.perf_counter()
            Parallel(WORKERS)(delayed(work)(c["steps"]) for c in configurations)
            theirs = time.perf_counter() - begun
            rounds.append((ours / theirs, ours, theirs))
    return sorted(rounds)[ROUNDS // 2]


def run() -> list[str]:
    lines = ["| fits | Pellux, s | bare, s | ratio | wanted |", "|---|---|---|---|---|"]
    for words, (ratio, ours, theirs), wanted in (
        ("41 runs of a program of about 1 s, beside `subprocess.run` from 2 threads", program(1.0, 40), "≤ 1.03"),
        ("101 runs of a program of about 100 ms, beside the same", program(0.1, 100), "≤ 1.15"),
        ("101 calls of a function of about 100 ms, beside `joblib.Parallel(2)`", a_function(0.1, 100), "≤ 1.02"),
    ):
        lines.append(f"| {words} | {ours:.2f} | {theirs:.2f} | {ratio:.3f} | {wanted} |")
        print(lines[-1], flush=True)
    return lines
