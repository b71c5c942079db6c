"""What the fits of a search leave behind: checkpoints, predictions, kept files; as bytes under a name, by trial and fold.

Whoever holds an `Artifacts` never asks where they are: in a folder of this machine, in memory, or with a worker elsewhere.
"""

from __future__ import annotations

import os
import shutil
import tempfile
from collections.abc import Collection, Iterator
from contextlib import AbstractContextManager, contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Protocol

CHECKPOINT, PREDICTIONS = "checkpoint", "predictions"
KEEP = "keep"  # in a fit's folder, what outlives the search


class Artifacts(Protocol):
    """The contract; `put`, `get` and `folder` are what a fit is given of it (core/objective.py, Kept)."""

    def put(self, trial: int, fold: int, name: str, content: bytes) -> int: ...

    def get(self, trial: int, fold: int, name: str) -> bytes | None: ...

    def folder(self, trial: int, fold: int) -> AbstractContextManager[str]: ...

    def forget(self, trial: int | None) -> None:
        """Remove a trial's, or all there are; of folders all but what they keep."""
        ...

    def keep_only(self, trials: Collection[int], known: int) -> None:
        """Remove what a search that was killed had no time to remove. Of `known` trials it had written down that they are there;
        folders of later ones stay: whoever goes on in them looks whose they are."""
        ...

    def sizes(self, name: str) -> dict[int, dict[int, int]]:
        """Bytes by trial and fold."""
        ...


@dataclass(frozen=True)
class FileArtifacts:
    """In a folder, a file each, replaced whole; folders of fits in `fits`, which outlives the search."""

    checkpoints: Path
    fits: Path

    def put(self, trial: int, fold: int, name: str, content: bytes) -> int:
        self.checkpoints.mkdir(parents=True, exist_ok=True)
        path = self._path(trial, fold, name)
        half = path.with_name(f".{path.name}.{os.getpid()}")
        try:
            half.write_bytes(content)
            half.replace(path)
        finally:
            half.unlink(missing_ok=True)
        return len(content)

    def get(self, trial: int, fold: int, name: str) -> bytes | None:
        try:
            return self._path(trial, fold, name).read_bytes()
        except FileNotFoundError:
            return None

    @contextmanager
    def folder(self, trial: int, fold: int) -> Iterator[str]:
        path = self.fits / f"{trial}-{fold}"
        path.mkdir(parents=True, exist_ok=True)
        yield str(path)

    def state(self, trial: int, fold: int, name: str) -> tuple[Any, ...]:
        """Another one after each change of what is kept under a name, or in the fit's folder where the name is empty."""
        if name:
            return _stat(self._path(trial, fold, name))
        found: list[Any] = []
        for place, folders, files in os.walk(self.fits / f"{trial}-{fold}"):
            folders.sort()
            found += [(file, _stat(Path(place, file))) for file in sorted(files)]
        return tuple(found)

    def forget(self, trial: int | None) -> None:
        for path in self.checkpoints.glob("*-*" if trial is None else f"{trial}-*"):
            path.unlink(missing_ok=True)
        for path in self.fits.glob("*-*" if trial is None else f"{trial}-*"):
            _but_kept(path)

    def keep_only(self, trials: Collection[int], known: int) -> None:
        wanted = {str(trial) for trial in trials}
        for path in self.checkpoints.glob("*-*"):
            if path.name.split("-")[0] not in wanted:
                path.unlink(missing_ok=True)
        for path in self.fits.glob("*-*"):
            trial = path.name.split("-")[0]
            if trial not in wanted and int(trial) < known:
                _but_kept(path)

    def sizes(self, name: str) -> dict[int, dict[int, int]]:
        found: dict[int, dict[int, int]] = {}
        for path in self.checkpoints.glob(f"[0-9]*.{name}"):
            trial, fold = path.stem.split("-")
            found.setdefault(int(trial), {})[int(fold)] = path.stat().st_size
        for path in self.fits.glob("*-*") if name == CHECKPOINT else ():
            if size := folder_bytes(path):
                trial, fold = path.name.split("-")
                found.setdefault(int(trial), {})[int(fold)] = size
        return found

    def _path(self, trial: int, fold: int, name: str) -> Path:
        return self.checkpoints / f"{trial}-{fold}.{name}"


def _stat(path: Path) -> tuple[int, ...]:
    try:
        about = path.stat()
    except OSError:
        return ()
    return about.st_mtime_ns, about.st_size, about.st_ino


def folder_bytes(folder: Path) -> int:
    """What the files of a fit's folder take, but for what it keeps."""
    total = 0
    for place, folders, files in os.walk(folder):
        if Path(place) == folder and KEEP in folders:
            folders.remove(KEEP)
        for name in files:
            try:
                total += os.lstat(os.path.join(place, name)).st_size
            except OSError:  # a program is writing there
                continue
    return total


def _but_kept(folder: Path) -> None:
    """Empty a fit's folder but for what it keeps; nothing stays of one that keeps nothing."""
    for path in folder.iterdir() if folder.is_dir() else ():
        if path.is_dir() and not path.is_symlink():
            if path.name != KEEP or not any(path.iterdir()):
                shutil.rmtree(path, ignore_errors=True)
        else:
            path.unlink(missing_ok=True)
    try:
        folder.rmdir()
    except OSError:
        return


@dataclass
class MemoryArtifacts:
    """In memory: for a rehearsal, of which nothing is kept, and for tests."""

    held: dict[tuple[int, int, str], bytes] = field(default_factory=dict)
    folders: dict[tuple[int, int], Path] = field(default_factory=dict)

    def put(self, trial: int, fold: int, name: str, content: bytes) -> int:
        self.held[trial, fold, name] = content
        return len(content)

    def get(self, trial: int, fold: int, name: str) -> bytes | None:
        return self.held.get((trial, fold, name))

    @contextmanager
    def folder(self, trial: int, fold: int) -> Iterator[str]:
        if (trial, fold) not in self.folders:
            self.folders[trial, fold] = Path(tempfile.mkdtemp(prefix="pellux-fit-"))
        yield str(self.folders[trial, fold])

    def forget(self, trial: int | None) -> None:
        for place in [place for place in self.folders if trial is None or place[0] == trial]:
            shutil.rmtree(self.folders.pop(place), ignore_errors=True)
        for key in [key for key in self.held if trial is None or key[0] == trial]:
            del self.held[key]

    def keep_only(self, trials: Collection[int], known: int) -> None:
        for key in [key for key in self.held if key[0] not in trials]:
            del self.held[key]

    def sizes(self, name: str) -> dict[int, dict[int, int]]:
        found: dict[int, dict[int, int]] = {}
        for (trial, fold, its), content in self.held.items():
            if its == name:
                found.setdefault(trial, {})[fold] = len(content)
        return found
