"""What a machine keeps of the searches whose fits it does: contents by hash, once for all searches, and a folder a search.

A content comes in pieces. One that broke off goes on where it ended; one that came otherwise than its hash says is thrown away. All
seats of a machine, also of several processes, share the folder: whoever needs a content first fetches it, the others wait.
"""

from __future__ import annotations

import contextlib
import fcntl
import os
import shutil
import time
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path

from pellux.engine.cluster.manifest import digest_of
from pellux.engine.cluster.wire import Listed, Offer

UNUSED = 24 * 3600.0  # seconds after which what nobody used goes
Fetch = Callable[[Listed | Offer, int], Iterator[bytes]]


class Damaged(Exception):
    """A content came otherwise than its hash says, or is not there any more."""


def machine_folder() -> Path:
    """By the XDG Base Directory Specification, or as the operator says."""
    told = os.environ.get("PELLUX_MACHINE_FOLDER")
    return Path(told) if told else Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache") / "pellux" / "machine"


class MachineFiles:
    """The folder of this machine."""

    def __init__(self, root: Path) -> None:
        self.root = root
        self._contents, self._searches = root / "contents", root / "searches"
        for folder in (self._contents, self._searches):
            folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        self._checked: set[str] = set()

    def lay_down(self, search: str, files: Sequence[Listed], fetch: Fetch) -> Path:
        """The folder of a search, with its files in `files`; OSError when there is no room, Damaged when one cannot be had."""
        folder = self._searches / search
        for name in ("files", "prefixes", "checkpoints", "fits", "logs"):
            (folder / name).mkdir(parents=True, exist_ok=True)
        os.utime(folder)
        for one in files:
            place = folder / "files" / one.name
            content = self._content(one, fetch)
            if not place.exists() or not place.samefile(content):
                place.parent.mkdir(parents=True, exist_ok=True)
                _link(content, place)
        return folder

    def _content(self, one: Listed, fetch: Fetch) -> Path:
        path = self._contents / f"{one.digest}-{one.mode:o}"
        if path.name in self._checked and path.exists():
            return path
        with _alone(path.with_suffix(".lock")):
            if path.exists() and path.stat().st_size == one.size and digest_of(path) == one.digest:
                os.utime(path)
            else:
                self._fetch(one, path, fetch)
        self._checked.add(path.name)
        return path

    def _fetch(self, one: Listed, path: Path, fetch: Fetch) -> None:
        half = path.with_suffix(".half")
        begun = half.stat().st_size if half.exists() else 0
        if begun > one.size:
            begun = 0
        with half.open("ab" if begun else "wb") as file:
            for piece in fetch(one, begun) if begun < one.size or one.size == 0 else ():
                file.write(piece)
        if digest_of(half) != one.digest:
            half.unlink()
            raise Damaged(f"{one.name} came otherwise than it was sent")
        half.chmod(one.mode | 0o400)
        half.replace(path)

    def forget(self, search: str) -> None:
        shutil.rmtree(self._searches / search, ignore_errors=True)

    def drop_unused(self, now: float | None = None) -> None:
        """Contents and searches that nobody used for a day."""
        before = (time.time() if now is None else now) - UNUSED
        for path in [*self._contents.iterdir(), *self._searches.iterdir()]:
            with contextlib.suppress(OSError):
                if path.stat().st_mtime < before:
                    shutil.rmtree(path) if path.is_dir() else path.unlink()


@contextlib.contextmanager
def _alone(path: Path) -> Iterator[None]:
    lock = os.open(path, os.O_RDWR | os.O_CREAT, 0o600)
    try:
        fcntl.flock(lock, fcntl.LOCK_EX)
        yield
    finally:
        os.close(lock)


def _link(content: Path, place: Path) -> None:
    half = place.with_name(f".{place.name}.{os.getpid()}")
    half.unlink(missing_ok=True)
    try:
        os.link(content, half)
    except OSError:  # a disk without links
        shutil.copy2(content, half)
    half.replace(place)
