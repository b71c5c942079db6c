"""Time that goes on evenly: neither a clock that is set nor a machine that slept changes a duration, a limit or a budget."""

from __future__ import annotations

import time
from collections.abc import Callable

LEAP = 1.0  # seconds by which people's clock may differ before it is said to have been set


class Clock:
    """Seconds since 1970-01-01 as they were when it was made, and from there on by the machine's monotonic clock.

    Parameters
    ----------
    not_before : float
        The newest time that is written down already: what comes later is later, also where people's clock was set back between.
    """

    def __init__(
        self, not_before: float = 0.0, wall: Callable[[], float] = time.time, monotonic: Callable[[], float] = time.monotonic
    ) -> None:
        self._wall, self._monotonic = wall, monotonic
        self._zero = monotonic()
        self._begun = max(wall(), not_before)
        self._ahead = 0.0

    def __call__(self) -> float:
        return self.of(self._monotonic())

    def of(self, monotonic: float) -> float:
        """When the monotonic clock of this machine, which all of its processes share, showed this."""
        return self._begun + monotonic - self._zero

    def shown(self, at: float) -> float:
        """A time for people: theirs where it has leapt forward, never earlier than what was shown before."""
        if at < self._begun:  # written down by an earlier process
            return at
        leapt = self._wall() - self()
        if leapt > self._ahead + LEAP:
            self._ahead = leapt
        return at + self._ahead

    def people(self) -> float:
        """What time it is, for people."""
        return self.shown(self())
