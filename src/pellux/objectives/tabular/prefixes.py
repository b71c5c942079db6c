"""Prepared rows that several trials share: kept in this process, and in files that all workers of a search map.

The preparation of a fold depends on its rows and the preparation's settings, not on the learner's. So it is computed once
by whichever worker needs it first; others wait for that one, or go on with their own fold. A file is written under another
name and put into place whole. The oldest are dropped when the budget is full; losing one costs time, never a score.
"""

from __future__ import annotations

import contextlib
import fcntl
import hashlib
import os
from collections import OrderedDict
from collections.abc import Callable, Hashable, Iterator
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

BUDGET = 512 * 2**20
Pair = tuple[NDArray[np.float64], NDArray[np.float64]]


@dataclass
class Prefixes:
    """A cache of (training rows, test rows) by key.

    Attributes
    ----------
    budget : int
        Bytes that may be kept in memory, and as many on disk.
    folder : Path or None
        Where prepared rows are shared with other workers; without it every process keeps its own.
    """

    budget: int = BUDGET
    folder: Path | None = None
    _kept: OrderedDict[Hashable, Pair] = field(default_factory=OrderedDict)
    computed: int = 0

    def get(self, key: Hashable, make: Callable[[], Pair], *, share: bool = True) -> Pair:
        """What is kept under a key, or is made now; with `share` others find it too, which pays where making takes time."""
        if key in self._kept:
            self._kept.move_to_end(key)
            return self._kept[key]
        found = make() if self.folder is None or not share else self._shared(self.folder, key, make)
        self._kept[key] = found
        while len(self._kept) > 1 and sum(_size(pair) for pair in self._kept.values()) > self.budget:
            self._kept.popitem(last=False)
        return found

    def _shared(self, folder: Path, key: Hashable, make: Callable[[], Pair]) -> Pair:
        path = folder / hashlib.sha256(repr(key).encode()).hexdigest()[:32]
        found = _read(path)
        if found is not None:
            return found
        try:
            folder.mkdir(parents=True, exist_ok=True)
            with _alone(path):
                found = _read(path)  # another worker may have made it while this one waited
                return found if found is not None else self._make(folder, path, make)
        except OSError:  # no room to share: each on its own
            return make()

    def _make(self, folder: Path, path: Path, make: Callable[[], Pair]) -> Pair:
        self.computed += 1
        made = make()
        if _size(made) <= self.budget:
            _drop_oldest(folder, self.budget - _size(made))
            _write(path, made)
        return made


def _size(pair: Pair) -> int:
    return pair[0].nbytes + pair[1].nbytes


@contextlib.contextmanager
def _alone(path: Path) -> Iterator[None]:
    lock = os.open(path.with_suffix(".lock"), os.O_RDWR | os.O_CREAT, 0o600)
    try:
        fcntl.flock(lock, fcntl.LOCK_EX)  # let go when its holder dies
        yield
    finally:
        os.close(lock)


def _write(path: Path, pair: Pair) -> None:
    for part, array in zip(("test", "train"), reversed(pair), strict=True):  # the training rows last: they say it is whole
        half = path.with_name(f".{path.name}.{os.getpid()}.npy")
        np.save(half, array)
        half.replace(path.with_suffix(f".{part}.npy"))


def _read(path: Path) -> Pair | None:
    """Mapped, not copied: workers share the pages. The order of the array in memory is kept, so sums come out the same."""
    try:
        train = np.load(path.with_suffix(".train.npy"), mmap_mode="r")
        return np.asarray(train), np.asarray(np.load(path.with_suffix(".test.npy"), mmap_mode="r"))
    except (OSError, ValueError):
        return None


def _drop_oldest(folder: Path, room: int) -> None:
    files = sorted((f.stat().st_mtime, f.stat().st_size, f) for f in folder.glob("*.npy") if not f.name.startswith("."))
    total = sum(size for _, size, _ in files)
    for _, size, file in files:
        if total <= room:
            return
        file.unlink(missing_ok=True)
        total -= size
