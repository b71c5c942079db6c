"""What all migrations come to, as SQL: a new workspace is laid down by it, and not by their whole history.

`python -m pellux.store.schema` writes it anew after a migration was added; a test compares the two.
"""

from __future__ import annotations

import sqlite3
from contextlib import closing
from pathlib import Path

from sqlalchemy import Connection, create_engine

FILE = Path(__file__).parent / "schema.sql"


def lay_down(connection: Connection) -> None:
    """Every table and index, and the revision, within the transaction that the connection is in."""
    for statement in FILE.read_text("utf-8").split("\n\n"):
        connection.exec_driver_sql(statement)


def by_migrations(path: Path) -> str:
    """The same from a database that the migrations made at `path`."""
    from pellux.store.upgrading import upgrade_to

    engine = create_engine(f"sqlite:///{path}")
    with engine.connect() as connection:
        upgrade_to(connection)
        connection.commit()
    engine.dispose()
    with closing(sqlite3.connect(path)) as connection:
        return "\n\n".join(line for line in connection.iterdump() if line not in ("BEGIN TRANSACTION;", "COMMIT;")) + "\n"


if __name__ == "__main__":
    import tempfile

    with tempfile.TemporaryDirectory() as folder:
        FILE.write_text(by_migrations(Path(folder) / "made.db"), "utf-8")
