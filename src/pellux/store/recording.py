"""Writes what the engine reports, as plain rows: many a transaction."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sqlalchemy import bindparam, delete
from sqlalchemy.dialects.sqlite import insert as upsert
from sqlalchemy.orm import Session

from pellux.store.models import Base, Fit, Point, Prediction, Trial


def _upsert(table: type[Base], key: tuple[str, ...], changing: tuple[str, ...], **fixed: Any) -> Any:
    statement = upsert(table).values({name: bindparam(name) for name in (*key, *changing)} | fixed)
    return statement.on_conflict_do_update(index_elements=list(key), set_={name: statement.excluded[name] for name in changing})


# Built once: building a statement costs more than running it.
_BORN = ("origin", "configuration", "seen", "pending", "created_at", "learner", "source_id", "bracket", "cohort", "parent", "goal")
_CHANGING = (
    "state", "reason", "scores", "mean", "standard_error", "rank_score", "seconds", "ended_at", "rung", "results", "best_iteration", "share",
    "measured", "keeps",
)  # fmt: skip
_FOLD_KEY = ("search_id", "trial", "fold")
_FIT_KEY = (*_FOLD_KEY, "rung")
_PUT_TRIAL = _upsert(Trial, ("search_id", "number"), (*_BORN, *_CHANGING), note="", tags=[], shortlisted=False)
_PUT_FIT = _upsert(Fit, _FIT_KEY, tuple(c.name for c in Fit.__table__.columns if not c.primary_key))
_PUT_PREDICTION = _upsert(Prediction, _FOLD_KEY, ("data",))
_PUT_POINT = _upsert(Point, (*_FOLD_KEY, "iteration"), ("score",))


def put_trials(session: Session, rows: Sequence[dict[str, Any]]) -> None:
    """Insert trials, or bring them up to date; their identity is (search_id, number)."""
    session.connection().execute(_PUT_TRIAL, list(rows))


def put_fits(session: Session, rows: Sequence[dict[str, Any]]) -> None:
    session.connection().execute(_PUT_FIT, list(rows))


def put_points(session: Session, rows: Sequence[dict[str, Any]]) -> None:
    session.connection().execute(_PUT_POINT, list(rows))


def put_predictions(session: Session, rows: Sequence[dict[str, Any]]) -> None:
    session.connection().execute(_PUT_PREDICTION, list(rows))


def drop_predictions(session: Session, search_id: int, numbers: Sequence[int]) -> None:
    """Forget what trials predicted that ended without a score."""
    session.execute(delete(Prediction).where(Prediction.search_id == search_id, Prediction.trial.in_(numbers)))
