"""How repositories ask the database: selected columns come out as records, a new row gives its id."""

from __future__ import annotations

from typing import Any, TypeVar

from sqlalchemy import Select, insert, select
from sqlalchemy.orm import Session

from pellux.store.models import Base
from pellux.store.records import columns

R = TypeVar("R")


def of(kind: type[Any]) -> Select[Any]:
    """A select of everything that a record holds; conditions and order are put to it."""
    return select(*columns(kind))  # type: ignore[arg-type]


def every(session: Session, kind: type[R], wanted: Select[Any]) -> list[R]:
    return [kind(*row) for row in session.execute(wanted)]


def first(session: Session, kind: type[R], wanted: Select[Any]) -> R | None:
    row = session.execute(wanted.limit(1)).first()
    return None if row is None else kind(*row)


def add(session: Session, table: type[Base], **values: Any) -> int:
    """Insert a row; its id."""
    key: Any = table.__table__.c.id
    return int(session.execute(insert(table).values(**values).returning(key)).scalar_one())
