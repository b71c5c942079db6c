"""The lock of the one engine that may use a workspace; who makes or upgrades its database holds it meanwhile, too.

A file lock: whoever holds it loses it by dying. The file says who that is and how to be reached.
"""

from __future__ import annotations

import fcntl
import json
import os
import time
from pathlib import Path
from typing import Any

from pellux.core.errors import WorkspaceError

UPGRADING = "upgrading"  # said by a holder that lets go by itself, and soon
PATIENCE = 60.0  # seconds that an upgrade by another process is waited for
LOOK = 0.02
SURE = 10  # looks in a row: whoever has just taken the lock has not said yet who it is


class EngineHeld(WorkspaceError):
    """Another process runs this workspace's engine; `holder` says which."""

    code = "engine-held"

    def __init__(self, folder: Path, holder: dict[str, Any]) -> None:
        self.holder = holder
        where = f" at {holder['url']}" if holder.get("url") else ""
        super().__init__(f"Process {holder.get('pid', '?')}{where} holds the workspace {folder}.")


class EngineLock:
    """Held from `take` or `try_to_take` until `release`, or until the process ends, however it ends."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._file: int | None = None
        self.holder: dict[str, Any] = {}  # whoever had it when it could not be taken

    def try_to_take(self, **about: Any) -> bool:
        """Take the lock; False when another holds it, and then `holder` tells who."""
        file = os.open(self._folder / "engine.lock", os.O_RDWR | os.O_CREAT, 0o600)
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            self.holder = _read(file)
            os.close(file)
            return False
        self._file = file
        self.tell(**about)
        return True

    def take(self, **about: Any) -> None:
        """Take the lock, or raise EngineHeld; an upgrade that is under way is waited for."""
        until, stays = time.monotonic() + PATIENCE, 0
        while not self.try_to_take(**about):
            stays = 0 if self.holder.get(UPGRADING) else stays + 1
            if stays > SURE or time.monotonic() > until:
                raise EngineHeld(self._folder, self.holder)
            time.sleep(LOOK)

    def tell(self, **about: Any) -> None:
        """Leave word for others: who holds the engine and where to reach it."""
        if self._file is not None:
            os.ftruncate(self._file, 0)
            os.pwrite(self._file, json.dumps({"pid": os.getpid(), **about}).encode(), 0)

    def release(self) -> None:
        if self._file is not None:
            os.ftruncate(self._file, 0)  # who takes it next is not mistaken for this one
            os.close(self._file)
            self._file = None


def _read(file: int) -> dict[str, Any]:
    """What the holder has written; nothing while it is just about to."""
    try:
        found = json.loads(os.pread(file, 4096, 0))
    except ValueError:
        return {UPGRADING: True}
    return found if isinstance(found, dict) else {}
