"""Sums over trials and fits, of many searches at once."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sqlalchemy import case, func, select
from sqlalchemy.orm import Session

from pellux.store import models
from pellux.store.records import Trial
from pellux.store.statements import every, of
from pellux.store.trials import BEST_FIRST, SCORED, USABLE

F, S, T = models.Fit, models.Search, models.Trial


def states(session: Session, searches: Sequence[int]) -> dict[int, dict[tuple[str, str], int]]:
    """By search: how many trials are in each state, by where they came from (their origin)."""
    wanted = select(T.search_id, T.state, T.origin, func.count()).where(T.search_id.in_(searches))
    found: dict[int, dict[tuple[str, str], int]] = {}
    for search, state, origin, count in session.execute(wanted.group_by(T.search_id, T.state, T.origin)):
        found.setdefault(search, {})[state, origin] = count
    return found


def fits_done(session: Session, searches: Sequence[int]) -> dict[int, tuple[int, float]]:
    """By search: how many fits are done, and the seconds of all."""
    wanted = select(F.search_id, func.count(case((F.state == "done", 1))), func.coalesce(func.sum(F.seconds), 0.0))
    rows = session.execute(wanted.where(F.search_id.in_(searches)).group_by(F.search_id))
    return {search: (done, seconds) for search, done, seconds in rows}


def work_saved(session: Session, searches: Sequence[int]) -> dict[int, tuple[float, float | None, int]]:
    """By search: shares of a whole trial's work that pruned trials did not do, nor scored ones whose fits ended early; mean seconds
    of a whole trial; how many pruned and scored ones there are."""
    whole = case(((T.state == SCORED) & (T.share > 0), T.seconds / T.share))
    wanted: Any = select(T.search_id, func.coalesce(func.sum(1 - T.share), 0.0), func.avg(whole), func.count())
    rows = wanted.where(T.search_id.in_(searches), T.state.in_((SCORED, "ended early"))).group_by(T.search_id)
    return {search: (shares, seconds, count) for search, shares, seconds, count in session.execute(rows)}


def keeping(session: Session, searches: Sequence[int]) -> dict[int, int]:
    """By search: how many scored trials keep its limits."""
    if not searches:
        return {}
    wanted = select(T.search_id, func.count()).where(T.search_id.in_(searches), T.state == SCORED, T.keeps.is_(True))
    return dict(session.execute(wanted.group_by(T.search_id)).all())


def best(session: Session, searches: Sequence[int]) -> dict[int, Trial]:
    """By search: its best scored trial that keeps its limits."""
    first = select(T.id).where(T.search_id == S.id, *USABLE).order_by(*BEST_FIRST).limit(1).scalar_subquery()
    wanted = of(Trial).where(T.id.in_(select(first).select_from(S).where(S.id.in_(searches))))
    return {trial.search_id: trial for trial in every(session, Trial, wanted)}
