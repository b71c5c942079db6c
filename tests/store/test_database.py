"""The database: migrations, refusals, a full disk."""

from __future__ import annotations

import sqlite3
from pathlib import Path

import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import event, text

from pellux.core.errors import WorkspaceError
from pellux.service.workspace import EngineHeld, Workspace
from pellux.store import ledger
from pellux.store.database import Database
from pellux.store.models import Base


def test_the_migrations_make_the_tables_of_the_models(tmp_path: Path) -> None:
    database = Database(tmp_path / "p.db")
    with database.engine.connect() as connection:
        assert compare_metadata(MigrationContext.configure(connection), Base.metadata) == []
        assert connection.execute(text("PRAGMA journal_mode")).scalar() == "wal"
        assert connection.execute(text("PRAGMA synchronous")).scalar() == 2
    database.close()


def test_opening_again_changes_nothing(tmp_path: Path) -> None:
    Database(tmp_path / "p.db").close()
    before = sqlite3.connect(tmp_path / "p.db").execute("SELECT sql FROM sqlite_master ORDER BY name").fetchall()
    Database(tmp_path / "p.db").close()
    assert sqlite3.connect(tmp_path / "p.db").execute("SELECT sql FROM sqlite_master ORDER BY name").fetchall() == before


def test_a_workspace_of_a_newer_version_is_refused_and_left_alone(tmp_path: Path) -> None:
    Workspace(tmp_path).close()
    connection = sqlite3.connect(tmp_path / "pellux.db")
    connection.execute("UPDATE alembic_version SET version_num = '9999'")
    connection.commit()
    with pytest.raises(WorkspaceError, match="newer version of Pellux"):
        Workspace(tmp_path)
    assert connection.execute("SELECT version_num FROM alembic_version").fetchone() == ("9999",)


def test_what_is_no_database_is_refused(tmp_path: Path) -> None:
    (tmp_path / "pellux.db").write_bytes(b"a shopping list, not a database" * 100)
    with pytest.raises(WorkspaceError, match="not a Pellux database"):
        Workspace(tmp_path)
    (tmp_path / "file").write_text("x")
    with pytest.raises(WorkspaceError, match="a workspace is a folder"):
        Workspace(tmp_path / "file")


def test_a_read_only_disk_is_told_in_words(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def refuse(*args: object, **kwargs: object) -> None:
        raise OSError(30, "Read-only file system")

    monkeypatch.setattr(Path, "mkdir", refuse)
    with pytest.raises(WorkspaceError, match="cannot be written: Read-only file system"):
        Workspace(tmp_path / "w")


def test_a_full_disk_loses_nothing_that_was_recorded(tmp_path: Path) -> None:
    database = Database(tmp_path / "p.db")

    @event.listens_for(database.engine, "checkout")
    def limit(connection: sqlite3.Connection, *_: object) -> None:
        connection.execute("PRAGMA max_page_count = 60")  # what SQLite then answers is what a full disk gives

    kept = 0
    with pytest.raises(WorkspaceError, match="is full. Free some space; nothing that was recorded is lost"):
        for _ in range(500):
            with database.write() as session:
                ledger.append(session, [ledger.New(1.0, 1, "problem", {"problem_id": 1, "what": "x" * 2000})])  # type: ignore[typeddict-item]
            kept += 1
    with database.read() as session:
        assert ledger.newest(session) == kept > 0
    database.close()


def test_a_failed_write_leaves_no_trace(tmp_path: Path) -> None:
    database = Database(tmp_path / "p.db")
    with pytest.raises(RuntimeError), database.write() as session:
        ledger.append(session, [ledger.New(1.0, None, "problem", {"problem_id": 1, "what": "made"})])
        raise RuntimeError
    with database.read() as session:
        assert ledger.newest(session) == 0
    database.close()


def test_one_engine_at_a_time(tmp_path: Path) -> None:
    first, second = Workspace(tmp_path), Workspace(tmp_path)
    first.hold_engine(url="http://127.0.0.1:1")
    with pytest.raises(EngineHeld, match=r"Process \d+ at http://127.0.0.1:1 holds the workspace"):
        second.hold_engine()
    first.close()
    second.hold_engine()
    second.close()
