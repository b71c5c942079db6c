"""One computation in a process of its own: neither the server nor the workers wait for it, and it can be ended."""

from __future__ import annotations

import contextlib
import os
import signal
import traceback
from collections.abc import Callable
from multiprocessing.connection import Connection
from typing import Any

from pellux.core.errors import PelluxError
from pellux.engine.one_thread import one_thread
from pellux.engine.parent_death import tie
from pellux.engine.processes import prepare

NICE = 3


class BackgroundFailed(Exception):
    """The computation raised; the message is for people, `trace` for the log."""

    def __init__(self, message: str, trace: str = "") -> None:
        super().__init__(message)
        self.trace = trace


class BackgroundProcess:
    """Starts at once; `result` waits. The function and its arguments are pickled, so the function stands in a module."""

    def __init__(self, function: Callable[..., Any], *arguments: Any) -> None:
        context = prepare()
        self._pipe, theirs = context.Pipe(duplex=False)
        listening, self._parent_end = context.Pipe(duplex=False)
        self._process = context.Process(target=_main, args=(theirs, listening, function, arguments), daemon=True)
        self._process.start()
        theirs.close()
        listening.close()

    @property
    def pid(self) -> int | None:
        found: int | None = self._process.pid
        return found

    def result(self) -> Any:
        """What the function returned; BackgroundFailed when it raised or its process died."""
        try:
            kind, found, trace = self._pipe.recv()
        except (EOFError, OSError):
            raise BackgroundFailed("The process that computed this was killed. Was there too little memory?") from None
        finally:
            self.end()
        if kind == "error":
            raise BackgroundFailed(found, trace)
        return found

    def end(self) -> None:
        with contextlib.suppress(OSError):
            self._pipe.close()
            self._parent_end.close()
        if self._process.pid is not None and self._process.is_alive():
            with contextlib.suppress(ProcessLookupError, PermissionError):
                os.kill(self._process.pid, signal.SIGKILL)
        self._process.join(5)


def _main(pipe: Connection, parent_end: Connection, function: Callable[..., Any], arguments: tuple[Any, ...]) -> None:
    tie(parent_end.fileno())
    os.nice(NICE)
    with contextlib.suppress(OSError):
        try:
            with one_thread():
                found = function(*arguments)
            pipe.send(("found", found, ""))
        except PelluxError as refusal:
            pipe.send(("error", refusal.message, ""))
        except Exception as error:
            pipe.send(("error", f"{type(error).__name__}: {error}", traceback.format_exc()))
