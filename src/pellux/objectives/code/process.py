"""Runs a program: hears its lines as they come, ends it when nobody waits any more, and leaves nothing of it behind."""

from __future__ import annotations

import contextlib
import os
import selectors
import signal
import subprocess
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from pellux.objectives.code.descendants import resident_bytes

OUT, ERR = "out", "err"
GRACE = 10.0  # seconds between SIGTERM and SIGKILL
LOOK = 0.05  # seconds between two looks at whether anybody waits
LINGER = 0.25  # seconds that output may still come after the program itself has ended
WEIGH = 0.5  # seconds between two looks at its memory
LONGEST = 65_536  # bytes of one line that are kept
TAIL = 65_536  # bytes of output that are kept


class NotStarted(Exception):
    """The program could not be started; the message is for people."""


@dataclass(frozen=True)
class Ended:
    """How a program ended.

    Attributes
    ----------
    status : int
        Its exit status; minus the signal's number when one ended it.
    told_to : bool
        Whether it was told to end.
    too_large : bool
        Whether it was ended for the memory it took.
    tail : str
        The end of what it printed, both streams as they came.
    """

    status: int
    told_to: bool
    too_large: bool
    tail: str


def run_program(
    arguments: Sequence[str],
    folder: Path,
    environment: Mapping[str, str],
    hear: Callable[[str, str], None],
    look: Callable[[], bool],
    memory_bytes: int | None = None,
    grace: float = GRACE,
) -> Ended:
    """Run it to its end.

    Parameters
    ----------
    hear : function of (stream, line)
        Gets each line of either stream, without its end.
    look : function
        Asked every now and then; true: nobody waits any more.
    memory_bytes : int or None
        What it and all it started may take together, resident.
    """
    try:
        process = subprocess.Popen(
            list(arguments), cwd=folder, env=dict(environment), stdin=subprocess.DEVNULL, stdout=subprocess.PIPE,
            stderr=subprocess.PIPE, process_group=0,
        )  # fmt: skip
    except OSError as error:
        raise NotStarted(_why_not(arguments[0], folder, error)) from None
    watched = _Watched(process, hear, look, memory_bytes, grace)
    try:
        return watched.to_its_end()
    finally:
        _signal_group(process.pid, signal.SIGKILL)
        process.wait()
        with contextlib.suppress(ChildProcessError):  # those of its group that have fallen to us
            while True:
                os.waitpid(-process.pid, 0)
        for stream in (process.stdout, process.stderr):
            assert stream is not None
            stream.close()


class _Watched:
    def __init__(
        self, process: subprocess.Popen[bytes], hear: Callable[[str, str], None], look: Callable[[], bool],
        memory_bytes: int | None, grace: float,
    ) -> None:  # fmt: skip
        self._process, self._hear, self._look = process, hear, look
        self._memory_bytes, self._grace = memory_bytes, grace
        self._lines = {OUT: _Lines(), ERR: _Lines()}
        self._tail = bytearray()
        self._told_at: float | None = None
        self._too_large = False
        self._weighed = time.monotonic()

    def to_its_end(self) -> Ended:
        ended = os.pidfd_open(self._process.pid)
        try:
            with selectors.DefaultSelector() as selector:
                for name, stream in ((OUT, self._process.stdout), (ERR, self._process.stderr)):
                    assert stream is not None
                    os.set_blocking(stream.fileno(), False)
                    selector.register(stream, selectors.EVENT_READ, name)
                selector.register(ended, selectors.EVENT_READ, "")
                self._listen(selector)
        finally:
            os.close(ended)
        for name, lines in self._lines.items():
            for line in lines.rest():
                self._hear(name, line)
        return Ended(
            self._process.wait(), self._told_at is not None, self._too_large, bytes(self._tail[-TAIL:]).decode("utf-8", "replace")
        )

    def _listen(self, selector: selectors.BaseSelector) -> None:
        gone_at: float | None = None
        while len(selector.get_map()) > (1 if gone_at is None else 0):
            if gone_at is not None and time.monotonic() - gone_at > LINGER:
                return  # what it started still holds its output open
            for key, _ in selector.select(LOOK):
                if key.data == "":
                    gone_at = time.monotonic()
                    selector.unregister(key.fileobj)
                elif not self._read(key.fd, key.data):
                    selector.unregister(key.fileobj)
            self._mind(gone_at is not None)
        if gone_at is None:  # it closed its output and goes on
            while not selector.select(LOOK):
                self._mind(False)

    def _read(self, descriptor: int, stream: str) -> bool:
        with contextlib.suppress(BlockingIOError):
            found = os.read(descriptor, 2**18)
            self._tail += found
            if len(self._tail) > 4 * TAIL:
                del self._tail[:-TAIL]
            for line in self._lines[stream].take(found):
                self._hear(stream, line)
            return bool(found)
        return True

    def _mind(self, gone: bool) -> None:
        """End it when nobody waits, when it does not end when told, and when it takes too much."""
        now = time.monotonic()
        if gone:
            return
        if self._told_at is None and self._look():
            self._told_at = now
            _signal_group(self._process.pid, signal.SIGTERM)
        elif self._told_at is not None and now - self._told_at > self._grace:
            _signal_group(self._process.pid, signal.SIGKILL)
        if self._memory_bytes is not None and now - self._weighed > WEIGH:
            self._weighed = now
            if resident_bytes(self._process.pid) > self._memory_bytes:
                self._too_large = True
                _signal_group(self._process.pid, signal.SIGKILL)


class _Lines:
    """Splits bytes into lines; of a line without an end only the beginning is held."""

    def __init__(self) -> None:
        self._open = bytearray()
        self._overlong = False

    def take(self, found: bytes) -> list[str]:
        if not found:
            return []
        *whole, rest = found.replace(b"\r", b"\n").split(b"\n")
        lines = []
        for part in whole:
            self._add(part)
            lines.append(self._open.decode("utf-8", "replace"))
            self._open.clear()
        self._add(rest)
        return [line for line in lines if line]

    def rest(self) -> list[str]:
        return [self._open.decode("utf-8", "replace")] if self._open else []

    def _add(self, part: bytes) -> None:
        room = LONGEST - len(self._open)
        if room > 0:
            self._open += part[:room]


def _signal_group(pid: int, number: int) -> None:
    with contextlib.suppress(ProcessLookupError, PermissionError):
        os.killpg(pid, number)


def _why_not(name: str, folder: Path, error: OSError) -> str:
    if isinstance(error, FileNotFoundError):
        return f"There is no program '{name}'." if folder.is_dir() else f"The folder {folder} is gone."
    if isinstance(error, PermissionError):
        return f"'{name}' may not be executed. Is it a script? Name its interpreter first, such as python {name}."
    return f"'{name}' cannot be started: {error.strerror}."
