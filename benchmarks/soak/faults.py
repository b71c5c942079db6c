"""What laptops, clusters and people do to a server, each for a while."""

from __future__ import annotations

import contextlib
import os
import random
import shutil
import signal
import socket
import sqlite3
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import psutil
from tests.serving import Server

LEAPS = (0, 3600, -3600, 86_400, -90)


def workers_of(server: Server) -> list[psutil.Process]:
    """The processes that fit: children of the server's fork server. What they start themselves is somebody's program, not a worker;
    their command lines are those of the process that they were forked from."""
    with contextlib.suppress(psutil.Error):
        forking = [p for p in psutil.Process(server.process.pid).children() if "forkserver" in " ".join(_command(p))]
        return [worker for one in forking for worker in one.children()]
    return []


def _command(process: psutil.Process) -> list[str]:
    try:
        return process.cmdline()
    except psutil.Error:
        return []


class Faults:
    """By name; each begins at once and ends by itself. `server` gives the one that runs now."""

    def __init__(self, server: Callable[[], Server], folder: Path, clock: Path, rng: random.Random, own_disk: bool) -> None:
        self._server, self._folder, self._clock, self._rng = server, folder, clock, rng
        self._under_way: dict[str, threading.Thread] = {}
        self.kinds: dict[str, Callable[[], None]] = {
            "the server stands still (STOP)": self._freeze,
            "a worker is killed": self._kill_worker,
            "a worker stands still": self._freeze_worker,
            "another program holds the database": self._lock,
            "the clock is set": self._set_clock,
            "the data are moved away": self._take_data,
            "the folds are deleted": self._take_folds,
            "slow clients": self._slow_clients,
            "rude clients": self._rude_clients,
            "listeners come and go": self._listeners,
        }
        if own_disk:
            self.kinds["the disk is full"] = self._fill

    def begin(self, kind: str) -> bool:
        """False when the same is under way already."""
        held = self._under_way.get(kind)
        if held is not None and held.is_alive():
            return False
        thread = self._under_way[kind] = threading.Thread(target=self._safely, args=(kind,), daemon=True)
        thread.start()
        return True

    def _safely(self, kind: str) -> None:
        with contextlib.suppress(OSError, psutil.Error, sqlite3.Error):
            self.kinds[kind]()

    def wait(self) -> None:
        """Until everything is as it was."""
        for thread in self._under_way.values():
            thread.join(60)
        self._clock.write_text("0")

    def _some(self, least: float, most: float) -> None:
        time.sleep(self._rng.uniform(least, most))

    def _freeze(self) -> None:
        pid = self._server().process.pid
        os.kill(pid, signal.SIGSTOP)
        try:
            self._some(0.5, 4)
        finally:
            os.kill(pid, signal.SIGCONT)

    def _kill_worker(self) -> None:
        for process in self._one_worker():
            process.kill()

    def _freeze_worker(self) -> None:
        for process in self._one_worker():
            process.suspend()
            self._some(0.5, 14)  # past ten seconds it is replaced
            process.resume()

    def _one_worker(self) -> Iterator[psutil.Process]:
        found = workers_of(self._server())
        if found:
            yield self._rng.choice(found)

    def _lock(self) -> None:
        with contextlib.closing(sqlite3.connect(self._folder / "w" / "pellux.db", isolation_level=None, timeout=10)) as connection:
            connection.execute("BEGIN IMMEDIATE")
            try:
                self._some(1, 16)
            finally:
                connection.execute("ROLLBACK")

    def _set_clock(self) -> None:
        self._clock.write_text(str(self._rng.choice(LEAPS)))

    def _take_data(self) -> None:
        place = self._rng.choice([p for p in (self._folder / "w" / "data").iterdir() if "incoming" not in p.name])
        away = self._folder / f"away-{place.name}"
        place.rename(away)
        try:
            self._some(0.5, 5)
        finally:
            away.rename(place)

    def _take_folds(self) -> None:
        for path in (self._folder / "w" / "artifacts").glob("problem-*-folds.npy"):
            path.unlink()

    def _fill(self) -> None:
        filler = self._folder / "filler"
        try:
            with filler.open("wb") as file:
                with contextlib.suppress(OSError):
                    while free := shutil.disk_usage(self._folder).free:
                        os.posix_fallocate(file.fileno(), file.seek(0, 2), free)
                        file.seek(0, 2)
                with contextlib.suppress(OSError):
                    while True:
                        file.write(b"x" * 4096)
                        file.flush()
                self._some(1, 6)
        finally:
            filler.unlink(missing_ok=True)

    def _slow_clients(self) -> None:
        held = []
        with contextlib.suppress(OSError):
            for _ in range(120):
                connection = socket.create_connection(("127.0.0.1", self._server().port), timeout=2)
                connection.sendall(
                    self._rng.choice(
                        [
                            b"GET / HTTP/1.1\r\nHo",
                            b"POST /api/v1/problems HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 99\r\n\r\n{",
                        ]
                    )
                )
                held.append(connection)
            self._some(2, 20)
        for connection in held:
            connection.close()

    def _rude_clients(self) -> None:
        noise = [
            self._rng.randbytes(4000), b"GET / HTTP/1.1\r\n" + b"X: y\r\n" * 60_000 + b"\r\n", b"\r\n\r\n", b"\0" * 100,
            b"POST /api/v1/problems HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/json\r\nContent-Length: 200000\r\n\r\n" + b"[" * 200_000,
            b"POST /api/v1/data HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 60000000000\r\n\r\nabc",
        ]  # fmt: skip
        for piece in noise:
            with (
                contextlib.suppress(OSError),
                socket.create_connection(("127.0.0.1", self._server().port), timeout=5) as connection,
            ):
                connection.sendall(piece)
                connection.recv(100)

    def _listeners(self) -> None:
        held = []
        with contextlib.suppress(OSError):
            for _ in range(45):
                connection = socket.create_connection(("127.0.0.1", self._server().port), timeout=5)
                connection.sendall(b"GET /api/v1/events HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n")
                held.append(connection)
            self._some(0.5, 3)
        for connection in held:
            connection.close()
