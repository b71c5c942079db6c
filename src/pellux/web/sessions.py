"""Who has logged in, and who tries too often. Both live as long as the server, as its token does."""

from __future__ import annotations

import hashlib
import secrets
import threading
import time
from collections import OrderedDict
from collections.abc import Callable

LASTS = 7 * 86_400.0  # seconds until a page has to log in again
MOST = 1000  # sessions, and addresses that are remembered for their attempts
FREE = 5  # wrong tokens in a row that cost nothing
LONGEST_WAIT = 300


class Sessions:
    """Random names of logins; only their digests are kept, and none of them tells the token."""

    def __init__(self, clock: Callable[[], float] = time.monotonic) -> None:
        self._clock = clock
        self._until: OrderedDict[str, float] = OrderedDict()
        self._lock = threading.Lock()

    def open(self) -> str:
        made = secrets.token_urlsafe(24)
        with self._lock:
            self._until[_digest(made)] = self._clock() + LASTS
            while len(self._until) > MOST:
                self._until.popitem(last=False)
        return made

    def knows(self, session: str) -> bool:
        with self._lock:
            return self._until.get(_digest(session), 0.0) > self._clock()

    def end(self, session: str) -> None:
        with self._lock:
            self._until.pop(_digest(session), None)


def _digest(session: str) -> str:
    return hashlib.sha256(session.encode(errors="replace")).hexdigest()


class Attempts:
    """Wrong tokens by address: after a few in a row each next one has to wait twice as long."""

    def __init__(self, clock: Callable[[], float] = time.monotonic) -> None:
        self._clock = clock
        self._failures: OrderedDict[str, tuple[int, float]] = OrderedDict()
        self._lock = threading.Lock()

    def wait(self, address: str) -> int:
        """Seconds until this address may try again; 0 when it may at once."""
        with self._lock:
            failures, last = self._failures.get(address, (0, 0.0))
        if failures < FREE:
            return 0
        pause = min(2.0 ** (failures - FREE), LONGEST_WAIT)
        return max(int(last + pause - self._clock() + 0.999), 0)

    def failed(self, address: str) -> None:
        with self._lock:
            failures, last = self._failures.pop(address, (0, 0.0))
            forgotten = self._clock() - last > 2 * LONGEST_WAIT
            self._failures[address] = (1 if forgotten else failures + 1, self._clock())
            while len(self._failures) > MOST:
                self._failures.popitem(last=False)
