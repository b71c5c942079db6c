"""Wakes readers of the event stream when the ledger has grown."""

from __future__ import annotations

import threading


class Hub:
    def __init__(self) -> None:
        self._changed = threading.Condition()
        self._newest = 0

    def publish(self, newest: int) -> None:
        """Tell that ledger entry `newest` is committed."""
        with self._changed:
            self._newest = max(self._newest, newest)
            self._changed.notify_all()

    def wait(self, after: int, seconds: float) -> bool:
        """Wait until an entry beyond `after` is there; False when the time is over first."""
        with self._changed:
            return self._changed.wait_for(lambda: self._newest > after, seconds)
