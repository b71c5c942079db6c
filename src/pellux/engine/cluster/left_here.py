"""The machine's side of what fits leave behind: brought before a fit that goes on from it, sent to the server when a fit ends.

A fit that runs for long sends its checkpoint now and then, so that a machine that vanishes costs minutes of it, not hours.
"""

from __future__ import annotations

import secrets
import time
from collections.abc import Iterator, Sequence
from contextlib import suppress
from pathlib import Path
from typing import Any, Protocol

from pellux.engine.artifacts import CHECKPOINT, FileArtifacts
from pellux.engine.cluster.machine_files import Damaged
from pellux.engine.cluster.travel import FOLDER, NAMES, content_of, put, spool
from pellux.engine.cluster.wire import PIECE, Left, Listed, Offer

EVERY = 30.0  # seconds


class Server(Protocol):
    def send(self, *messages: Any) -> None: ...

    def fetch(self, what: Listed | Offer, at: int) -> Iterator[bytes]: ...


class LeftHere:
    """For one search on this machine; `versions` is a folder that all of its seats here share."""

    def __init__(self, kept: FileArtifacts, versions: Path, server: Server) -> None:
        self._kept, self._versions, self._server = kept, versions, server
        self._before: dict[tuple[int, int], dict[str, Any]] = {}
        self._looked = time.monotonic()
        versions.mkdir(exist_ok=True)

    def bring(self, offers: Sequence[Offer]) -> None:
        """Have what is offered here, fetching what is not, or is of another version. What is gone meanwhile is done without, as a
        checkpoint that a full disk cost."""
        for offer in offers:
            if self._version(offer) != offer.version:
                with suppress(Damaged), spool() as content:
                    content.writelines(self._server.fetch(offer, 0))
                    put(self._kept, offer, content)
                self._note(offer)

    def begin(self, trial: int, fold: int) -> None:
        """A fit is about to begin: what it changes from here on is its own."""
        self._before[trial, fold] = self._state(trial, fold)

    def send(self, trial: int, fold: int) -> None:
        """A fit has ended: send all that has changed since it began, or since it was sent last."""
        for name in self._changed(trial, fold):
            self._send(trial, fold, name)
        self._before.pop((trial, fold), None)

    def now_and_then(self) -> None:
        if time.monotonic() - self._looked < EVERY:
            return
        self._looked = time.monotonic()
        for trial, fold in list(self._before):
            if CHECKPOINT in self._changed(trial, fold):
                now = self._state(trial, fold)
                self._send(trial, fold, CHECKPOINT)
                self._before[trial, fold][CHECKPOINT] = now[CHECKPOINT]

    def forget(self, trial: int) -> None:
        self._kept.forget(trial)
        for path in self._versions.glob(f"{trial}-*"):
            path.unlink(missing_ok=True)

    def _changed(self, trial: int, fold: int) -> list[str]:
        before, now = self._before.get((trial, fold), {}), self._state(trial, fold)
        return [name for name, state in now.items() if state and state != before.get(name)]

    def _state(self, trial: int, fold: int) -> dict[str, Any]:
        return {name: self._kept.state(trial, fold, name) for name in (*NAMES, FOLDER)}

    def _send(self, trial: int, fold: int, name: str) -> None:
        offer = Offer(trial, fold, name, secrets.token_hex(8))
        content = content_of(self._kept, offer)
        if content is None:
            return
        self._note(offer)
        with content:
            piece = content.read(PIECE)
            while True:
                following = content.read(PIECE)
                self._server.send(Left(offer, piece, not following))
                if not following:
                    return
                piece = following

    def _place(self, offer: Offer) -> Path:
        return self._versions / f"{offer.trial}-{offer.fold}.{offer.name or 'folder'}"

    def _version(self, offer: Offer) -> str:
        try:
            return self._place(offer).read_text("ascii")
        except OSError:
            return ""

    def _note(self, offer: Offer) -> None:
        self._place(offer).write_text(offer.version, "ascii")
