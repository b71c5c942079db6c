"""Imports data files: copied and hashed in one pass, kept once by content."""

from __future__ import annotations

import errno
import hashlib
import os
import shutil
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import BinaryIO

from sqlalchemy import select

from pellux.core.errors import InvalidData, NotFound, WorkspaceError
from pellux.learners.table import Table
from pellux.service.workspace import Workspace
from pellux.store.csv_import import import_csv
from pellux.store.models import DataFile

CHUNK = 2**20


def import_file(workspace: Workspace, path: Path) -> Table:
    """Import a CSV file from disk."""
    try:
        with path.open("rb") as file:
            return import_stream(workspace, file.read, path.name)
    except FileNotFoundError:
        raise InvalidData(f"There is no data file {path}.", at="brief.data") from None
    except IsADirectoryError:
        raise InvalidData(f"{path} is a folder, not a CSV file.", at="brief.data") from None
    except PermissionError:
        raise InvalidData(f"The data file {path} may not be read.", at="brief.data") from None


def import_stream(workspace: Workspace, read: Callable[[int], bytes], name: str) -> Table:
    """Import a CSV file from a stream; the same content again costs one pass over it and nothing else."""
    incoming = Path(tempfile.mkdtemp(prefix="incoming-", dir=workspace.folder / "data"))
    try:
        with (incoming / "source.csv").open("wb") as copy:
            content_hash, size = _copy(read, copy)
        folder = workspace.data_folder(content_hash)
        if not (folder / "table.json").exists():
            made = incoming / "table"
            made.mkdir()
            import_csv(incoming / "source.csv", made, name, content_hash)
            _move(made, folder)
        table = Table.open(folder)
        _register(workspace, table, name, size)
        return table
    except OSError as error:
        if error.errno in (errno.ENOSPC, errno.EDQUOT):
            raise WorkspaceError(f"The disk that holds {workspace.folder} is full. The file was not imported.") from None
        if error.errno in (errno.EROFS, errno.EACCES):
            raise WorkspaceError(f"The workspace {workspace.folder} cannot be written. Check its permissions.") from None
        raise
    finally:
        shutil.rmtree(incoming, ignore_errors=True)


def _copy(read: Callable[[int], bytes], copy: BinaryIO) -> tuple[str, int]:
    digest, size = hashlib.sha256(), 0
    while chunk := read(CHUNK):
        digest.update(chunk)
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
    with workspace.database.write() as session:
        if session.get(DataFile, table.hash) is None:
            session.add(
                DataFile(
                    hash=table.hash, name=name, rows=table.rows, columns=len(table.columns), bytes=size,
                    created_at=workspace.clock(),
                )
            )  # fmt: skip


def open_table(workspace: Workspace, content_hash: str) -> Table:
    folder = workspace.data_folder(content_hash)
    if "/" in content_hash or not (folder / "table.json").exists():
        raise NotFound(f"No data with the hash {content_hash[:12]} were imported here.", at="data")
    return Table.open(folder)


def list_data(workspace: Workspace) -> list[DataFile]:
    with workspace.database.read() as session:
        return list(session.scalars(select(DataFile).order_by(DataFile.created_at.desc())))
