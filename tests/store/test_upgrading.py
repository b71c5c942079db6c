"""A database is made and upgraded whole or not at all, by one process at a time; half-made ones of earlier versions are finished."""

from __future__ import annotations

import json
import sqlite3
import subprocess
import sys
import tarfile
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import create_engine, event

import pellux.store.upgrading as upgrading
from pellux.store.database import Database
from pellux.store.lock import EngineHeld, EngineLock
from pellux.store.schema import FILE
from pellux.store.schema_writing import by_migrations
from tests.forking import popen
from tests.store.kills import REVISIONS, ROWS, campaign, old_database, shape

FIXTURES = Path(__file__).parent / "fixtures"


@pytest.fixture
def whole(tmp_path: Path) -> list[tuple[str, ...]]:
    Database(tmp_path / "whole.db").close()
    return shape(tmp_path / "whole.db")


def test_kills_at_random_moments_leave_it_whole() -> None:
    found = campaign(5, seed=2)
    assert found["kills"] == 5
    assert (found["broken"], found["lost rows"]) == (0, 0)


def test_a_new_database_is_what_the_migrations_make(tmp_path: Path, whole: list[tuple[str, ...]]) -> None:
    assert by_migrations(tmp_path / "migrated.db") == FILE.read_text("utf-8"), (
        "python -m pellux.store.schema_writing writes it anew"
    )
    assert shape(tmp_path / "migrated.db") == whole


class Killed(BaseException):
    pass


def broken_off(path: Path, writes: int) -> bool:
    """Upgrade statement by statement, as versions before 0006 did, and stop dead after so many; whether it came that far."""
    engine, left = create_engine(f"sqlite:///{path}"), [writes]

    @event.listens_for(engine, "connect")
    def no_transaction(connection: Any, record: Any) -> None:
        connection.isolation_level = None

    @event.listens_for(engine, "before_cursor_execute")
    def count(connection: Any, cursor: Any, statement: str, *rest: Any) -> None:
        if statement.strip().split()[0].upper() in ("CREATE", "ALTER", "INSERT", "UPDATE", "DROP", "DELETE"):
            if left[0] == 0:
                raise Killed
            left[0] -= 1

    try:
        with engine.connect() as connection:
            upgrading.upgrade_to(connection, "0005")
        return False
    except Killed:
        return True
    finally:
        engine.dispose()


def test_what_an_earlier_version_left_half_made_is_finished(tmp_path: Path, whole: list[tuple[str, ...]]) -> None:
    writes = 1
    while broken_off(tmp_path / f"{writes}.db", writes):
        Database(tmp_path / f"{writes}.db").close()
        assert shape(tmp_path / f"{writes}.db") == whole
        writes += 5  # most make tables one after another; what is delicate is tried at every statement below
    assert writes > 40


def test_a_half_made_upgrade_keeps_every_row(tmp_path: Path, whole: list[tuple[str, ...]]) -> None:
    for writes in range(1, 60, 2):
        path = tmp_path / f"{writes}.db"
        old_database(path, "0003")
        if not broken_off(path, writes):
            break
        database = Database(path)
        with database.read() as session:
            for table in ("trial", "fit"):
                assert session.connection().exec_driver_sql(f"SELECT count(*) FROM {table}").scalar() == ROWS
        database.close()
        assert shape(path) == whole
    assert writes > 15


@pytest.mark.parametrize("revision", REVISIONS)
def test_a_copy_is_kept_before_an_upgrade(tmp_path: Path, revision: str) -> None:
    old_database(tmp_path / "pellux.db", revision)
    before = shape(tmp_path / "pellux.db")
    Database(tmp_path / "pellux.db").close()
    copy = tmp_path / f"pellux-before-upgrade-from-{revision}.db"
    assert shape(copy) == before != shape(tmp_path / "pellux.db")
    assert not list(tmp_path.glob("*.part"))


OPEN = "import sys, pathlib; from pellux.store.database import Database; Database(pathlib.Path(sys.argv[1])).close()"


@pytest.mark.slow
@pytest.mark.parametrize("old", ["", "0002"])
def test_processes_that_open_it_at_once_do_not_collide(tmp_path: Path, old: str, whole: list[tuple[str, ...]]) -> None:
    path = tmp_path / "pellux.db"
    if old:
        old_database(path, old)
    openers = [popen([sys.executable, "-c", OPEN, path], stderr=subprocess.PIPE, text=True) for _ in range(6)]
    assert [(opener.communicate()[1], opener.returncode) for opener in openers] == [("", 0)] * 6
    assert shape(path) == whole


def test_nothing_changes_below_an_engine_of_an_earlier_version(tmp_path: Path) -> None:
    old_database(tmp_path / "pellux.db", "0004")
    before = (tmp_path / "pellux.db").read_bytes()
    engine = EngineLock(tmp_path)
    engine.take(url="http://127.0.0.1:1")
    with pytest.raises(EngineHeld, match="at http://127.0.0.1:1 holds"):
        Database(tmp_path / "pellux.db")
    assert (tmp_path / "pellux.db").read_bytes() == before
    engine.release()
    Database(tmp_path / "pellux.db").close()


def test_an_upgrade_that_fails_leaves_what_was_there(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    old_database(tmp_path / "pellux.db", "0003")
    before = shape(tmp_path / "pellux.db")
    with monkeypatch.context() as patch:
        patch.setattr(upgrading, "upgrade_to", _upgrade_and_fail)
        with pytest.raises(Killed):
            Database(tmp_path / "pellux.db")
    assert shape(tmp_path / "pellux.db") == before
    Database(tmp_path / "pellux.db").close()


REAL = upgrading.upgrade_to


def _upgrade_and_fail(connection: Any) -> None:
    REAL(connection)
    raise Killed


def unpacked(folder: Path) -> tuple[Path, dict[str, Any]]:
    """The workspace that version 0.1 left, and what that version showed of it."""
    with tarfile.open(FIXTURES / "workspace-of-0.1.tar.xz") as archive:
        archive.extractall(folder, filter="data")
    return folder, json.loads((FIXTURES / "workspace-of-0.1.json").read_text())


def test_the_workspace_of_the_version_before_is_upgraded(tmp_path: Path) -> None:
    folder, told = unpacked(tmp_path)
    Database(folder / "pellux.db").close()
    with closing(sqlite3.connect(folder / "pellux.db")) as connection:
        rows = dict(connection.execute("SELECT id, state FROM search").fetchall())
    assert {str(key): state for key, state in rows.items()} == {key: view["state"] for key, view in told["searches"].items()}
