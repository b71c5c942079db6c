"""Kills processes that make or upgrade a database, at random moments: `python -m tests.store.kills [COUNT] [SEED]`.

After each kill the database is opened as a user would; it must come out whole, with all rows that were there. Prints one line of JSON.
"""

from __future__ import annotations

import json
import os
import random
import shutil
import signal
import sqlite3
import sys
import tempfile
import time
from contextlib import closing
from pathlib import Path

from sqlalchemy import create_engine, text

from pellux.store.database import Database
from pellux.store.upgrading import upgrade_to

REVISIONS = ("0001", "0002", "0003", "0004", "0005")
ROWS = 400


def old_database(path: Path, revision: str) -> None:
    """A database as a version of that revision left it, with enough rows that upgrading them takes a while."""
    engine = create_engine(f"sqlite:///{path}")
    with engine.connect() as connection:
        upgrade_to(connection, revision)
        connection.execute(text("INSERT INTO data_file VALUES ('h', 'loads.csv', 1, 1, 1, 0.0)"))
        connection.execute(text(
            "INSERT INTO problem (id, name, data_hash, brief, brief_hash, folds_hash, frozen, tags, created_at) "
            "VALUES (1, 'p', 'h', '{}', 'b', 'f', 1, '[]', 0.0)"
        ))  # fmt: skip
        connection.execute(text(
            "INSERT INTO search (id, problem_id, number, learner, space, plan, plan_hash, state, reason, workers, active_seconds, "
            "created_at, versions) VALUES (1, 1, 1, 'tree', '', '{}', '', 'finished', '', 1, 0.0, 0.0, '{}')"
        ))  # fmt: skip
        for number in range(ROWS):
            connection.execute(text(
                "INSERT INTO trial (search_id, number, origin, state, reason, configuration, scores, seconds, seen, pending, "
                f"created_at, note, tags, shortlisted) VALUES (1, {number}, 'proposed', 'scored', '', '{{}}', '[1.0]', 0, 0, 0, 0, '', '[]', 0)"
            ))  # fmt: skip
            rung = "" if revision < "0004" else ", rung"
            connection.execute(text(
                f"INSERT INTO fit (search_id, trial, fold, state, attempt, seconds, predict_seconds, message, log, warnings{rung}) "
                f"VALUES (1, {number}, 0, 'done', 1, 0.0, 0.0, '', '', '[]'{', 0' if rung else ''})"
            ))  # fmt: skip
        connection.commit()
    engine.dispose()


def shape(path: Path) -> list[tuple[str, ...]]:
    """Tables, indexes and triggers with the columns they have, whatever order those came in."""
    with closing(sqlite3.connect(path)) as connection:
        things = connection.execute("SELECT type, name FROM sqlite_master WHERE name NOT LIKE 'sqlite_%' ORDER BY name").fetchall()
        columns = {
            name: sorted(f"{row[1]} {row[2]} {row[3]} {row[5]}" for row in connection.execute(f"PRAGMA table_info({name})"))
            for kind, name in things
            if kind == "table"
        }
    return [(kind, name, *columns.get(name, ())) for kind, name in things]


def killed_after(path: Path, seconds: float) -> bool:
    """Open a database in a process that is killed after so many seconds; whether it had not ended by itself."""
    child = os.fork()
    if child == 0:
        try:
            Database(path).close()
        finally:
            os._exit(0)
    time.sleep(seconds)
    os.kill(child, signal.SIGKILL)
    return os.waitpid(child, 0)[1] == signal.SIGKILL


def campaign(count: int, seed: int) -> dict[str, int]:
    rng, folder = random.Random(seed), Path(tempfile.mkdtemp())
    found = {"kills": 0, "early ends": 0, "broken": 0, "lost rows": 0}
    try:
        fresh = folder / "fresh.db"
        Database(fresh).close()
        wanted = shape(fresh)
        for revision in REVISIONS:
            old_database(folder / f"{revision}.db", revision)
        begun = time.monotonic()
        Database(folder / "warm.db").close()
        longest = 1.2 * (time.monotonic() - begun)
        while found["kills"] < count:
            here = folder / str(found["kills"] + found["early ends"])
            here.mkdir()
            revision = rng.choice(("", *REVISIONS))
            path = here / "pellux.db"
            if revision:
                shutil.copy(folder / f"{revision}.db", path)
            found["kills" if killed_after(path, longest * rng.random()) else "early ends"] += 1
            Database(path).close()
            found["broken"] += shape(path) != wanted
            with closing(sqlite3.connect(path)) as connection:
                for table in ("trial", "fit"):
                    found["lost rows"] += (ROWS if revision else 0) - connection.execute(
                        f"SELECT count(*) FROM {table}"
                    ).fetchone()[0]
                found["broken"] += connection.execute("PRAGMA integrity_check").fetchone() != ("ok",)
            shutil.rmtree(here)
    finally:
        shutil.rmtree(folder)
    return found


if __name__ == "__main__":
    print(json.dumps(campaign(*(int(given) for given in (*sys.argv[1:], *("200", "1")[len(sys.argv) - 1 :])))))
