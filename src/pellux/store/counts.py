"""How many of everything there are, by state: for operators."""

from __future__ import annotations

from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from pellux.store import models


def by_state(session: Session) -> dict[str, dict[str, int]]:
    """Searches, trials and fits by their states."""
    tables: dict[str, Any] = {"searches": models.Search, "trials": models.Trial, "fits": models.Fit}
    return {
        name: dict(session.execute(select(table.state, func.count()).group_by(table.state)).all()) for name, table in tables.items()
    }
