"""What the fits of a search leave behind: checkpoints, predictions, kept files; as bytes under a name, by trial and fold.

Whoever holds an `Artifacts` never asks where they are: in a folder of this machine, in memory, or with a worker elsewhere.
"""

from __future__ import annotations

import os
import shutil
from collections.abc import Collection
from dataclasses import dataclass, field
from pathlib import Path
from typing import Protocol

CHECKPOINT, PREDICTIONS = "checkpoint", "predictions"


class Artifacts(Protocol):
    """The contract; `put` and `get` are what a fit is given of it (core/objective.py, Kept)."""

    def put(self, trial: int, fold: int, name: str, content: bytes) -> int: ...

    def get(self, trial: int, fold: int, name: str) -> bytes | None: ...

    def forget(self, trial: int | None) -> None:
        """Remove a trial's, or all there are."""
        ...

    def keep_only(self, trials: Collection[int]) -> None:
        """Remove what a search that was killed had no time to remove."""
        ...

    def sizes(self, name: str) -> dict[int, dict[int, int]]:
        """Bytes by trial and fold."""
        ...


@dataclass(frozen=True)
class FileArtifacts:
    """In a folder, a file each, replaced whole."""

    folder: Path

    def put(self, trial: int, fold: int, name: str, content: bytes) -> int:
        self.folder.mkdir(parents=True, exist_ok=True)
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

    def forget(self, trial: int | None) -> None:
        if trial is None:
            shutil.rmtree(self.folder, ignore_errors=True)
            return
        for path in self.folder.glob(f"{trial}-*"):
            path.unlink(missing_ok=True)

    def keep_only(self, trials: Collection[int]) -> None:
        wanted = {str(trial) for trial in trials}
        for path in self.folder.glob("*-*"):
            if path.name.split("-")[0] not in wanted:
                path.unlink(missing_ok=True)

    def sizes(self, name: str) -> dict[int, dict[int, int]]:
        found: dict[int, dict[int, int]] = {}
        for path in self.folder.glob(f"[0-9]*.{name}"):
            trial, fold = path.stem.split("-")
            found.setdefault(int(trial), {})[int(fold)] = path.stat().st_size
        return found

    def _path(self, trial: int, fold: int, name: str) -> Path:
        return self.folder / f"{trial}-{fold}.{name}"


@dataclass
class MemoryArtifacts:
    """In memory: for a rehearsal, of which nothing is kept, and for tests."""

    held: dict[tuple[int, int, str], bytes] = field(default_factory=dict)

    def put(self, trial: int, fold: int, name: str, content: bytes) -> int:
        self.held[trial, fold, name] = content
        return len(content)

    def get(self, trial: int, fold: int, name: str) -> bytes | None:
        return self.held.get((trial, fold, name))

    def forget(self, trial: int | None) -> None:
        for key in [key for key in self.held if trial is None or key[0] == trial]:
            del self.held[key]

    def keep_only(self, trials: Collection[int]) -> None:
        for key in [key for key in self.held if key[0] not in trials]:
            del self.held[key]

    def sizes(self, name: str) -> dict[int, dict[int, int]]:
        found: dict[int, dict[int, int]] = {}
        for (trial, fold, its), content in self.held.items():
            if its == name:
                found.setdefault(trial, {})[fold] = len(content)
        return found
