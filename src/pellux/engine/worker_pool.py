"""The workers of a search: which are free, and who holds which fit. Every question costs the same for 10 and 10,000."""

from __future__ import annotations

import heapq
from collections.abc import Iterator
from dataclasses import dataclass, field

Key = tuple[int, int]  # trial number, fold
MOST_HELD = 2


@dataclass(slots=True)
class Worker:
    lane: int
    ready: bool = False
    fits: list[Key] = field(default_factory=list)


class WorkerPool:
    """Workers by number. A worker holds the fit it runs and at most one that comes next."""

    def __init__(self) -> None:
        self.workers: dict[int, Worker] = {}
        self._next = 0
        self._lanes: list[int] = []  # lanes given back, lowest first
        self._new_lane = 0
        self._holders: dict[Key, int] = {}
        self._on: dict[int, int] = {}  # lanes, and who is on them
        # By how many fits a worker holds: a heap of candidates, of which some are out of date.
        self._with: list[list[int]] = [[] for _ in range(MOST_HELD)]

    def __len__(self) -> int:
        return len(self.workers)

    def hire(self) -> tuple[int, int]:
        """A further worker: its number and lane."""
        lane = heapq.heappop(self._lanes) if self._lanes else self._new_lane
        self._new_lane = max(self._new_lane, lane + 1)
        number = self._next
        self._next += 1
        self.workers[number] = Worker(lane)
        self._on[lane] = number
        return number, lane

    def remove(self, number: int) -> Worker | None:
        worker = self.workers.pop(number, None)
        if worker is not None:
            heapq.heappush(self._lanes, worker.lane)
            self._on.pop(worker.lane, None)
            for key in worker.fits:
                self._holders.pop(key, None)
        return worker

    def ready(self, number: int) -> None:
        if number in self.workers:
            self.workers[number].ready = True
            self._offer(number)

    def hold(self, number: int, key: Key) -> None:
        self.workers[number].fits.append(key)
        self._holders[key] = number
        self._offer(number)

    def release(self, number: int, key: Key) -> None:
        self.workers[number].fits.remove(key)
        self._holders.pop(key, None)
        self._offer(number)

    def holder(self, key: Key) -> int | None:
        return self._holders.get(key)

    def _offer(self, number: int) -> None:
        held = len(self.workers[number].fits)
        if held < MOST_HELD:
            heapq.heappush(self._with[held], number)

    def free(self, held: int) -> int | None:
        """A ready worker that holds exactly so many fits, the lowest number first."""
        heap = self._with[held]
        while heap:
            worker = self.workers.get(heap[0])
            if worker is not None and worker.ready and len(worker.fits) == held:
                return heap[0]
            heapq.heappop(heap)
        return None

    def free_on(self, lane: int | None, held: int) -> int | None:
        """The worker on a lane, if it is ready and holds exactly so many fits."""
        number = None if lane is None else self._on.get(lane)
        worker = None if number is None else self.workers[number]
        return number if worker is not None and worker.ready and len(worker.fits) == held else None

    def idle_last_first(self) -> Iterator[int]:
        """Workers without a fit, those of the highest lanes first."""
        for number, worker in sorted(self.workers.items(), key=lambda item: -item[1].lane):
            if not worker.fits:
                yield number
