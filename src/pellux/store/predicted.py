"""Which trials kept what they predicted."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from pellux.store import models
from pellux.store.predictions import Key


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
