"""A request that is sent twice is done once: a double click, a retry after a lost answer, two tabs that launch the same.

Speaks the `Idempotency-Key` header of the IETF's HTTPAPI working group (draft-ietf-httpapi-idempotency-key-header): the first
request with a key is carried out, those that follow get its answer. Keys are held as long as the server runs, the newest of them.
"""

from __future__ import annotations

import hashlib
import threading
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, field

from flask import Response, current_app, request

from pellux.service.errors import InvalidPlan

HEADER = "Idempotency-Key"
MOST = 2_000  # keys that are remembered
LONGEST = 200  # characters
PATIENCE = 120.0  # seconds that a second request waits for the first one's answer


@dataclass
class _Held:
    what: str
    done: threading.Event = field(default_factory=threading.Event)
    answer: tuple[bytes, int, str | None] | None = None


class Once:
    """Answers by key."""

    def __init__(self) -> None:
        self._held: OrderedDict[str, _Held] = OrderedDict()
        self._lock = threading.Lock()

    def answer(self, make: Callable[[], Response]) -> Response:
        """What `make` answers to this request, or did to one with the same key. One that failed may be sent again."""
        key = request.headers.get(HEADER, "")
        if not key or request.method not in ("POST", "PATCH"):
            return make()
        if len(key) > LONGEST:
            raise InvalidPlan(f"An {HEADER} has at most {LONGEST} characters.", at=HEADER)
        told = f"{request.method} {request.full_path} ".encode() + request.get_data(cache=True)
        what = hashlib.sha256(told).hexdigest()
        with self._lock:
            held = self._held.get(key)
            mine = held is None
            if held is None:
                held = self._held[key] = _Held(what)
                while len(self._held) > MOST:
                    self._held.popitem(last=False)
        if held.what != what:
            raise InvalidPlan(f"This {HEADER} was used for another request.", at=HEADER)
        if mine:
            return self._make(key, held, make)
        held.done.wait(PATIENCE)
        if held.answer is None:  # the first one failed: this one is as good
            return make()
        body, status, kind = held.answer
        return current_app.response_class(body, status, mimetype=kind)

    def _make(self, key: str, held: _Held, make: Callable[[], Response]) -> Response:
        try:
            found = make()
            if not found.is_streamed:
                held.answer = (found.get_data(), found.status_code, found.mimetype)
            return found
        finally:
            if held.answer is None:
                with self._lock:
                    self._held.pop(key, None)
            held.done.set()
