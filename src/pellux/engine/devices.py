"""The devices of a machine, shared by all searches that run on it: each belongs to one worker at a time."""

from __future__ import annotations

import threading
from collections.abc import Sequence


class DevicePool:
    """Hands devices out and takes them back; safe for many threads."""

    def __init__(self, names: Sequence[str] = ()) -> None:
        self.names = tuple(names)
        self._free = list(self.names)
        self._lock = threading.Lock()
        self._held: dict[tuple[str, int], tuple[str, ...]] = {}

    def take(self, count: int) -> tuple[str, ...] | None:
        """So many devices, the first ones that are free; None when there are not as many."""
        with self._lock:
            if count > len(self._free):
                return None
            taken, self._free = self._free[:count], self._free[count:]
            return tuple(taken)

    def note(self, whose: str, lane: int, devices: Sequence[str]) -> None:
        """Remember which devices a search's lane has, for those who look."""
        with self._lock:
            self._held[whose, lane] = tuple(devices)

    def lanes(self, whose: str) -> dict[int, tuple[str, ...]]:
        """The devices that each lane of a search had last."""
        with self._lock:
            return {lane: devices for (name, lane), devices in self._held.items() if name == whose}

    def give(self, devices: Sequence[str]) -> None:
        """Back, in their old order."""
        with self._lock:
            self._free = sorted({*self._free, *devices}, key=self.names.index)
