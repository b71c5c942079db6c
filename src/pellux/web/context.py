"""What handlers share: the engine, and whether the server is stopping."""

from __future__ import annotations

import threading
from dataclasses import dataclass, field

from flask import current_app

from pellux.service.engine.engine import Engine
from pellux.web.security import Guard


@dataclass
class Server:
    engine: Engine
    guard: Guard
    stopping: threading.Event = field(default_factory=threading.Event)


def server() -> Server:
    found: Server = current_app.extensions["pellux"]
    return found
