"""What a worker does beside a growing fit: tell its scores in batches, and keep checkpoints."""

from __future__ import annotations

import contextlib
import time
from collections.abc import Callable, Sequence
from pathlib import Path

from pellux.engine.model import Points
from pellux.learners.checkpoints import Checkpoints
from pellux.learners.growing import Progress

BATCH = 0.05  # seconds that a point may wait for others
EVERY = 5.0  # seconds of training that a crash may cost


class Telling:
    """Sends the points of a curve, a few at a time."""

    def __init__(self, send: Callable[[Points], None]) -> None:
        self._send = send
        self._waiting: list[tuple[int, float]] = []
        self._last = time.monotonic()

    def point(self, iteration: int, score: float) -> None:
        self._waiting.append((iteration, score))
        if time.monotonic() - self._last >= BATCH:
            self._send(tuple(self._waiting))
            self._waiting, self._last = [], time.monotonic()


class Keeping:
    """The checkpoints of one fit: its own, else that of the nearest ancestor, to begin from; its own to leave behind."""

    def __init__(self, folder: Path | None, trial: int, fold: int, ancestors: Sequence[int]) -> None:
        self._kept = None if folder is None else Checkpoints(folder)
        self._trial, self._fold, self._ancestors = trial, fold, ancestors
        self._last = time.monotonic()
        self.complaints: tuple[str, ...] = ()

    def begin(self) -> Progress:
        """The furthest there is; a new beginning where nothing usable is left."""
        for trial in (self._trial, *self._ancestors) if self._kept else ():
            progress, complaint = self._kept.read(trial, self._fold) if self._kept else (None, "")
            if complaint:
                self.complaints += (complaint,)
            if progress is not None:
                return progress
        return Progress()

    def now_and_then(self, progress: Progress) -> None:
        if time.monotonic() - self._last >= EVERY:
            self.leave(progress)
            self._last = time.monotonic()

    def lay_down(self, progress: Progress) -> None:
        """What was predicted at each iteration of a whole fit, for whoever learns which one counts."""
        if self._kept is not None:
            with contextlib.suppress(OSError):  # the score stands; its predictions are missing then
                self._kept.write_predictions(self._trial, self._fold, progress.predictions)

    def leave(self, progress: Progress) -> int:
        """Write a checkpoint; its bytes. A full disk costs the checkpoint, not the fit."""
        if self._kept is None:
            return 0
        try:
            return self._kept.write(self._trial, self._fold, progress)
        except OSError as error:
            self.complaints += (f"No checkpoint could be written ({error.strerror}); if it goes on, it starts anew.",)
            return 0
