"""Steps of migrations that leave alone what is there already.

Versions before 0006 made and upgraded databases statement by statement: a kill in between left a database that had a part of
the next revision. A step that asks first finishes such a one; on a whole database it does what Alembic's own does.
"""

from __future__ import annotations

from typing import Any

import sqlalchemy as sa
from alembic import op


def tables() -> set[str]:
    return set(sa.inspect(op.get_bind()).get_table_names())


def has_column(table: str, column: str) -> bool:
    return any(found["name"] == column for found in sa.inspect(op.get_bind()).get_columns(table))


def create_table(name: str, *parts: Any, **options: Any) -> None:
    if name not in tables():
        op.create_table(name, *parts, **options)


def create_index(name: str, table: str, columns: list[str]) -> None:
    if all(found["name"] != name for found in sa.inspect(op.get_bind()).get_indexes(table)):
        op.create_index(name, table, columns)


def add_column(table: str, column: sa.Column[Any]) -> None:
    if not has_column(table, column.name):
        op.add_column(table, column)
