"""What Pellux adds to somebody's program and function: the same fits beside it, in the same minutes."""

from __future__ import annotations

import subprocess
import tempfile
import time
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing
from functools import partial
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

ROUNDS = {1.0: 3, 0.1: 9}  # by the seconds of a fit: short ones need more, on cores whose speed others sway
WORKERS = 2
Round = tuple[float, float, float]  # ratio, our seconds and theirs


def around(
    theirs: Callable[[Sequence[dict[str, Any]]], object], ours: Callable[[], float], configurations: Sequence[dict[str, Any]]
) -> Round:
    """One round: half of theirs, all of ours, the other half of theirs; so a machine that gets faster or slower sways neither side."""

    def half(some: Sequence[dict[str, Any]]) -> float:
        begun = time.perf_counter()
        theirs(some)
        return time.perf_counter() - begun

    middle = len(configurations) // 2 // WORKERS * WORKERS
    before = half(configurations[:middle])
    here = ours()
    there = before + half(configurations[middle:])
    return here / there, here, there


def searched(engine: Engine, problem: int, trials: int, space: str) -> float:
    """Seconds of a search from its first fit to its last."""
    plan = {"strategy": "random", "trials": trials, "workers": WORKERS, "seed": 1}
    search = launch(engine, problem, checked(SearchRequest, {"space": space, "plan": plan}))
    engine.join(search)
    view = search_view(engine, search)
    assert view.state == "finished", view.reason
    with engine.workspace.database.read() as session:
        fits = fits_of(session, search)
    assert len(fits) == trials + 1, "the start, and what was drawn"
    assert all(fit.state == "done" for fit in fits)
    return max(f.ended_at or 0 for f in fits) - min(f.started_at or 0 for f in fits)


def program(seconds: float, trials: int) -> list[Round]:
    """Rounds of a program, beside `subprocess.run` from as many threads."""
    steps = steps_in(seconds)
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        command = written(folder, "work.py", WORK)

        def ours(number: int) -> float:
            workspace = Workspace(folder / f"w{number}", allowed=[folder])
            with closing(workspace), closing(Engine(workspace)) as engine:
                brief = {"runs": [*command, "{x}", str(steps)], "judged by": {"score": "score"}}
                problem = create_code_problem(workspace, checked(CodeBriefRequest, brief))
                return searched(engine, problem, trials, "x: 0 .. 1")

        def theirs(some: Sequence[dict[str, Any]]) -> None:
            with ThreadPoolExecutor(WORKERS) as pool:
                list(pool.map(lambda c: _bare([*command, repr(c["x"]), str(steps)], folder), some))

        same = [{"x": 0.5}] * (trials + 1)
        return [around(theirs, partial(ours, number), same) for number in range(ROUNDS[seconds])]


def _bare(command: Sequence[str], folder: Path) -> str:
    return subprocess.run(command, cwd=folder, capture_output=True, text=True, check=True).stdout


def a_function(seconds: float, trials: int) -> list[Round]:
    """Rounds of a function, beside joblib with as many processes."""
    steps = steps_in(seconds)
    with tempfile.TemporaryDirectory() as name:

        def ours(number: int) -> float:
            workspace = Workspace(Path(name) / f"w{number}")
            with closing(workspace), closing(Engine(workspace)) as engine:
                request = checked(CodeBriefRequest, {"judged by": {"score": "score"}})
                problem = create_code_problem(workspace, request, sent=send(workspace, function))
                return searched(engine, problem, trials, f"x: 0 .. 1\nsteps: {steps}")

        def theirs(some: Sequence[dict[str, Any]]) -> None:
            Parallel(WORKERS)(delayed(work)(c["steps"]) for c in some)

        same = [{"steps": steps}] * (trials + 1)
        theirs([{"steps": 10}] * WORKERS)  # its processes are there, as ours are when the first fit begins
        return [around(theirs, partial(ours, number), same) for number in range(ROUNDS[seconds])]


def run() -> list[str]:
    lines = ["| fits | rounds | Pellux, s | bare, s | ratio | from .. to | wanted |", "|---|---|---|---|---|---|---|"]
    for words, rounds, wanted in (
        ("41 runs of a program of about 1 s, beside `subprocess.run` from 2 threads", program(1.0, 40), "≤ 1.03"),
        ("101 runs of a program of about 100 ms, beside the same", program(0.1, 100), "≤ 1.15"),
        ("101 calls of a function of about 100 ms, beside `joblib.Parallel(2)`", a_function(0.1, 100), "≤ 1.02"),
    ):
        ratio, ours, theirs = sorted(rounds)[len(rounds) // 2]
        spread = f"{min(rounds)[0]:.3f} .. {max(rounds)[0]:.3f}"
        lines.append(f"| {words} | {len(rounds)} | {ours:.2f} | {theirs:.2f} | {ratio:.3f} | {spread} | {wanted} |")
        print(lines[-1], flush=True)
    return lines
