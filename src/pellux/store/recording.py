"""Writes what the engine reports, as plain rows: many a transaction."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any

from sqlalchemy import bindparam, delete, func, insert, select, update
from sqlalchemy.dialects.sqlite import insert as upsert
from sqlalchemy.orm import Session

from pellux.store.models import Base, Fit, Ledger, Point, Prediction, Problem, Search, Trial


def _upsert(table: type[Base], key: tuple[str, ...], changing: tuple[str, ...], **fixed: Any) -> Any:
    statement = upsert(table).values({name: bindparam(name) for name in (*key, *changing)} | fixed)
    return statement.on_conflict_do_update(index_elements=list(key), set_={name: statement.excluded[name] for name in changing})


# Built once: building a statement costs more than running it.
_BORN = ("origin", "configuration", "seen", "pending", "created_at", "learner", "source_id", "bracket", "cohort", "parent")
_CHANGING = (
    "state", "reason", "scores", "mean", "error", "rank_score", "seconds", "ended_at", "rung", "results", "best_iteration", "share",
)  # fmt: skip
_FOLD_KEY = ("search_id", "trial", "fold")
_FIT_KEY = (*_FOLD_KEY, "rung")
_PUT_TRIAL = _upsert(Trial, ("search_id", "number"), (*_BORN, *_CHANGING), note="", tags=[], shortlisted=False)
_PUT_FIT = _upsert(Fit, _FIT_KEY, tuple(c.name for c in Fit.__table__.columns if not c.primary_key))
_PUT_PREDICTION = _upsert(Prediction, _FOLD_KEY, ("data",))
_PUT_POINT = _upsert(Point, (*_FOLD_KEY, "iteration"), ("score",))
_APPEND = insert(Ledger)
_NEWEST = select(func.max(Ledger.id))


def put_trials(session: Session, rows: Sequence[dict[str, Any]]) -> None:
    """Insert trials, or bring them up to date; their identity is (search_id, number)."""
    session.connection().execute(_PUT_TRIAL, list(rows))


def trial_ids(session: Session, search_id: int, numbers: Sequence[int]) -> dict[int, int]:
    """The ids of a search's trials by their numbers."""
    wanted = select(Trial.number, Trial.id).where(Trial.search_id == search_id, Trial.number.in_(numbers))
    return dict(session.execute(wanted).all())


def put_fits(session: Session, rows: Sequence[dict[str, Any]]) -> None:
    session.connection().execute(_PUT_FIT, list(rows))


def put_points(session: Session, rows: Sequence[dict[str, Any]]) -> None:
    session.connection().execute(_PUT_POINT, list(rows))


def curves_of(
    session: Session, search_id: int, trial_number: int | None = None
) -> dict[tuple[int, int], tuple[tuple[int, float], ...]]:
    """The learning curves of a search or of one of its trials, by trial and fold."""
    found: dict[tuple[int, int], list[tuple[int, float]]] = {}
    rows = select(Point.trial, Point.fold, Point.iteration, Point.score).where(Point.search_id == search_id)
    if trial_number is not None:
        rows = rows.where(Point.trial == trial_number)
    for trial, fold, iteration, score in session.execute(rows.order_by(Point.trial, Point.fold, Point.iteration)):
        found.setdefault((trial, fold), []).append((iteration, score))
    return {key: tuple(points) for key, points in found.items()}


def put_predictions(session: Session, rows: Sequence[dict[str, Any]]) -> None:
    session.connection().execute(_PUT_PREDICTION, list(rows))


def drop_predictions(session: Session, search_id: int, numbers: Sequence[int]) -> None:
    """Forget what trials predicted that ended without a score."""
    session.execute(delete(Prediction).where(Prediction.search_id == search_id, Prediction.trial.in_(numbers)))


def put_search(session: Session, search_id: int, **changes: Any) -> None:
    session.execute(update(Search).where(Search.id == search_id).values(**changes))


def freeze_problem(session: Session, problem_id: int) -> None:
    session.execute(update(Problem).where(Problem.id == problem_id).values(frozen=True))


def append_ledger(session: Session, entries: Sequence[tuple[float, int | None, str, dict[str, Any]]]) -> int:
    """Append (at, search_id, kind, payload) entries; returns the newest id."""
    rows = [
        {"at": at, "search_id": search_id, "kind": kind, "payload": json.dumps(payload, separators=(",", ":"))}
        for at, search_id, kind, payload in entries
    ]
    session.connection().execute(_APPEND, rows)
    return newest_entry(session)


def newest_entry(session: Session) -> int:
    return session.connection().execute(_NEWEST).scalar() or 0


def entries_after(session: Session, after: int, search_id: int | None, limit: int) -> list[tuple[int, float, str, int | None, str]]:
    """Ledger entries with an id above `after`, oldest first: (id, at, kind, search_id, payload text)."""
    statement = select(Ledger.id, Ledger.at, Ledger.kind, Ledger.search_id, Ledger.payload).where(Ledger.id > after)
    if search_id is not None:
        statement = statement.where(Ledger.search_id == search_id)
    return [tuple(row) for row in session.execute(statement.order_by(Ledger.id).limit(limit))]  # type: ignore[misc]
