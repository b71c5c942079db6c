"""Makes a workspace's database, or brings it to this version: in one transaction, by one process at a time.

A kill at any moment leaves the database as it was before. Databases that earlier versions left half-made are finished.
"""

from __future__ import annotations

import os
import sqlite3
import time
from contextlib import closing
from functools import lru_cache
from pathlib import Path

from sqlalchemy import Connection, Engine, text

from pellux.core.errors import WorkspaceError
from pellux.store.lock import LOOK, PATIENCE, SURE, UPGRADING, EngineHeld, EngineLock
from pellux.store.schema import lay_down

MIGRATIONS = Path(__file__).parent / "migrations"
NEWER = "This workspace was written by a newer version of Pellux. Update Pellux to open it."


def bring_up(engine: Engine, path: Path) -> None:
    """See to it that the database at `path` is there and of this version; waits while another process does the same."""
    lock, until, stays = EngineLock(path.parent), time.monotonic() + PATIENCE, 0
    while _revision(path) != _newest():
        if lock.try_to_take(**{UPGRADING: True}):
            try:
                _upgrade(engine, path)
            finally:
                lock.release()
            continue
        stays = 0 if lock.holder.get(UPGRADING) else stays + 1
        # A holder that stays is of an earlier version and goes on writing: nothing may change below it.
        if (stays > SURE or time.monotonic() > until) and _revision(path) != _newest():
            raise EngineHeld(path.parent, lock.holder)
        time.sleep(LOOK)


def upgrade_to(connection: Connection, revision: str = "head") -> None:
    """Run the migrations up to a revision on a connection, within the transaction that it is in."""
    from alembic import command
    from alembic.config import Config
    from alembic.util import CommandError

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS).replace("%", "%%"))
    config.attributes["connection"] = connection
    try:
        command.upgrade(config, revision)
    except CommandError as error:
        raise WorkspaceError(f"This workspace cannot be brought to this version: {error}") from None


def _upgrade(engine: Engine, path: Path) -> None:
    before = _revision(path)
    if before == _newest():  # another process was quicker
        return
    if before is not None:
        if before not in _known():
            raise WorkspaceError(NEWER)
        keep_copy(path, before)
    with engine.connect() as connection:
        # Tables are made anew by some migrations; off by itself only outside a transaction.
        connection.execute(text("PRAGMA foreign_keys=OFF"))
        connection.execute(text("BEGIN IMMEDIATE"))
        try:
            if connection.execute(text("SELECT 1 FROM sqlite_master")).first() is None:
                lay_down(connection)
            else:
                upgrade_to(connection)
            broken = connection.execute(text("PRAGMA foreign_key_check")).first()
            if broken is not None:
                raise WorkspaceError(f"This workspace cannot be brought to this version: a row of {broken[0]} refers to nothing.")
            connection.commit()
        except BaseException:
            connection.rollback()
            raise
        finally:
            connection.execute(text("PRAGMA foreign_keys=ON"))
            connection.commit()


def keep_copy(path: Path, revision: str) -> Path:
    """A whole copy of the database beside it, named by its revision; from a kill in between there is none, not half of one."""
    copy = path.with_name(f"{path.stem}-before-upgrade-from-{revision}{path.suffix}")
    part = copy.with_suffix(".part")
    part.unlink(missing_ok=True)
    with closing(sqlite3.connect(path, timeout=30)) as here, closing(sqlite3.connect(part)) as there:
        there.execute("PRAGMA journal_mode=OFF")  # what is broken off is thrown away
        here.backup(there)
    with part.open("rb") as written:
        os.fsync(written.fileno())
    part.replace(copy)
    return copy


def _revision(path: Path) -> str | None:
    """The revision that a database says it has; None where there is none, or none yet."""
    if not path.exists() or path.stat().st_size == 0:
        return None
    with closing(sqlite3.connect(f"{path.absolute().as_uri()}?mode=rw", uri=True, timeout=30)) as connection:
        there = connection.execute("SELECT 1 FROM sqlite_master WHERE name = 'alembic_version'").fetchone()
        found = connection.execute("SELECT version_num FROM alembic_version").fetchone() if there else None
    return None if found is None else str(found[0])


@lru_cache
def _known() -> frozenset[str]:
    """The migrations by the names of their files: a workspace that is of this version opens without the library that runs them."""
    return frozenset(path.name.partition("_")[0] for path in (MIGRATIONS / "versions").glob("[0-9]*_*.py"))


def _newest() -> str:
    return max(_known())
