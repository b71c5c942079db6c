"""What the server asks before it takes in a request's body: who is there, how much is coming, and whether it comes at all.

waitress reads a whole request before the application sees any of it. Here a body is refused by its head alone, and
connections that say nothing, or too little too slowly, are closed, so that none of them stands in others' way.
"""

from __future__ import annotations

import shutil
import socket
import tempfile
import time
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

from waitress.buffers import TempfileBasedBuffer
from waitress.channel import HTTPChannel
from waitress.parser import HTTPRequestParser
from waitress.receiver import FixedStreamReceiver
from waitress.utilities import Error

from pellux.web.problem_documents import document

MEGABYTE = 2**20
MOST_JSON = 16 * MEGABYTE
MOST_FORM = 4096
MOST_DATA = 64 * 2**30  # of an imported file
SPARE = 64 * MEGABYTE  # bytes that an import leaves on the disk
TO_BEGIN = 15.0  # seconds until the head of a request has arrived
SLOWEST = 16 * 1024  # bytes a second of a body, on average
MOST_CONNECTIONS = 400
LINGER = 3.0  # seconds that a refused connection may go on sending
LOOK = 2  # seconds between two looks at the connections
Gate = Callable[[str, str, Mapping[str, str]], tuple[int, str, str] | None]


class Refused(Error):  # type: ignore[misc]
    """A problem document instead of an answer of the application; the connection is closed after it."""

    def __init__(self, status: int, code: str, detail: str) -> None:
        self._status, self._document = status, document(status, code, detail)

    def to_response(self, ident: str | None = None) -> tuple[str, list[tuple[str, str]], bytes]:
        headers = [("Content-Type", "application/problem+json"), ("Connection", "close")]
        return f"{self._status} {self._document.title}", headers, self._document.model_dump_json().encode()


class Parser(HTTPRequestParser):  # type: ignore[misc]
    """Decides on a body when its head has been read; one that is let in lies on the workspace's own disk."""

    body_rcv: Any

    def __init__(self, adj: Any, channel: Channel) -> None:
        super().__init__(adj)
        self._channel, self._uploads = channel, channel.uploads
        self._most = MOST_JSON

    def parse_header(self, header_plus: bytes) -> None:
        super().parse_header(header_plus)
        if self.body_rcv is None:
            return
        self.error = self._refusal()
        if self.error is not None:
            self._channel.refused = True
            self.completed, self.expect_continue, self.content_length = True, False, 0
        elif self._is_data and self.content_length:
            buffer = TempfileBasedBuffer()
            buffer.file = tempfile.TemporaryFile("w+b", dir=self._uploads)  # noqa: SIM115 - it lives as long as the request
            self.body_rcv = FixedStreamReceiver(self.content_length, buffer)

    @property
    def _is_data(self) -> bool:
        return bool(self.command == "POST" and self.path == "/api/v1/data")

    def _refusal(self) -> Refused | None:
        stranger = self._channel.gate(self.command, self.path, self.headers)
        if stranger is not None:
            return Refused(*stranger)
        if not self._is_data:
            self._most = MOST_FORM if self.path in ("/login", "/logout") else MOST_JSON
        elif self.chunked:
            return Refused(411, "length-needed", "Say how long the file is: send a Content-Length.")
        else:
            self._most = MOST_DATA
        if self.content_length > self._most:
            return Refused(
                413, "too-large", f"At most {self._most:,} bytes are taken here; {self.content_length:,} were announced."
            )
        if self._is_data and not _fits(self._uploads, 2 * self.content_length):
            free = shutil.disk_usage(self._uploads).free
            return Refused(
                507, "disk-full",
                f"The file of {self.content_length:,} bytes and the table made of it do not fit on the disk "
                f"({free:,} bytes are free). Free some space; nothing was changed.",
            )  # fmt: skip
        return None

    def received(self, data: bytes) -> int:
        consumed: int = super().received(data)
        if self.body_bytes_received > self._most and self.error is None:  # only a body that did not say how long it is
            self.error = Refused(413, "too-large", f"At most {self._most:,} bytes are taken here.")
            self._channel.refused = self.completed = True
        return consumed


def _fits(folder: Path, size: int) -> bool:
    return shutil.disk_usage(folder).free >= size + SPARE


class Channel(HTTPChannel):  # type: ignore[misc]
    """A connection that knows since when it owes a request, and that stays a moment when it was refused: closed at once,
    with what the other side still sends unread, it would be reset before the answer was seen there."""

    gate: Gate
    uploads: Path
    refused = False
    lingers_until = 0.0

    def __init__(self, *arguments: Any, **more: Any) -> None:
        super().__init__(*arguments, **more)
        self.begun = time.monotonic()

    def parser_class(self, adj: Any) -> Parser:
        return Parser(adj, self)

    def received(self, data: bytes) -> bool:
        if self.request is None:
            self.begun = time.monotonic()
        return bool(super().received(data))

    def late(self, now: float) -> bool:
        """Whether what is coming comes too slowly to be waited for."""
        if self.lingers_until:
            return now > self.lingers_until
        waited, request = now - self.begun, self.request
        if self.requests:
            return False
        if request is None:  # nothing was ever said, or all that was asked is answered
            return bool(waited > TO_BEGIN and self.last_activity <= self.creation_time)
        if not request.headers_finished:
            return waited > TO_BEGIN
        return bool(waited > TO_BEGIN + request.body_bytes_received / SLOWEST)

    def readable(self) -> bool:
        return bool(self.lingers_until) or bool(super().readable())

    def handle_read(self) -> None:
        if self.lingers_until:
            self.recv(self.adj.recv_bytes)
        else:
            super().handle_read()

    def handle_close(self) -> None:
        if not self.refused or self.lingers_until:
            super().handle_close()
            return
        self.lingers_until, self.will_close = time.monotonic() + LINGER, False
        try:
            self.socket.shutdown(socket.SHUT_WR)
        except OSError:  # the other side is gone already
            super().handle_close()


def keep(server: Any, gate: Gate, uploads: Path) -> None:
    """Put the door before a waitress server that has been made but does not run yet."""
    server.channel_class = type("GuardedChannel", (Channel,), {"gate": staticmethod(gate), "uploads": uploads})
    looked_after = server.maintenance

    def maintenance(now: float) -> None:
        looked_after(now)
        for channel in list(server.active_channels.values()):
            if channel.late(time.monotonic()):
                channel.refused, channel.will_close = False, True

    server.maintenance = maintenance
