"""To ask again until something is true: soon at first, seldom later, since whoever is asked is kept from what is waited for."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Literal, TypeVar

Found = TypeVar("Found")
FIRST, SHARE, LAST = 0.01, 0.08, 0.2  # seconds between questions: at least, of the time waited so far, at most


def until(condition: Callable[[], Found | Literal[False] | None], seconds: float = 120, what: object = "it") -> Found:
    """The first true answer; an AssertionError when there is none in time. `what` never came, it says, or what it answers if it can be called."""
    begun = time.monotonic()
    while not (found := condition()):
        waited = time.monotonic() - begun
        assert waited < seconds, what() if callable(what) else f"{what} never came"
        time.sleep(min(LAST, max(FIRST, SHARE * waited)))
    return found
