"""What all migrations come to, as SQL: a new workspace is laid down by it, and not by their whole history. schema_writing.py writes it."""

from __future__ import annotations

from pathlib import Path

from sqlalchemy import Connection

FILE = Path(__file__).parent / "schema.sql"


def lay_down(connection: Connection) -> None:
    """Every table and index, and the revision, within the transaction that the connection is in."""
    for statement in FILE.read_text("utf-8").split("\n\n"):
        connection.exec_driver_sql(statement)
