"""What an event costs the coordinator, with ever more workers, and beside the code of before it was taken apart."""

from __future__ import annotations

import io
import os
import shutil
import subprocess
import sys
import tarfile
import tempfile
import time
from pathlib import Path
from statistics import median

import numpy as np

from pellux.core.stopping import geometric, rule, settings_of
from pellux.engine.model import Limits
from pellux.engine.pruning import Stopping
from pellux.engine.runners.simulated import SimulatedWorld
from pellux.engine.simulation import simulate
from pellux.service.engine.collecting import collect_seldom


def made_up(key: str) -> Stopping:
    """A rule with its defaults, on rungs of 1, 3, 9 and 27."""
    chosen = rule(key)
    return Stopping(chosen, settings_of(chosen.settings, {}), geometric("iterations", 1, 27, 3))


ROOT = Path(__file__).parents[1]
BEFORE = "9460723"  # the last commit before the engine was taken apart, 2026-11-27
WANTED = 25_000 / 21_000  # events a second, where that one did 21,000
THEN = """
import time
import numpy as np
from benchmarks.stopping.run import _made_up
from pellux.engine.model import Limits
from pellux.engine.simulation import MadeUp, simulate
rng = np.random.default_rng(1)
durations, scores = rng.lognormal(0, 0.5, 100_003).tolist(), rng.random(100_003).tolist()
world = MadeUp(
    lambda c, f, before, level: (level - before) * durations[int(c["n"]) % 100_003], lambda c, f, level: scores[int(c["n"]) % 100_003]
)
begun = time.process_time()
course = simulate(Limits(20_000, 10, 1), lambda n, _: {"n": n}, world, stopping=_made_up("asynchronous halving"))
print(course.events / (time.process_time() - begun))
"""
NOW = "from benchmarks.crowds import _each; from pellux.service.engine.collecting import collect_seldom; collect_seldom(); print(1 / _each(10)[0])"
CROWDS, ROUNDS, TURNS = (10, 100, 1000, 10_000), 3, 7


def run() -> list[str]:
    lines = [
        f"Asynchronous halving of 20,000 trials on the virtual clock, events handled by the real coordinator and the simulated runner together; "
        f"{ROUNDS} rounds of all crowds in turns, medians. Garbage is collected as seldom as in a server of ours.", "",
        "| workers | events | events/s | per event | against 10 workers |", "|---|---|---|---|---|",
    ]  # fmt: skip
    collect_seldom()
    rounds = [{workers: _each(workers) for workers in CROWDS} for _ in range(ROUNDS)]
    for workers in CROWDS:
        each = median(one[workers][0] for one in rounds)
        ratio = median(one[workers][0] / one[CROWDS[0]][0] for one in rounds)
        lines.append(f"| {workers:,} | {rounds[0][workers][1]:,} | {1 / each:,.0f} | {1e6 * each:.0f} µs | {ratio:.2f} |")
        print(lines[-1], flush=True)
    return [*lines, "", *_beside_before(), ""]


def _beside_before() -> list[str]:
    """Both codes in turns, each time in a process of its own; nothing where the history is not there."""
    if shutil.which("git") is None:
        return [f"Not beside the code of {BEFORE}: git is not here."]
    archive = subprocess.run(["git", "archive", BEFORE, "src", "benchmarks"], cwd=ROOT, capture_output=True)
    if archive.returncode:
        return [f"Not beside the code of {BEFORE}: its history is not here."]
    with tempfile.TemporaryDirectory() as folder:
        with tarfile.open(fileobj=io.BytesIO(archive.stdout)) as packed:
            packed.extractall(folder, filter="data")
        pairs = [(_alone(THEN, Path(folder)), _alone(NOW, ROOT)) for _ in range(TURNS)]
    then, now = (median(pair[i] for pair in pairs) for i in (0, 1))
    ratio = median(after / before for before, after in pairs)
    return [
        f"Beside the code of before the engine was taken apart ({BEFORE}), {TURNS} turns with 10 workers, medians: {then:,.0f} events/s then, "
        f"{now:,.0f} now, {ratio:.2f} times as many (wanted: {WANTED:.2f}, which is 25,000 where that one does 21,000)."
    ]


def _alone(program: str, root: Path) -> float:
    environment = {**os.environ, "PYTHONPATH": f"{root / 'src'}{os.pathsep}{root}"}
    done = subprocess.run([sys.executable, "-c", program], cwd=root, env=environment, capture_output=True, text=True, check=True)
    return float(done.stdout)


def _each(workers: int) -> tuple[float, int]:
    """Seconds an event, and events."""
    rng = np.random.default_rng(1)
    durations, scores = rng.lognormal(0, 0.5, 100_003).tolist(), rng.random(100_003).tolist()
    world = SimulatedWorld(
        lambda c, f, before, level: (level - before) * durations[int(c["n"]) % 100_003],
        lambda c, f, level: scores[int(c["n"]) % 100_003],
    )
    begun = time.process_time()
    course = simulate(Limits(20_000, workers, 1), lambda n, _: {"n": n}, world, stopping=made_up("asynchronous halving"))
    return (time.process_time() - begun) / course.events, course.events


if __name__ == "__main__":
    print(*run(), sep="\n")
