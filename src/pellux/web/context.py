"""What handlers share: the engine room, and whether the server is stopping."""

from __future__ import annotations

import threading
from dataclasses import dataclass, field

from flask import current_app

from pellux.service.engine_room import EngineRoom


@dataclass
class Bench:
    room: EngineRoom
    stopping: threading.Event = field(default_factory=threading.Event)


def bench() -> Bench:
    found: Bench = current_app.extensions["pellux"]
    return found
