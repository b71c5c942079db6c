"""`python -m pellux.store.schema_writing` writes schema.sql anew after a migration was added; a test compares the two."""

from __future__ import annotations

import sqlite3
import tempfile
from contextlib import closing
from pathlib import Path

from sqlalchemy import create_engine

from pellux.store.schema import FILE
from pellux.store.upgrading import upgrade_to


def by_migrations(path: Path) -> str:
    """The SQL of a database that the migrations made at `path`."""
    engine = create_engine(f"sqlite:///{path}")
    with engine.connect() as connection:
        upgrade_to(connection)
        connection.commit()
    engine.dispose()
    with closing(sqlite3.connect(path)) as connection:
        kept = (line for line in connection.iterdump() if line not in ("BEGIN TRANSACTION;", "COMMIT;"))
        return "\n\n".join(map(_in_order, kept)) + "\n"


def _in_order(statement: str) -> str:
    """The foreign keys of a table by name: a table that a migration copied has them in the order of a set."""
    lines = statement.split("\n")
    keys = [place for place, line in enumerate(lines) if line.strip().startswith("FOREIGN KEY")]
    named = sorted(lines[place].strip(" \t,") for place in keys)
    for place, key in zip(keys, named, strict=True):
        lines[place] = "\t" + key + (", " if lines[place].rstrip().endswith(",") else "")
    return "\n".join(lines)


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as folder:
        FILE.write_text(by_migrations(Path(folder) / "made.db"), "utf-8")
