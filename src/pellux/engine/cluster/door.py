"""The server's door for seats: each comes in with a token that it was sent for, and from then on both sides talk.

One thread with one loop, however many seats. What a seat says goes to its `Guest`; a seat that says nothing for a while is gone.
"""

from __future__ import annotations

import asyncio
import contextlib
import logging
import ssl
import threading
import time
from collections.abc import Sequence
from typing import Any, Protocol

from pellux.engine.cluster.wire import BEAT_EVERY, HEAD, LARGEST_HELLO, SILENCE, Beat, packed, token_in, unpacked

log = logging.getLogger("pellux.cluster")
GREETING = 10.0  # seconds in which a seat has to show its token


class Guest(Protocol):
    """Who waits for a seat. All methods are called in the door's thread."""

    def came(self, line: Line) -> None: ...

    async def heard(self, line: Line, messages: Sequence[Any]) -> None: ...

    def went(self, line: Line, why: str) -> None: ...


class Line:
    """The connection with one seat. `send` may be called by any thread."""

    def __init__(self, loop: asyncio.AbstractEventLoop, writer: asyncio.StreamWriter) -> None:
        self._loop, self._writer = loop, writer

    def send(self, *messages: Any) -> None:
        content = packed(messages)
        with contextlib.suppress(RuntimeError):  # the loop has ended
            self._loop.call_soon_threadsafe(self._write, content)

    async def answer(self, *messages: Any) -> None:
        """In the door's thread: waits until there is room, so that a slow link fills no memory."""
        self._write(packed(messages))
        with contextlib.suppress(OSError):
            await self._writer.drain()

    def close(self) -> None:
        """After what was sent before has gone out."""
        with contextlib.suppress(RuntimeError):
            self._loop.call_soon_threadsafe(self._writer.close)

    def _write(self, content: bytes) -> None:
        if not self._writer.is_closing():
            self._writer.write(content)


class Door:
    """Listens from when it is made until `close`."""

    def __init__(self, host: str, port: int = 0, context: ssl.SSLContext | None = None) -> None:
        self._expected: dict[str, Guest] = {}
        self._lines: set[Line] = set()
        self._writers: set[asyncio.StreamWriter] = set()
        self._loop = asyncio.new_event_loop()
        self._server = self._loop.run_until_complete(asyncio.start_server(self._serve, host, port, ssl=context, limit=2**21))
        self.host, self.port = self._server.sockets[0].getsockname()[:2]
        self._thread = threading.Thread(target=self._run, name="cluster-door", daemon=True)
        self._thread.start()

    def expect(self, token: str, guest: Guest) -> None:
        self._expected[token] = guest

    def forget(self, token: str) -> None:
        """A seat that comes with it from now on is sent away."""
        self._expected.pop(token, None)

    def close(self) -> None:
        with contextlib.suppress(RuntimeError):
            self._loop.call_soon_threadsafe(self._loop.stop)
        self._thread.join(5)

    def _run(self) -> None:
        beats = self._loop.create_task(self._beat())
        self._loop.run_forever()
        beats.cancel()
        self._server.close()
        self._loop.run_until_complete(self._end_all())
        self._loop.run_until_complete(self._loop.shutdown_default_executor())
        self._loop.close()

    async def _end_all(self) -> None:
        for writer in list(self._writers):
            writer.transport.abort()
        tasks = [task for task in asyncio.all_tasks(self._loop) if task is not asyncio.current_task()]
        for task in tasks:
            task.cancel()
        await asyncio.gather(*tasks, return_exceptions=True)
        await asyncio.sleep(0)  # in which transports close their sockets

    async def _beat(self) -> None:
        while True:
            await asyncio.sleep(BEAT_EVERY)
            content = packed([Beat(time.monotonic())])
            for line in self._lines:
                line._write(content)

    async def _serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        self._writers.add(writer)
        try:
            await self._talk(reader, writer)
        finally:
            writer.close()
            self._writers.discard(writer)

    async def _talk(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        guest = await self._greeted(reader)
        if guest is None:
            return
        line = Line(self._loop, writer)
        self._lines.add(line)
        why = "the connection was closed"
        try:
            guest.came(line)
            while True:
                await guest.heard(line, unpacked(await _frame(reader)))
        except TimeoutError:
            why = f"there was no sign of life for {SILENCE:g} s"
        except (asyncio.IncompleteReadError, OSError) as error:
            if isinstance(error, OSError) and error.strerror:
                why = f"the connection was closed ({error.strerror})"
        except asyncio.CancelledError:
            why = "the door was closed"
        except Exception as error:
            log.exception("A seat said what is not understood")
            why = f"it said what is not understood: {error}"
        finally:
            self._lines.discard(line)
        guest.went(line, why)

    async def _greeted(self, reader: asyncio.StreamReader) -> Guest | None:
        """Whose seat this is; each token lets one in, once."""
        try:
            said = await asyncio.wait_for(_frame(reader, LARGEST_HELLO), GREETING)
            return self._expected.pop(token_in(said), None)
        except (TimeoutError, ValueError, asyncio.IncompleteReadError, OSError, asyncio.CancelledError):
            return None


async def _frame(reader: asyncio.StreamReader, most: int = 2**32) -> bytes:
    """The next frame; TimeoutError after a silence, which a large frame on a slow link is not."""
    (size,) = HEAD.unpack(await asyncio.wait_for(reader.readexactly(HEAD.size), SILENCE))
    if size > most:
        raise ValueError("too large a frame")
    parts, missing = list[bytes](), size
    while missing:
        part = await asyncio.wait_for(reader.read(missing), SILENCE)
        if not part:
            raise asyncio.IncompleteReadError(b"".join(parts), size)
        parts.append(part)
        missing -= len(part)
    return b"".join(parts)
