"""Reads stored predictions, many of them one after another: by plain sqlite3, which processes of their own load at once."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator, Sequence
from contextlib import closing
from pathlib import Path

Key = tuple[int, int]  # search id, trial number


def read_predictions(database: Path, wanted: Sequence[Key]) -> Iterator[dict[int, bytes]]:
    """For each trial in turn, its encoded predictions by fold; empty where none are stored."""
    statement = "SELECT fold, data FROM prediction WHERE search_id = ? AND trial = ?"
    with closing(sqlite3.connect(database.absolute().as_uri() + "?mode=ro", uri=True, timeout=30)) as connection:
        for key in wanted:
            yield dict(connection.execute(statement, key).fetchall())
