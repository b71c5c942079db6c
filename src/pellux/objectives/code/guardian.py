"""Ends what people's programs started, also what left its process group, however the worker that ran them ended.

While the worker lives it is the one to whom orphans fall, and it ends those of its programs after each fit. When it dies, a process that
it forked for this, and that is in nobody's group, ends everything that carries the worker's token in its environment.
"""

from __future__ import annotations

import contextlib
import ctypes
import os
import secrets
import signal
import time
from pathlib import Path

from pellux.objectives.code.descendants import children

VARIABLE = "PELLUX_WORKER"
SET_CHILD_SUBREAPER = 36  # of prctl(2)
ROUNDS, PAUSE = 100, 0.02  # how often the dead worker's processes are looked for: they may fork while they are ended


class Guardian:
    """Begins at once, in the worker; `token` goes into the environment of all that it starts."""

    def __init__(self) -> None:
        self.token = secrets.token_hex(12)
        ctypes.CDLL(None, use_errno=True).prctl(SET_CHILD_SUBREAPER, 1, 0, 0, 0)
        reading, self._held = os.pipe()
        self._pid = os.fork()
        if self._pid == 0:
            _guard(reading, self.token)
        os.close(reading)

    def sweep(self) -> int:
        """End the orphans of the fit before; how many there were."""
        ended, quiet = 0, 0
        for _ in range(ROUNDS):
            orphans = [pid for pid in children(os.getpid()) if pid != self._pid and _carries(pid, self.token)]
            quiet = 0 if orphans else quiet + 1
            if quiet == 2:  # the kernel's list of children may miss one while others come and go
                break
            for pid in orphans:
                ended += _end_tree(pid)
                with contextlib.suppress(ChildProcessError):
                    os.waitpid(pid, 0)
        return ended

    def close(self) -> None:
        """Let it go: it ends what is left, then itself."""
        os.close(self._held)
        with contextlib.suppress(ChildProcessError):
            os.waitpid(self._pid, 0)


def _guard(reading: int, token: str) -> None:
    """The guardian's whole life; it never returns."""
    try:
        os.setsid()
        for number in (signal.SIGTERM, signal.SIGINT, signal.SIGHUP):
            signal.signal(number, signal.SIG_IGN)
        nothing = os.open(os.devnull, os.O_RDWR)
        for descriptor in (0, 1, 2):
            os.dup2(nothing, descriptor)
        os.dup2(reading, 3)
        os.closerange(4, 65_536)
        os.read(3, 1)  # ends when the worker does
        end_all(token)
    finally:
        os._exit(0)


def end_all(token: str) -> None:
    """End every process with this token in its environment, and what these start meanwhile."""
    quiet = 0
    for _ in range(ROUNDS):
        found = carrying(token)
        for pid in found:
            with contextlib.suppress(OSError):
                os.kill(pid, signal.SIGKILL)
        quiet = 0 if found else quiet + 1
        if quiet == 2:
            break
        time.sleep(PAUSE)


def carrying(token: str) -> list[int]:
    """Processes with this token in their environment, but for this one."""
    pids = [int(entry.name) for entry in Path("/proc").iterdir() if entry.name.isdigit()]
    return [pid for pid in pids if pid != os.getpid() and _carries(pid, token)]


def _carries(pid: int, token: str) -> bool:
    try:
        return f"{VARIABLE}={token}".encode() in Path(f"/proc/{pid}/environ").read_bytes().split(b"\0")
    except OSError:
        return False


def _end_tree(pid: int) -> int:
    ended = sum(_end_tree(child) for child in children(pid))
    with contextlib.suppress(OSError):
        os.kill(pid, signal.SIGKILL)
    return ended + 1
