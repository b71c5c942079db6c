"""Reads stored predictions; many of them by plain sqlite3, one after another."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator, Sequence
from contextlib import closing
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import Session

from pellux.store import models

Key = tuple[int, int]  # search id, trial number


def newest_predicted(session: Session, problem_id: int) -> Key | None:
    """The newest scored trial of a problem that kept predictions."""
    kept = select(models.Prediction.trial, models.Prediction.search_id).distinct().subquery()
    wanted = (
        select(models.Trial.search_id, models.Trial.number)
        .join(models.Search, models.Search.id == models.Trial.search_id)
        .join(kept, (kept.c.search_id == models.Trial.search_id) & (kept.c.trial == models.Trial.number))
        .where(models.Search.problem_id == problem_id, models.Trial.state == "scored")
        .order_by(models.Trial.id.desc())
        .limit(1)
    )
    found = session.execute(wanted).first()
    return None if found is None else (found[0], found[1])


def read_predictions(database: Path, wanted: Sequence[Key]) -> Iterator[dict[int, bytes]]:
    """For each trial in turn, its encoded predictions by fold; empty where none are stored."""
    statement = "SELECT fold, data FROM prediction WHERE search_id = ? AND trial = ?"
    with closing(sqlite3.connect(database.absolute().as_uri() + "?mode=ro", uri=True, timeout=30)) as connection:
        for key in wanted:
            yield dict(connection.execute(statement, key).fetchall())
