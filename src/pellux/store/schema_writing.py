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
        return "\n\n".join(line for line in connection.iterdump() if line not in ("BEGIN TRANSACTION;", "COMMIT;")) + "\n"


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as folder:
        FILE.write_text(by_migrations(Path(folder) / "made.db"), "utf-8")
