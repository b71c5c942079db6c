"""Searches that paused because something was gone go on by themselves when it is there again."""

from __future__ import annotations

import contextlib
import logging
import shutil
import threading
import time
from collections.abc import Callable
from pathlib import Path

from pellux.core.errors import FileGone
from pellux.core.reasons import Reason
from pellux.service.problems.framing import bring_back_folds
from pellux.service.wording import sentence
from pellux.service.workspace import Workspace
from pellux.store import ledger, problems, runs
from pellux.store.records import Search

log = logging.getLogger("pellux.engine")
LOOK = 1.0  # seconds between two looks
LONGEST = 60.0  # seconds until a search that paused again is tried again
ENOUGH = 200 * 2**20  # free bytes with which a full disk counts as mended


def mended(reason: Reason) -> bool:
    """Whether what a search waits for is there again; False for what only a person can say."""
    if reason.code == "file gone":
        return Path(reason.facts["file"]).exists()
    if reason.code in ("disk full", "no space said"):
        try:
            return shutil.disk_usage(reason.facts["folder"]).free >= ENOUGH
        except OSError:
            return False
    return False


def pause(workspace: Workspace, search: Search, reason: Reason) -> None:
    """Pause a search that no driver runs."""
    with workspace.database.write() as session:
        runs.put_search(session, search.id, state="paused", reason=reason)
        entry: ledger.SearchChanged = {
            "problem_id": search.problem_id, "run": search.kind, "state": "paused", "reason": sentence(reason),  # type: ignore[typeddict-item]
            "active_seconds": search.active_seconds, "workers": search.workers,
        }  # fmt: skip
        ledger.append(session, [ledger.New(workspace.clock(), search.id, "search", entry)])


class Mender(threading.Thread):
    """Looks now and then at what paused searches wait for, and calls `go_on` with those that can go on."""

    def __init__(self, workspace: Workspace, go_on: Callable[[int], None]) -> None:
        super().__init__(name="mender", daemon=True)
        self._workspace, self._go_on = workspace, go_on
        self._closing, self._beginning = threading.Event(), threading.Lock()
        self._next: dict[int, tuple[float, float]] = {}  # of searches that went on: when they may again, and the pause after that

    def begin(self) -> None:
        """From now on; once is enough."""
        with self._beginning:
            if not self.is_alive() and not self._closing.is_set():
                self.start()

    def run(self) -> None:
        while not self._closing.wait(LOOK):
            try:
                self.look()
            except Exception:  # the database may be locked now; another look follows
                log.debug("A look at paused searches failed", exc_info=True)

    def look(self) -> None:
        with self._workspace.database.read() as session:
            waiting = runs.paused(session)
        for search in waiting:
            if search.reason.code == "file gone":
                self._bring_back(search)
            due, pause_then = self._next.get(search.id, (0.0, LOOK))
            if time.monotonic() >= due and self._mended(search.reason):
                self._next[search.id] = (time.monotonic() + pause_then, min(2 * pause_then, LONGEST))
                log.info("Search %s goes on: %s", search.id, sentence(search.reason))
                self._go_on(search.id)

    def _mended(self, reason: Reason) -> bool:
        if reason.code == "cluster gone":
            return self._workspace.clusters.there(reason.facts["cluster"])
        return mended(reason)

    def _bring_back(self, search: Search) -> None:
        """What can be made again is: the folds, of the data, if these are there."""
        with self._workspace.database.read() as session:
            problem = problems.get_problem(session, search.problem_id)
        with contextlib.suppress(FileGone):
            bring_back_folds(self._workspace, problem)

    def close(self) -> None:
        self._closing.set()
