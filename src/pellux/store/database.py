"""Opens the workspace's SQLite database: write-ahead log, foreign keys, migrated to this version."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config
from alembic.script import ScriptDirectory
from alembic.util import CommandError
from sqlalchemy import Engine, create_engine, event, text
from sqlalchemy.exc import DatabaseError
from sqlalchemy.orm import Session, sessionmaker

from pellux.core.errors import WorkspaceError

MIGRATIONS = Path(__file__).parent / "migrations"


class Database:
    """Sessions on one database file. `write` takes the write lock at once, so writers queue instead of failing."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self.engine = _engine(path)
        try:
            _migrate(self.engine)
        except DatabaseError as error:
            raise WorkspaceError(_explain(path, error)) from None
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)

    @contextmanager
    def read(self) -> Iterator[Session]:
        with self._sessions() as session:
            yield session

    @contextmanager
    def write(self) -> Iterator[Session]:
        try:
            with self._sessions() as session, session.begin():
                session.execute(text("BEGIN IMMEDIATE"))
                yield session
        except DatabaseError as error:
            if isinstance(error.orig, sqlite3.OperationalError):
                raise WorkspaceError(_explain(self.path, error)) from error
            raise

    def close(self) -> None:
        self.engine.dispose()


def _engine(path: Path) -> Engine:
    engine = create_engine(f"sqlite:///{path}", connect_args={"timeout": 30, "check_same_thread": False})

    @event.listens_for(engine, "connect")
    def configure(connection: Any, record: Any) -> None:
        connection.isolation_level = None  # transactions begin where we say, not where the driver guesses
        for pragma in ("journal_mode=WAL", "synchronous=FULL", "foreign_keys=ON", "busy_timeout=30000"):
            connection.execute(f"PRAGMA {pragma}")

    return engine


def _migrate(engine: Engine) -> None:
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    with engine.connect() as connection:
        config.attributes["connection"] = connection
        known = {script.revision for script in ScriptDirectory.from_config(config).walk_revisions()}
        if engine.dialect.has_table(connection, "alembic_version"):
            found = connection.execute(text("SELECT version_num FROM alembic_version")).scalar()
            if found is not None and found not in known:
                raise WorkspaceError("This workspace was written by a newer version of Pellux. Update Pellux to open it.")
        try:
            command.upgrade(config, "head")
        except CommandError as error:
            raise WorkspaceError(f"This workspace cannot be brought to this version: {error}") from None
        connection.commit()


def _explain(path: Path, error: DatabaseError) -> str:
    words = str(error.orig).lower()
    if "readonly" in words or "unable to open" in words:
        return f"The workspace {path.parent} cannot be written. Check its permissions."
    if "full" in words or "disk i/o" in words:
        return f"The disk that holds {path.parent} is full. Free some space; nothing that was recorded is lost."
    if "not a database" in words:
        return f"{path} is not a Pellux database."
    if "locked" in words:
        return f"The database in {path.parent} is locked by another program."
    return f"The database in {path.parent} gave an error: {error.orig}"
