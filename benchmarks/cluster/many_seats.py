"""Two hundred seats in one process: what the server's side costs, with nothing computed and no engine in between."""

from __future__ import annotations

import asyncio
import multiprocessing
import tempfile
import time
from pathlib import Path
from typing import Any

import psutil

from benchmarks.cluster.beside_local import Burning
from pellux.engine.artifacts import FileArtifacts
from pellux.engine.cluster.door import Door
from pellux.engine.cluster.machines import Demand, Machine, Place
from pellux.engine.cluster.wire import HEAD, Order, Said, hello, packed, unpacked
from pellux.engine.messages import FitEnded, FitStarted, StartFit, WorkerReady
from pellux.engine.model import Outcome
from pellux.engine.runners.cluster import ClusterRunner
from pellux.engine.states import FitState
from pellux.engine.worker import Assignment

SEATS, FITS = 200, 40_000


class Cluster:
    """As the runner knows one; its seats are played by another process."""

    address, gone = "tcp://nowhere:1", False

    def __init__(self, sent: Any) -> None:
        self.door, self._sent, self._count = Door("127.0.0.1"), sent, 0
        self.one = Machine("m", "m", SEATS, 1)

    def take(self, demand: Demand) -> Place:
        return Place("m", 1, (), 0)

    def give(self, place: Place) -> None:
        pass

    def seat(self, place: Place, guest: Any, ended: Any) -> str:
        self._count += 1
        token = f"token-{self._count}"
        self.door.expect(token, guest)
        self._sent.send((self.door.port, token))
        return token

    def machine(self, place: Place) -> Machine:
        return self.one

    def known(self) -> list[Machine]:
        return [self.one]

    def listen(self, changed: Any) -> None: ...

    def unlisten(self, changed: Any) -> None: ...

    def failed(self, place: Place, why: str) -> None:
        raise AssertionError(why)


def _seats(heard: Any) -> None:
    """The process of the seats."""

    async def seat(port: int, token: str) -> None:
        reader, writer = await asyncio.open_connection("127.0.0.1", port)
        writer.write(hello(token))
        done = Outcome(FitState.DONE, 0.5, 0.01)
        while True:
            (size,) = HEAD.unpack(await reader.readexactly(HEAD.size))
            reports: list[Any] = []
            for message in unpacked(await reader.readexactly(size)):
                if isinstance(message, Order):
                    whose, now = (0, message.fit.trial, message.fit.fold, message.fit.attempt), time.monotonic()
                    reports += [FitStarted(*whose, now), FitEnded(*whose, done, now)]
                elif type(message).__name__ == "Opening":
                    reports.append(WorkerReady(0))
            if reports:
                writer.write(packed([Said(reports, time.monotonic())]))

    async def all_of_them() -> None:
        loop = asyncio.get_running_loop()
        tasks = [asyncio.create_task(seat(*await loop.run_in_executor(None, heard.recv))) for _ in range(SEATS)]
        await asyncio.gather(*tasks, return_exceptions=True)

    asyncio.run(all_of_them())


def run() -> list[str]:
    heard, sent = multiprocessing.Pipe(duplex=False)
    process = multiprocessing.get_context("spawn").Process(target=_seats, args=(heard,), daemon=True)
    process.start()
    with tempfile.TemporaryDirectory() as folder:
        kept = FileArtifacts(Path(folder) / "kept", Path(folder) / "fits")
        cluster: Any = Cluster(sent)
        runner = ClusterRunner(Assignment(Burning(0.0), kept, Path(folder) / "log"), cluster, "many", Demand())
        for worker in range(SEATS):
            runner.hire(worker, worker)
        ready = 0
        while ready < SEATS:
            ready += sum(isinstance(report, WorkerReady) for report in runner.wait(1.0))
        given = events = ended = 0
        begun, cpu = time.perf_counter(), psutil.Process().cpu_times()
        for given in range(2 * SEATS):
            runner.start(StartFit(given % SEATS, given + 1, 0, 1, {"x": 0.5}))
        given += 1
        while ended < FITS:
            for report in runner.wait(1.0):
                events += 1
                if isinstance(report, FitEnded):
                    ended += 1
                    if given < FITS:
                        given += 1
                        runner.start(StartFit(report.worker, given, 0, 1, {"x": 0.5}))
        seconds, after = time.perf_counter() - begun, psutil.Process().cpu_times()
        used = after.user + after.system - cpu.user - cpu.system
        runner.close()
        cluster.door.close()
        process.kill()
    return [
        f"{SEATS} seats, played by one process that computes nothing: {FITS:,} fits in {seconds:.1f} s, {events / seconds:,.0f} reports a second, "
        f"{1e6 * used / FITS:.0f} µs of the server's processor a fit (runner and door; coordinator and store not counted).", "",
    ]  # fmt: skip
