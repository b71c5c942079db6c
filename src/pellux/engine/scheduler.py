"""Which fit goes to which worker: the queue of fits, and the pool of workers that take them.

Folds before trials: a free worker takes the next fit of the oldest trial. Nothing here costs more when there are more workers
or more fits, but for a logarithm.
"""

from __future__ import annotations

import heapq
from collections.abc import Callable

from pellux.engine.model import Fit
from pellux.engine.states import FitState
from pellux.engine.worker_pool import Key, WorkerPool

SHORT_FIT = 0.2  # seconds; below, a worker is handed its next fit before it ends the last, to hide the round trip


class Scheduler:
    """The queue and the pool. `fit_of` looks a fit up by trial and fold."""

    def __init__(self, fit_of: Callable[[Key], Fit]) -> None:
        self.pool = WorkerPool()
        self.queue: list[Key] = []
        self._fit_of = fit_of
        self._fit_seconds: float | None = None

    def push(self, key: Key) -> None:
        heapq.heappush(self.queue, key)

    def next(self) -> Key | None:
        """The next fit that waits and that no worker holds."""
        while self.queue:
            key = heapq.heappop(self.queue)
            if self._fit_of(key).state is FitState.QUEUED and self.pool.holder(key) is None:
                return key
        return None

    def note_seconds(self, seconds: float) -> None:
        """A fit took so long."""
        self._fit_seconds = (self._fit_seconds or seconds) * 0.8 + seconds * 0.2

    @property
    def ahead(self) -> bool:
        """Whether fits are so short that a worker is given the next one before it ends the last."""
        return self._fit_seconds is not None and self._fit_seconds < SHORT_FIT

    @property
    def wants_more(self) -> bool:
        """Whether a worker is free and no fit waits."""
        return not self.queue and self.pool.free(0) is not None
