"""The very same fits on two local workers and on two seats of a cluster on this machine, in turns."""

from __future__ import annotations

import tempfile
import time
from collections import deque
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from statistics import median
from typing import Any

import psutil
from tests.cluster.standing import Standing

from pellux.core.objective import Elsewhere, FitContext, FitOrder, FitResult, Terms
from pellux.engine.artifacts import FileArtifacts
from pellux.engine.cluster.connection import Cluster
from pellux.engine.cluster.machines import Demand
from pellux.engine.messages import FitEnded, StartFit, WorkerReady
from pellux.engine.runners import Runner
from pellux.engine.runners.cluster import ClusterRunner
from pellux.engine.runners.local import LocalRunner
from pellux.engine.worker import Assignment

ROUNDS, WORKERS = 5, 2
CASES = {0.1: (160, 1.05), 0.02: (600, None), 0.01: (1000, 1.5)}


@dataclass(frozen=True)
class Burning:
    """A fit that computes for so many seconds of processor time."""

    seconds: float
    terms: Terms = field(default_factory=Terms)

    def open(self) -> Burning:
        return self

    def files(self) -> Mapping[str, str]:
        return {}

    def moved(self, place: Elsewhere) -> Burning:
        return self

    def tidy(self) -> None:
        pass

    def evaluate(self, order: FitOrder, context: FitContext) -> FitResult:
        begun, end = context.clock(), time.thread_time() + self.seconds
        while time.thread_time() < end:
            sum(range(200))
        return FitResult(0.5, context.clock() - begun)


@dataclass
class Course:
    seconds: float
    busy: float
    own_cpu: float  # of this process, the server's part


def play(runner: Runner, fits: int) -> Course:
    """So many fits on two workers, each handed one ahead, as the coordinator does with short ones."""
    for worker in range(WORKERS):
        runner.hire(worker, worker)
    ready = 0
    while ready < WORKERS:
        ready += sum(isinstance(report, WorkerReady) for report in runner.wait(1.0))
    waiting, ended, busy = deque(range(1, fits + 1)), 0, 0.0
    begun, cpu = time.perf_counter(), psutil.Process().cpu_times()
    for worker in (0, 1, 0, 1):
        runner.start(StartFit(worker, waiting.popleft(), 0, 1, {}))
    while ended < fits:
        for report in runner.wait(1.0):
            if isinstance(report, FitEnded):
                ended, busy = ended + 1, busy + report.outcome.seconds
                if waiting:
                    runner.start(StartFit(report.worker, waiting.popleft(), 0, 1, {}))
    seconds, after = time.perf_counter() - begun, psutil.Process().cpu_times()
    return Course(seconds, busy, after.user + after.system - cpu.user - cpu.system)


def run() -> list[str]:
    lines = [
        f"Fits that compute for so long, on {WORKERS} workers; whole rounds in turns, medians of {ROUNDS}. The machine's two cores also carry the "
        "scheduler, the engine's worker and the server.", "",
        "| a fit | fits | cluster against local | wanted | seats busy | local workers busy | server's CPU a fit, cluster | local |",
        "|---|---|---|---|---|---|---|---|",
    ]  # fmt: skip
    with tempfile.TemporaryDirectory() as folder:
        standing = Standing(Path(folder))
        standing.schedule()
        standing.join("one", cores=WORKERS)
        try:
            cluster = standing.connected(1)
            for seconds, (fits, wanted) in CASES.items():
                lines.append(_case(cluster, Path(folder), seconds, fits, wanted))
                print(lines[-1], flush=True)
            cluster.close()
        finally:
            standing.close()
    return [*lines, ""]


def _case(cluster: Cluster, folder: Path, seconds: float, fits: int, wanted: float | None) -> str:
    found: dict[str, list[Course]] = {"local": [], "cluster": []}
    for place in range(ROUNDS + 1):
        for where in ("local", "cluster"):
            own = folder / f"{where}-{seconds}-{place}"
            own.mkdir()
            assignment = Assignment(Burning(seconds), FileArtifacts(own / "kept", own / "fits"), own / "worker")
            runner: Any = LocalRunner(assignment) if where == "local" else ClusterRunner(assignment, cluster, own.name, Demand())
            course = play(runner, fits if place else fits // 4)
            runner.close()
            if place:  # the first is to warm up
                found[where].append(course)
    ratio = median(there.seconds / here.seconds for there, here in zip(found["cluster"], found["local"], strict=True))
    busy = {where: median(c.busy / c.seconds / WORKERS for c in courses) for where, courses in found.items()}
    cpu = {where: median(c.own_cpu / fits for c in courses) for where, courses in found.items()}
    said = "" if wanted is None else f"≤ {wanted:g}{'' if ratio <= wanted else ' MISSED'}"
    return (
        f"| {1000 * seconds:.0f} ms | {fits} | {ratio:.2f} | {said} | {busy['cluster']:.0%} | {busy['local']:.0%} | "
        f"{1e6 * cpu['cluster']:.0f} µs | {1e6 * cpu['local']:.0f} µs |"
    )
