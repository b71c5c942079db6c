"""Imports data files: copied and hashed in one pass, kept once by content, and read anew when a person corrects the reading."""

from __future__ import annotations

import errno
import hashlib
import json
import os
import re
import shutil
import tempfile
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import asdict
from pathlib import Path
from typing import BinaryIO

from pydantic import Field

from pellux.core.errors import InvalidData, NotFound, WorkspaceError, disk_is_full
from pellux.service.planning.requests import Request
from pellux.service.workspace import INCOMING, Workspace
from pellux.store import problems
from pellux.store.records import DataFile
from pellux.tables.importing import import_table
from pellux.tables.readings import ReadOptions
from pellux.tables.table import FILES, Table

CHUNK = 4 * 2**20
HASH = re.compile(r"[0-9a-f]{64}")
SOURCE = "source"  # the file as it came, beside what was made of it


class ReadingRequest(Request):
    """How a data file is to be read; what is left out is found out from its content."""

    format: str = Field("", description="csv, parquet or jsonl.")
    encoding: str = Field("", description="Of text files, such as utf-8 or cp1252.")
    delimiter: str = Field("", description="What parts the columns: ',', ';', '|' or a tab.")
    quote: str = Field("", description="What may stand around a value: '\"' or \"'\".")
    decimal: str = Field("", description="'.' or ','.")
    types: dict[str, str] = Field(
        {}, description="Types of columns: number, category, yes/no, text, date, or date with its form: 'date %d/%m/%Y'."
    )

    def options(self) -> ReadOptions:
        return ReadOptions(**self.model_dump())


def import_file(workspace: Workspace, path: Path, reading: ReadingRequest | None = None) -> Table:
    """Import a data file from disk."""
    try:
        before = path.stat()
        with path.open("rb") as file:
            return _import(workspace, file.read, path.name, reading, lambda: _unchanged(path, before))
    except FileNotFoundError:
        raise InvalidData(f"There is no data file {path}.", at="brief.data") from None
    except IsADirectoryError:
        raise InvalidData(f"{path} is a folder, not a data file.", at="brief.data") from None
    except PermissionError:
        raise InvalidData(f"The data file {path} may not be read.", at="brief.data") from None


def _unchanged(path: Path, before: os.stat_result) -> None:
    after = path.stat()
    if (after.st_mtime_ns, after.st_size) != (before.st_mtime_ns, before.st_size):
        raise InvalidData(f"{path.name} changed while it was read. Import it again once nothing writes to it.", at="data")


def import_stream(
    workspace: Workspace, read: Callable[[int], bytes], name: str, token: str = "", reading: ReadingRequest | None = None
) -> Table:
    """Import a data file from a stream; the same content again costs one pass over it and nothing else.

    Under `token` others can ask how far the import is.
    """
    return _import(workspace, read, name, reading, lambda: None, token)


def _import(
    workspace: Workspace, read: Callable[[int], bytes], name: str, reading: ReadingRequest | None, check: Callable[[], None],
    token: str = "",
) -> Table:  # fmt: skip
    with _workbench(workspace) as incoming:
        with (incoming / SOURCE).open("wb") as copy:
            content_hash, size = _copy(read, copy)
        check()
        options = (reading or ReadingRequest()).options()
        identity = _identity(content_hash, options)
        if not _complete(workspace.data_folder(identity)):
            _make(workspace, incoming, name, content_hash, identity, options, token, size)
        table = Table.open(workspace.data_folder(identity))
        _register(workspace, table, name, size)
        return table


def read_again(workspace: Workspace, content_hash: str, reading: ReadingRequest, token: str = "") -> Table:
    """The same file read another way: a table of its own, which leaves problems of the first reading as they are."""
    table = open_table(workspace, content_hash)
    source = workspace.data_folder(table.hash) / SOURCE
    if not source.exists():
        raise NotFound("These data were imported by an earlier version that did not keep the file. Import it once more.")
    options = reading.options()
    identity = _identity(table.source, options)
    if not _complete(workspace.data_folder(identity)):
        with _workbench(workspace) as incoming:
            os.link(source, incoming / SOURCE)
            _make(workspace, incoming, table.name, table.source, identity, options, token, source.stat().st_size)
    found = Table.open(workspace.data_folder(identity))
    _register(workspace, found, found.name, source.stat().st_size)
    return found


def _identity(content_hash: str, options: ReadOptions) -> str:
    """The content's own hash, unless a person corrected how it is read."""
    if options.empty:
        return content_hash
    return hashlib.sha256(f"{content_hash} {json.dumps(asdict(options), sort_keys=True)}".encode()).hexdigest()


def _make(
    workspace: Workspace, incoming: Path, name: str, content_hash: str, identity: str, options: ReadOptions, token: str, size: int
) -> None:
    made = incoming / "table"
    made.mkdir()
    with workspace.telling(token) as tell:
        import_table(
            incoming / SOURCE, made, name, content_hash, identity=identity, options=options,
            on_read=lambda done: tell(min(done / max(size, 1), 1.0)),
        )  # fmt: skip
    os.replace(incoming / SOURCE, made / SOURCE)
    folder = workspace.data_folder(identity)
    if folder.exists() and not _complete(folder):  # somebody removed a part of it
        os.replace(folder, incoming / "remains")
    _move(made, folder)


def _complete(folder: Path) -> bool:
    return all((folder / name).exists() for name in FILES)


@contextmanager
def _workbench(workspace: Workspace) -> Iterator[Path]:
    """A folder for an import that is not done yet; what goes wrong with the disk is said in words."""
    incoming = Path(tempfile.mkdtemp(prefix=INCOMING, dir=workspace.folder / "data"))
    try:
        yield incoming
    except OSError as error:
        if disk_is_full(error):
            raise WorkspaceError(f"The disk that holds {workspace.folder} is full. The file was not imported.") from None
        if error.errno in (errno.EROFS, errno.EACCES):
            raise WorkspaceError(f"The workspace {workspace.folder} cannot be written. Check its permissions.") from None
        raise
    finally:
        shutil.rmtree(incoming, ignore_errors=True)


def _copy(read: Callable[[int], bytes], copy: BinaryIO) -> tuple[str, int]:
    digest, size = hashlib.sha256(), 0
    with ThreadPoolExecutor(1) as beside:  # hashing takes longer than reading and writing
        hashed: Future[None] | None = None
        while chunk := read(CHUNK):
            if hashed is not None:
                hashed.result()
            hashed = beside.submit(digest.update, chunk)
            copy.write(chunk)
            size += len(chunk)
    return digest.hexdigest(), size


def _move(made: Path, folder: Path) -> None:
    """Into place in one step; a second import of the same content that came first is as good."""
    try:
        os.rename(made, folder)
    except OSError as error:
        if error.errno not in (errno.ENOTEMPTY, errno.EEXIST):
            raise


def _register(workspace: Workspace, table: Table, name: str, size: int) -> None:
    data = DataFile(table.hash, name, table.rows, len(table.columns), size, workspace.clock())
    with workspace.database.write() as session:
        problems.add_data(session, data)


def open_table(workspace: Workspace, content_hash: str) -> Table:
    folder = workspace.data_folder(content_hash)
    if not HASH.fullmatch(content_hash) or not (folder / "table.json").exists():
        raise NotFound(f"No data with the hash {content_hash[:12]} were imported here.", at="data")
    return Table.open(folder)


def list_data(workspace: Workspace) -> list[DataFile]:
    with workspace.database.read() as session:
        return problems.every_data(session)
