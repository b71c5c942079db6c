"""What has to be true after everything that was done to a server."""

from __future__ import annotations

import sqlite3
import time
from collections import Counter
from contextlib import closing
from pathlib import Path
from typing import Any

import psutil


class Broken(AssertionError):
    """A promise that was not kept."""


def results(path: Path, search: int) -> list[tuple[Any, ...]]:
    """Trials of a search by number: configuration, state and scores. The baseline is scored by the first search alone."""
    wanted = (
        "SELECT number, configuration, state, scores, rung FROM trial WHERE search_id = ? AND origin != 'baseline' ORDER BY number"
    )
    with closing(sqlite3.connect(path, timeout=30)) as connection:
        return connection.execute(wanted, (search,)).fetchall()


def differing(one: list[tuple[Any, ...]], other: list[tuple[Any, ...]]) -> str:
    """The first trial that differs, in both; empty when none does."""
    found = [f"{a} was, {b} is" for a, b in zip(one, other, strict=False) if a != b]
    return found[0] if found else "" if len(one) == len(other) else f"{len(one)} trials were, {len(other)} are"


def none_twice(path: Path, search: int) -> int:
    """Fits that were scored: of each rung once. Broken where one was scored again."""
    keys = ", ".join(f"json_extract(payload, '$.{key}')" for key in ("trial", "fold", "rung"))
    where = "search_id = ? AND kind = 'fit' AND json_extract(payload, '$.state') = 'done'"
    with closing(sqlite3.connect(path, timeout=30)) as connection:
        found = Counter(connection.execute(f"SELECT {keys} FROM ledger WHERE {where}", (search,)))
    twice = {key: count for key, count in found.items() if count > 1}
    if twice:
        raise Broken(f"search {search}: scored fits were run again: {twice}")
    return len(found)


class Known:
    """Every scored fit that was ever seen; none may be gone or be another."""

    def __init__(self) -> None:
        self._fits: dict[tuple[int, int, int, int], float] = {}

    def look(self, path: Path) -> None:
        with closing(sqlite3.connect(path, timeout=30)) as connection:
            rows = connection.execute("SELECT search_id, trial, fold, rung, score FROM fit WHERE state = 'done'").fetchall()
        now = {row[:4]: row[4] for row in rows}
        for key, score in self._fits.items():
            if now.get(key) != score:
                raise Broken(f"the scored fit {key} was {score}, and is {now.get(key)} now")
        self._fits = now


def whole(path: Path) -> int:
    """Integrity, and a ledger without gaps; how many entries it has."""
    with closing(sqlite3.connect(path, timeout=30)) as connection:
        if (said := connection.execute("PRAGMA integrity_check").fetchone()) != ("ok",):
            raise Broken(f"the database: {said}")
        count, newest = connection.execute("SELECT count(*), max(id) FROM ledger").fetchone()
    if count != newest:
        raise Broken(f"the ledger has {count} entries, and the newest is number {newest}")
    return int(count)


def gone(processes: list[psutil.Process], seconds: float = 15) -> None:
    """Everything that a killed server had started ends by itself."""
    _, alive = psutil.wait_procs(processes, timeout=seconds)
    left = [p for p in alive if p.is_running() and p.status() != psutil.STATUS_ZOMBIE]
    if left:
        raise Broken(f"processes of a killed server are still there: {[(p.pid, p.name()) for p in left]}")


def size(pid: int) -> tuple[float, int]:
    """Megabytes of a process' own memory, and its open descriptors."""
    process = psutil.Process(pid)
    return process.memory_full_info().uss / 2**20, process.num_fds()


def within(what: str, seconds: float, begun: float) -> None:
    if time.monotonic() - begun > seconds:
        raise Broken(f"{what} within {seconds:.0f} s")
