"""Opens the workspace's SQLite database: write-ahead log, foreign keys, migrated to this version."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from sqlalchemy import Engine, create_engine, event, text
from sqlalchemy.exc import DatabaseError
from sqlalchemy.orm import Session, sessionmaker

from pellux.core.errors import WorkspaceError
from pellux.store.hub import Hub
from pellux.store.ledger import APPENDED
from pellux.store.upgrading import bring_up

PATIENCE = 10.0  # seconds that a writer waits for another


class Database:
    """Sessions on one database file. `write` takes the write lock at once, so writers queue instead of failing; what it
    appended to the ledger is published after its commit."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self.hub = Hub()
        self.engine = _engine(path)
        try:
            bring_up(self.engine, path)
        except DatabaseError as error:
            raise WorkspaceError(_explain(path, error.orig)) from None
        except (sqlite3.Error, OSError) as error:
            raise WorkspaceError(_explain(path, error)) from None
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)

    @contextmanager
    def read(self) -> Iterator[Session]:
        try:
            with self._sessions() as session:
                yield session
        except DatabaseError as error:
            if isinstance(error.orig, sqlite3.OperationalError):
                raise WorkspaceError(_explain(self.path, error.orig)) from error
            raise

    @contextmanager
    def write(self) -> Iterator[Session]:
        try:
            with self._sessions() as session:
                with session.begin():
                    session.execute(text("BEGIN IMMEDIATE"))
                    yield session
                if APPENDED in session.info:  # only now: nobody hears of what is not committed
                    self.hub.publish(session.info[APPENDED])
        except DatabaseError as error:
            if isinstance(error.orig, sqlite3.OperationalError):
                raise WorkspaceError(_explain(self.path, error.orig)) from error
            raise

    def close(self) -> None:
        self.engine.dispose()


def _engine(path: Path) -> Engine:
    engine = create_engine(f"sqlite:///{path}", connect_args={"timeout": PATIENCE, "check_same_thread": False})

    @event.listens_for(engine, "connect")
    def configure(connection: Any, record: Any) -> None:
        connection.isolation_level = None  # transactions begin where we say, not where the driver guesses
        for pragma in (f"busy_timeout={1000 * PATIENCE:.0f}", "journal_mode=WAL", "synchronous=FULL", "foreign_keys=ON"):
            connection.execute(f"PRAGMA {pragma}")

    return engine


def _explain(path: Path, error: BaseException | None) -> str:
    words = str(error).lower()
    if "readonly" in words or "unable to open" in words or "permission" in words:
        return f"The workspace {path.parent} cannot be written. Check its permissions."
    if "full" in words or "disk i/o" in words or "no space" in words:
        return f"The disk that holds {path.parent} is full. Free some space; nothing that was recorded is lost."
    if "not a database" in words:
        return f"{path} is not a Pellux database."
    if "locked" in words:
        return f"The database in {path.parent} is locked by another program."
    return f"The database in {path.parent} gave an error: {error}"


__all__ = ["Database", "Session"]
