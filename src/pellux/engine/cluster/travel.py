"""What fits leave behind, from the machine where it came to be to the server, and to the machine that goes on from it.

The server's artifacts hold all of it, as with workers of its own: a machine that vanishes takes nothing along, and a server
that is started again finds what there is. A machine that made a content, or had it before, is not sent it once more.
"""

from __future__ import annotations

import io
import secrets
import tarfile
import tempfile
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import IO

from pellux.core.objective import Kept
from pellux.engine.artifacts import CHECKPOINT, PREDICTIONS, Artifacts
from pellux.engine.cluster.wire import PIECE, Left, Listed, Offer, Piece, Want
from pellux.engine.messages import StartFit

FOLDER = ""  # the name of what is not a content but a fit's folder
NAMES = (CHECKPOINT, PREDICTIONS)
IN_MEMORY = 16 * 2**20  # bytes of a content, past which it is in a file while it travels


def spool() -> IO[bytes]:
    """A place for a content of any size: small ones stay in memory."""
    return tempfile.SpooledTemporaryFile(IN_MEMORY)


@dataclass
class UnderWay:
    """Of one seat: contents that come in pieces, and the one that goes."""

    coming: dict[Offer, IO[bytes]] = field(default_factory=dict)
    going: tuple[Offer, IO[bytes] | None] | None = None

    def going_now(self, offer: Offer, artifacts: Artifacts) -> IO[bytes] | None:
        """The content that pieces are asked of, opened with the first of them."""
        if self.going is None or self.going[0] != offer:
            if self.going is not None and self.going[1] is not None:
                self.going[1].close()
            self.going = offer, content_of(artifacts, offer)
        return self.going[1]

    def close(self) -> None:
        """What broke off is worth nothing."""
        for file in (*self.coming.values(), *(self.going or ())[1:]):
            if file is not None:
                file.close()
        self.coming, self.going = {}, None


class ServerSide:
    """For one search: which versions there are, and pieces of them in both directions. Safe for many threads."""

    def __init__(self, artifacts: Artifacts, files: Mapping[str, str]) -> None:
        self._artifacts, self._files = artifacts, files
        self._versions: dict[tuple[int, int], dict[str, str]] = {}
        for trial, folds in artifacts.sizes(CHECKPOINT).items():  # of an earlier server
            for fold in folds:
                self._versions[trial, fold] = dict.fromkeys((CHECKPOINT, FOLDER), secrets.token_hex(8))

    def offers(self, fit: StartFit) -> tuple[Offer, ...]:
        """What a fit may go on from: its own, else that of its nearest ancestor."""
        for trial in (fit.trial, *(one.trial for one in reversed(fit.ancestors))):
            found = self._versions.get((trial, fit.fold))
            if found:
                return tuple(Offer(trial, fit.fold, name, version) for name, version in found.items() if name != PREDICTIONS)
        return ()

    def forget(self, trial: int | None) -> None:
        for key in [key for key in self._versions if trial is None or key[0] == trial]:
            del self._versions[key]

    def piece(self, want: Want, under_way: UnderWay) -> Piece:
        if isinstance(want.what, Listed):
            return _piece_of_file(Path(self._files[want.what.name]), want.at, want.what.size)
        file = under_way.going_now(want.what, self._artifacts)
        if file is None:
            return Piece(None, True)
        file.seek(want.at)
        content = file.read(PIECE)
        return Piece(content, not content or not file.read(1))

    def take(self, left: Left, under_way: UnderWay) -> None:
        """A piece of what a machine sends; the last one puts it in its place. A full disk costs the content, not the fit."""
        offer = left.what
        try:
            if offer not in under_way.coming:
                under_way.coming[offer] = spool()
            under_way.coming[offer].write(left.content)
            if not left.last:
                return
            with under_way.coming.pop(offer) as content:
                put(self._artifacts, offer, content)
        except OSError:
            return
        self._versions.setdefault((offer.trial, offer.fold), {})[offer.name] = offer.version


def content_of(kept: Kept, offer: Offer) -> IO[bytes] | None:
    """What is kept under a name, or the folder of the fit as an archive; None where there is nothing."""
    if not offer.name:
        with kept.folder(offer.trial, offer.fold) as folder:
            return packed_folder(Path(folder))
    try:
        found = kept.get(offer.trial, offer.fold, offer.name)
    except OSError:
        return None
    return None if found is None else io.BytesIO(found)


def put(kept: Kept, offer: Offer, content: IO[bytes]) -> None:
    """A content in its place: under its name, or as the folder of its fit."""
    content.seek(0)
    if offer.name:
        kept.put(offer.trial, offer.fold, offer.name, content.read())
        return
    with kept.folder(offer.trial, offer.fold) as folder:
        unpack_folder(content, Path(folder))


def packed_folder(folder: Path) -> IO[bytes] | None:
    """A folder as a tar archive; None for one that holds nothing."""
    if not any(folder.iterdir()):
        return None
    archive = spool()
    with tarfile.open(fileobj=archive, mode="w") as tar:
        tar.add(folder, arcname=".")
    archive.seek(0)
    return archive


def unpack_folder(content: IO[bytes], folder: Path) -> None:
    """In place of the files of the same names; nothing lands outside of the folder."""
    with tarfile.open(fileobj=content) as tar:
        tar.extractall(folder, filter="data")


def _piece_of_file(path: Path, at: int, size: int) -> Piece:
    if at >= size:
        return Piece(b"", True)
    try:
        with path.open("rb") as file:
            file.seek(at)
            content = file.read(PIECE)
    except OSError:
        return Piece(None, True)
    if len(content) < min(PIECE, size - at):  # the file has become shorter
        return Piece(None, True)
    return Piece(content, at + PIECE >= size)
