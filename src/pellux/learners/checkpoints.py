"""Checkpoints: what a growing fit leaves in the workspace to go on from. One file a fit, replaced whole.

A file is the SHA-256 of its content and the content; one that is damaged or gone means starting anew, not failing.
"""

from __future__ import annotations

import hashlib
import os
import pickle
import shutil
from collections.abc import Collection, Mapping
from dataclasses import dataclass
from pathlib import Path

from pellux.learners.growing import Progress

DIGEST = 32


@dataclass(frozen=True)
class Checkpoints:
    """The checkpoints of one search."""

    folder: Path

    def path(self, trial: int, fold: int) -> Path:
        return self.folder / f"{trial}-{fold}.checkpoint"

    def write(self, trial: int, fold: int, progress: Progress) -> int:
        """Bytes written. OSError when the disk is full; what was there before stays."""
        content = pickle.dumps(progress, protocol=5)
        self.folder.mkdir(parents=True, exist_ok=True)
        path = self.path(trial, fold)
        half = path.with_name(f".{path.name}.{os.getpid()}")
        try:
            half.write_bytes(hashlib.sha256(content).digest() + content)
            half.replace(path)
        finally:
            half.unlink(missing_ok=True)
        return len(content) + DIGEST

    def read(self, trial: int, fold: int) -> tuple[Progress | None, str]:
        """What there is to go on from, and a complaint when it cannot be used."""
        path = self.path(trial, fold)
        try:
            found = path.read_bytes()
        except FileNotFoundError:
            return None, ""
        except OSError as error:
            return None, f"Its checkpoint could not be read ({error.strerror}); it was trained anew."
        if hashlib.sha256(found[DIGEST:]).digest() != found[:DIGEST]:
            return None, "Its checkpoint was damaged; it was trained anew."
        progress: Progress = pickle.loads(found[DIGEST:])
        return progress, ""

    def write_predictions(self, trial: int, fold: int, predictions: Mapping[int, bytes]) -> None:
        """Lay down what was predicted at each iteration: which one counts is known once all folds are done."""
        self.folder.mkdir(parents=True, exist_ok=True)
        self._predictions(trial, fold).write_bytes(pickle.dumps(dict(predictions), protocol=5))

    def read_predictions(self, trial: int, fold: int, iteration: int) -> bytes | None:
        """What was predicted at an iteration; None when it is not there any more."""
        try:
            found: dict[int, bytes] = pickle.loads(self._predictions(trial, fold).read_bytes())
        except (OSError, pickle.UnpicklingError, EOFError):
            return None
        return found.get(iteration)

    def _predictions(self, trial: int, fold: int) -> Path:
        return self.folder / f"{trial}-{fold}.predictions"

    def forget(self, trial: int | None) -> None:
        """Remove a trial's files, or all there are."""
        if trial is None:
            shutil.rmtree(self.folder, ignore_errors=True)
            return
        for path in self.folder.glob(f"{trial}-*"):
            path.unlink(missing_ok=True)

    def keep_only(self, trials: Collection[int]) -> None:
        """Remove what a search that was killed had no time to remove."""
        for path in self.folder.glob("*-*"):
            if path.name.split("-")[0] not in {str(trial) for trial in trials}:
                path.unlink(missing_ok=True)

    def sizes(self) -> dict[int, dict[int, int]]:
        """Bytes by trial and fold."""
        found: dict[int, dict[int, int]] = {}
        for path in self.folder.glob("[0-9]*.checkpoint"):
            trial, fold = path.stem.split("-")
            found.setdefault(int(trial), {})[int(fold)] = path.stat().st_size
        return found
