"""What runs on a machine of the cluster: a seat, which does the fits of one search, one after another, in a worker of its own.

It is the local runner with one worker, and a line to the server in place of the driver: fits come in and reports go out. It ends with
its server, with its engine's worker, with its line, and after a silence; and ends all that it started.
"""

from __future__ import annotations

import contextlib
import multiprocessing
import os
import queue
import select
import socket
import ssl
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, NamedTuple

import psutil

from pellux.core.errors import disk_is_full
from pellux.core.objective import Elsewhere
from pellux.core.reasons import Reason, because
from pellux.engine.artifacts import FileArtifacts
from pellux.engine.clock import Clock
from pellux.engine.cluster.left_here import LeftHere
from pellux.engine.cluster.machine_files import Damaged, MachineFiles, machine_folder
from pellux.engine.cluster.wire import (
    BEAT_EVERY,
    HEAD,
    PIECE,
    SILENCE,
    Beat,
    Drop,
    End,
    Listed,
    Offer,
    Opening,
    Order,
    Piece,
    Said,
    Trouble,
    Want,
    hello,
    packed,
    unpacked,
)
from pellux.engine.devices import DevicePool
from pellux.engine.messages import CutFit, FitEnded, WorkerLost
from pellux.engine.runners.base import Report
from pellux.engine.runners.local import LocalRunner
from pellux.engine.states import FitState
from pellux.engine.worker import Assignment

LINGER = 5.0  # seconds
AHEAD = 4  # pieces that are asked for before the first has come
OF_THE_MACHINE = ("disk full", "no space said")  # codes of what another machine may not suffer from


class Door(NamedTuple):
    """Where the server listens, and what lets this seat in."""

    host: str
    port: int
    token: str


class Gone(Exception):
    """The server is not there any more, or wants nothing more of this seat."""


class Monotonic(Clock):
    """The machine's own; the server knows how its clock stands to this one."""

    def __init__(self) -> None:
        super().__init__(wall=lambda: 0.0, monotonic=time.monotonic)

    def of(self, monotonic: float) -> float:
        return monotonic


class ServerLine:
    """The connection to the server, as the seat sees it: a thread of its own hears, and sends signs of life."""

    def __init__(self, door: Door, context: ssl.SSLContext | None, alive: Callable[[], bool]) -> None:
        raw = socket.create_connection((door.host, door.port), SILENCE)
        raw.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        self._socket: socket.socket = raw if context is None else context.wrap_socket(raw, server_hostname=door.host)
        self._socket.settimeout(SILENCE)
        self._using, self._alive = threading.Lock(), alive
        self._pieces: queue.SimpleQueue[Piece | None] = queue.SimpleQueue()
        self._messages: queue.SimpleQueue[Any] = queue.SimpleQueue()
        self.gone, self._hung_up = False, threading.Event()
        self.wake: Callable[[], None] = lambda: None
        self._send(hello(door.token))
        threading.Thread(target=self._listen, name="seat-line", daemon=True).start()
        threading.Thread(target=self._beat, name="seat-beats", daemon=True).start()

    def next(self, seconds: float) -> Any:
        """The next message; Gone when none comes, or none can come any more."""
        try:
            message = self._messages.get(timeout=seconds)
        except queue.Empty:
            raise Gone("the server said nothing") from None
        if message is None:
            raise Gone("the server wants nothing of this seat any more")
        return message

    def waiting(self) -> Iterator[Any]:
        with contextlib.suppress(queue.Empty):
            while (message := self._messages.get_nowait()) is not None:
                yield message

    def send(self, *messages: Any) -> None:
        """Gone when it cannot be sent."""
        self._send(packed(messages))

    def send_last(self, *messages: Any) -> None:
        """Send, and wait until the server hangs up: a connection that is closed with something unread takes back what was sent."""
        self.send(*messages)
        self._hung_up.wait(LINGER)

    def _send(self, content: bytes) -> None:
        try:
            with self._using:
                self._socket.sendall(content)
        except OSError as error:
            self.gone = True
            raise Gone(f"the server cannot be reached: {error}") from None

    def fetch(self, what: Listed | Offer, at: int) -> Iterator[bytes]:
        """The pieces of a content from a place on; Damaged when it is not there. Some are under way while one is written."""
        for ahead in range(AHEAD):
            self.send(Want(what, at + ahead * PIECE))
        asked, outstanding, ended, missing = at + AHEAD * PIECE, AHEAD, False, False
        while outstanding:  # each answer is taken, also of what lies beyond the end
            piece = self._piece()
            outstanding -= 1
            if ended or piece.content is None:
                missing, ended = missing or piece.content is None, True
                continue
            yield piece.content
            ended = piece.last
            if not ended:
                self.send(Want(what, asked))
                asked, outstanding = asked + PIECE, outstanding + 1
        if missing:
            raise Damaged("what was to be sent is not there any more")

    def _piece(self) -> Piece:
        piece = self._pieces.get()
        if piece is None:
            raise Gone("the server went while a file came")
        return piece

    def _listen(self) -> None:
        try:
            while not self.gone:
                (size,) = HEAD.unpack(self._received(HEAD.size))
                for message in unpacked(self._received(size)):
                    if isinstance(message, Piece):
                        self._pieces.put(message)
                    elif not isinstance(message, Beat):
                        self._messages.put(message)
                        self.wake()
        except (EOFError, OSError, ValueError):  # ValueError: closed by this side
            pass
        self.gone = True
        self._hung_up.set()
        self._pieces.put(None)
        self._messages.put(None)
        self.wake()

    def _received(self, count: int) -> bytes:
        """So many bytes; OSError or EOFError after a silence, or when the server closed. An encrypted connection is no two threads' at
        once: so its turn is waited for outside of it."""
        parts, missing = list[bytes](), count
        while missing:
            if not self._pending() and not select.select([self._socket], [], [], SILENCE)[0]:
                raise TimeoutError
            with self._using:
                part = self._socket.recv(min(missing, PIECE))
            if not part:
                raise EOFError
            parts.append(part)
            missing -= len(part)
        return b"".join(parts)

    def _pending(self) -> bool:
        """Whether something was received and decrypted already."""
        with self._using:
            return isinstance(self._socket, ssl.SSLSocket) and self._socket.pending() > 0

    def _beat(self) -> None:
        with contextlib.suppress(Gone):
            while not self.gone:
                if not self._alive():
                    self.close()
                    return
                self._send(packed([Beat(time.monotonic())]))
                time.sleep(BEAT_EVERY / 2)

    def close(self) -> None:
        self.gone = True
        with contextlib.suppress(OSError):
            self._socket.shutdown(socket.SHUT_RDWR)
        self._socket.close()


def run_seat(door: Door) -> str:
    """The engine's task: until it is not needed any more; how it ended."""
    from distributed import get_worker

    worker = get_worker()
    multiprocessing.current_process()._config["daemon"] = False  # type: ignore[attr-defined]  # what it starts ends with it by itself
    context = worker.security.get_connection_args("worker")["ssl_context"] if worker.address.startswith("tls://") else None
    limit = worker.memory_manager.memory_limit
    return sit(door, context, lambda: worker.status.name in ("running", "paused"), limit)


def sit(door: Door, context: ssl.SSLContext | None, alive: Callable[[], bool], memory_bytes: int | None) -> str:
    """Do fits until the server says that it is enough, or is gone."""
    try:
        line = ServerLine(door, context, alive)
    except (OSError, Gone) as error:
        return f"the server cannot be reached: {error}"
    try:
        opening: Opening = line.next(SILENCE)
        files = MachineFiles(machine_folder())
        folder = files.lay_down(opening.search, opening.files, line.fetch)
        files.drop_unused()
        Seat(line, opening, folder, memory_bytes).work()
    except Gone as why:
        return str(why)
    except (OSError, Damaged) as error:
        with contextlib.suppress(Gone):
            line.send_last(Trouble(_trouble(error)))
        return str(error)
    finally:
        line.close()
    return "it was not needed any more"


def _trouble(error: Exception) -> Reason:
    if isinstance(error, OSError) and disk_is_full(error):
        return because("disk full", folder=str(machine_folder()))
    return because("error", kind=type(error).__name__, text=str(error))


class Seat:
    """One worker of the local runner's, by the server's orders."""

    def __init__(self, line: ServerLine, opening: Opening, folder: Path, memory_bytes: int | None) -> None:
        self._line = line
        each = opening.memory_bytes or int(0.8 * min(psutil.virtual_memory().total, memory_bytes or 2**63) / opening.seats)
        place = Elsewhere(str(folder / "files"), str(folder / "prefixes"), each if opening.elsewhere else None)
        kept = FileArtifacts(folder / "checkpoints", folder / "fits")
        assignment = Assignment(
            opening.source.moved(place), kept, folder / "logs" / f"seat-{os.getpid()}-{threading.get_ident()}",
            None if opening.elsewhere else each, each=len(opening.devices), seal=opening.seal,
        )  # fmt: skip
        self._left = LeftHere(kept, folder / "versions", line)
        self._runner = LocalRunner(assignment, Monotonic(), DevicePool(opening.devices))
        line.wake = self._runner.wake

    def work(self) -> None:
        """Until it is told to end, its worker is lost, or the server is gone."""
        try:
            self._runner.hire(0, 0)
            while True:
                for message in self._line.waiting():
                    if isinstance(message, End):
                        return
                    self._obey(message)
                if self._line.gone:
                    raise Gone("the server is gone")
                if not self._tell(self._runner.wait(1.0)):
                    return
                self._left.now_and_then()
        finally:
            self._runner.close()

    def _obey(self, message: Any) -> None:
        match message:
            case Order(fit=fit, offers=offers):
                self._left.bring(offers)
                self._left.begin(fit.trial, fit.fold)
                self._runner.start(fit._replace(worker=0))
            case CutFit():
                self._runner.cut(message._replace(worker=0))
            case Drop(trial=trial):
                self._left.forget(trial)

    def _tell(self, reports: list[Report]) -> bool:
        """Pass on what happened; False when there will be nothing more."""
        kept = [self._with_what_it_left(report) for report in reports]
        lost = any(isinstance(report, WorkerLost) for report in reports)
        if kept:
            (self._line.send_last if lost else self._line.send)(Said(kept, time.monotonic()))
        return not lost

    def _with_what_it_left(self, report: Report) -> Report:
        if isinstance(report, FitEnded):
            outcome = report.outcome
            if outcome.state is FitState.LOST and outcome.reason.code in OF_THE_MACHINE:
                self._line.send_last(Trouble(outcome.reason))
                raise Gone("this machine's disk is full")
            self._left.send(report.trial, report.fold)
        return report


def tidy(search: str) -> None:
    """The engine's task when a search is over."""
    MachineFiles(machine_folder()).forget(search)


__all__ = ["Door", "run_seat", "sit", "tidy"]
