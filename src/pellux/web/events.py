"""The event stream: ledger entries as server-sent events, resumed by Last-Event-ID."""

from __future__ import annotations

import threading
from collections.abc import Iterator

from flask import Blueprint, Response, current_app, request

from pellux.service.engine.events import stream
from pellux.service.errors import InvalidPlan
from pellux.web.context import server
from pellux.web.problem_documents import problem

MOST_STREAMS = 40
MOST_DIGITS = 18  # of a number that the database can hold


def blueprint() -> Blueprint:
    """One message carries a batch of entries as a JSON array; its id is that of the last entry."""
    found = Blueprint("events", __name__)
    seats = threading.Semaphore(MOST_STREAMS)

    @found.get("/api/v1/events")
    def events() -> Response:
        after = _number(request.headers.get("Last-Event-ID") or request.args.get("after"), "after")
        search = _number(request.args.get("search"), "search")
        if not seats.acquire(blocking=False):
            return problem(503, "too-many-streams", f"{MOST_STREAMS} pages are listening already. Close one.")
        gone = request.environ.get("waitress.client_disconnected", lambda: False)
        engine, stopping = server().engine, server().stopping

        def lines() -> Iterator[bytes]:
            yield b"retry: 1000\n\n"
            for batch in stream(engine.workspace, after, search, lambda: stopping.is_set() or gone()):
                yield b": beat\n\n" if batch is None else f"id: {batch[0]}\ndata: {batch[1]}\n\n".encode()

        response = current_app.response_class(lines(), mimetype="text/event-stream", headers={"Cache-Control": "no-store"})
        response.call_on_close(seats.release)
        return response

    return found


def _number(text: str | None, name: str) -> int | None:
    if text is None:
        return None
    if not (text.isascii() and text.isdecimal()) or len(text) > MOST_DIGITS:
        raise InvalidPlan(f"'{text[:40]}' is not the number of a ledger entry or a search.", at=name)
    return int(text)
