"""Serves the application with waitress until a signal ends it."""

from __future__ import annotations

import contextlib
import signal
import socket
import sys
import threading
from collections.abc import Callable
from types import FrameType

import waitress
from flask import Flask

from pellux.service.engine.collecting import collect_seldom
from pellux.service.errors import WorkspaceError
from pellux.service.workspace import Workspace
from pellux.web import front_door
from pellux.web.context import Server


def bind(host: str, port: int) -> socket.socket:
    """A listening socket, so that the address is known (port 0: a free one) before anything is printed."""
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    listening = socket.socket(family, socket.SOCK_STREAM)
    listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        listening.bind((host, port))
    except OSError as error:
        listening.close()
        raise WorkspaceError(f"Cannot listen on {host}:{port}: {error.strerror}. Choose another with --port.") from None
    listening.listen(128)
    return listening


def address(listening: socket.socket) -> str:
    host, port = listening.getsockname()[:2]
    return f"http://[{host}]:{port}" if ":" in host else f"http://{host}:{port}"


def serve(app: Flask, listening: socket.socket, workspace: Workspace, announce: Callable[[], None]) -> None:
    """Serve until SIGTERM or Ctrl-C; then close the event streams and the engine.

    `announce` is called once a signal would end the server properly.
    """
    sys.setswitchinterval(0.001)
    collect_seldom()
    bench: Server = app.extensions["pellux"]
    # send_bytes=1: an event goes out when it happens, not when a buffer is full.
    server = waitress.create_server(
        app, sockets=[listening], threads=64, send_bytes=1, channel_request_lookahead=1, channel_timeout=120,
        max_request_body_size=front_door.MOST_DATA + 1, clear_untrusted_proxy_headers=True,
        connection_limit=front_door.MOST_CONNECTIONS, cleanup_interval=front_door.LOOK, asyncore_use_poll=True,
    )  # fmt: skip
    front_door.keep(server, bench.guard.refusal, workspace.folder / "data")

    def end(number: int, frame: FrameType | None) -> None:
        bench.stopping.set()
        workspace.hub.publish(sys.maxsize)
        raise KeyboardInterrupt

    if threading.current_thread() is threading.main_thread():
        signal.signal(signal.SIGTERM, end)
        signal.signal(signal.SIGINT, end)
    with contextlib.suppress(KeyboardInterrupt, SystemExit):
        announce()
        server.run()
    bench.stopping.set()
    bench.engine.close()
    server.close()
