"""What a server and its seats say to each other, and how it goes over a connection: frames of pickled lists of messages.

Nothing is unpickled before the other side has shown its token, which goes alone, as JSON, in the first frame.
"""

from __future__ import annotations

import json
import pickle
import struct
from collections.abc import Sequence
from typing import Any, NamedTuple

from pellux.core.objective import EvaluatorSource
from pellux.core.reasons import Reason
from pellux.engine.messages import StartFit

VERSION = 1
HEAD = struct.Struct(">I")
LARGEST_HELLO = 4096
PIECE = 2**20  # bytes of a file that go at once
BEAT_EVERY = 2.0  # seconds
SILENCE = 12.0  # seconds without a word, after which the other side is gone


class Listed(NamedTuple):
    """A file that a search's evaluators open: where it belongs, and its content by hash."""

    name: str
    digest: str
    size: int
    mode: int


class Offer(NamedTuple):
    """What fits left behind: `name` as artifacts know it, or empty for the fit's folder. Another version is another content."""

    trial: int
    fold: int
    name: str
    version: str


class Opening(NamedTuple):
    """The server's first word to a seat: what it is for.

    `memory_bytes` is None where each of the machine's `seats` gets an even share; `elsewhere` says that fits run in processes of
    their own, which are limited instead of the worker.
    """

    search: str
    source: EvaluatorSource
    files: tuple[Listed, ...]
    devices: tuple[str, ...]
    seats: int
    memory_bytes: int | None
    elsewhere: bool
    seal: str


class Order(NamedTuple):
    """A fit to do, and what there is to go on from."""

    fit: StartFit
    offers: tuple[Offer, ...]


class Drop(NamedTuple):
    """What a trial left behind is not needed any more."""

    trial: int


class End(NamedTuple):
    """A seat is not needed any more."""


class Want(NamedTuple):
    """A seat asks for a piece of a content."""

    what: Listed | Offer
    at: int


class Piece(NamedTuple):
    """A piece of a content; `last` when none follows. None: it is not there any more."""

    content: bytes | None
    last: bool


class Left(NamedTuple):
    """A piece of what a fit left behind on its machine."""

    what: Offer
    content: bytes
    last: bool


class Said(NamedTuple):
    """A seat's reports, and its clock as it sent them."""

    reports: Sequence[Any]
    sent: float


class Trouble(NamedTuple):
    """A seat cannot go on, for a reason that is its machine's."""

    reason: Reason


class Beat(NamedTuple):
    """A sign of life."""

    sent: float


def hello(token: str) -> bytes:
    return framed(json.dumps({"pellux": VERSION, "token": token}).encode())


def token_in(frame: bytes) -> str:
    """The token of a first frame; ValueError for anything else."""
    said = json.loads(frame)
    if not isinstance(said, dict) or said.get("pellux") != VERSION or not isinstance(said.get("token"), str):
        raise ValueError("no greeting")
    return str(said["token"])


def framed(content: bytes) -> bytes:
    return HEAD.pack(len(content)) + content


def packed(messages: Sequence[Any]) -> bytes:
    return framed(pickle.dumps(list(messages), protocol=5))


def unpacked(content: bytes) -> list[Any]:
    found: list[Any] = pickle.loads(content)
    return found
