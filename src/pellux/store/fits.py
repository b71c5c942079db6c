"""Fits and the points of their curves."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

from sqlalchemy import and_, case, func, select
from sqlalchemy.orm import Session

from pellux.store import models
from pellux.store.models import Point
from pellux.store.records import Fit
from pellux.store.statements import every, of

F, T = models.Fit, models.Trial
Key = tuple[int, int]  # trial number, fold


def fits_of(session: Session, search_id: int, trial: int | None = None) -> list[Fit]:
    """Of a search or one of its trials, by trial, fold and rung."""
    wanted = of(Fit).where(F.search_id == search_id)
    if trial is not None:
        wanted = wanted.where(F.trial == trial)
    return every(session, Fit, wanted.order_by(F.trial, F.fold, F.rung))


def newest_begun(session: Session, search_id: int, most: int) -> list[Fit]:
    """The newest fits that have begun, as they began; without their logs."""
    wanted = of(Fit).where(F.search_id == search_id, F.started_at.is_not(None))
    return every(session, Fit, wanted.order_by(F.started_at.desc()).limit(most))[::-1]


def costs(session: Session, search_id: int, trials: Sequence[int]) -> list[tuple[int, float, float, int | None]]:
    """Of each trial (number, seconds of a mean fit, seconds of predicting all folds, bytes of the model)."""
    folds = func.count(F.fold.distinct())  # a fold has a fit for every rung that the trial climbed
    wanted = select(
        F.trial, func.sum(F.seconds) / folds, func.sum(F.predict_seconds) * folds / func.count(),
        func.max(case((F.fold == 0, F.model_bytes))),
    )  # fmt: skip
    rows = wanted.where(F.search_id == search_id, F.trial.in_(trials), F.state == "done").group_by(F.trial)
    return [tuple(row) for row in session.execute(rows)]


def recorded(session: Session, search_id: int) -> dict[Key, dict[str, float]]:
    """By trial and fold what was recorded beside the deciding metric, at the highest rung."""
    wanted = select(F.trial, F.fold, F.recorded).where(F.search_id == search_id, F.state == "done").order_by(F.rung)
    return {(trial, fold): scores for trial, fold, scores in session.execute(wanted)}


class Told(NamedTuple):
    """What a fit tells beside its score."""

    seconds: float
    model_bytes: int | None
    recorded: dict[str, float]


def told(session: Session, trial_ids: Sequence[int]) -> dict[int, list[Told]]:
    """By a trial's id what its folds told, each at its highest rung."""
    wanted = select(T.id, F.fold, F.seconds, F.model_bytes, F.recorded)
    wanted = wanted.join(T, and_(T.search_id == F.search_id, T.number == F.trial)).where(T.id.in_(trial_ids), F.state == "done")
    found: dict[int, dict[int, Told]] = {}
    for trial, fold, *rest in session.execute(wanted.order_by(F.rung)):
        found.setdefault(trial, {})[fold] = Told(*rest)
    return {trial: list(folds.values()) for trial, folds in found.items()}


def busy_and_recent(session: Session, searches: Sequence[int], since: float) -> tuple[int, int]:
    """Of some searches, the fits that run and those done since a moment."""
    busy = session.scalar(select(func.count()).where(F.search_id.in_(searches), F.state == "running"))
    recent = session.scalar(select(func.count()).where(F.search_id.in_(searches), F.ended_at > since, F.state == "done"))
    return busy or 0, recent or 0


def count_by_state(session: Session) -> dict[str, int]:
    rows = session.execute(select(F.state, func.count()).group_by(F.state))
    return dict(rows.all())


def curves_of(session: Session, search_id: int, trial_number: int | None = None) -> dict[Key, tuple[tuple[int, float], ...]]:
    """The learning curves of a search or of one of its trials, by trial and fold."""
    found: dict[Key, list[tuple[int, float]]] = {}
    rows = select(Point.trial, Point.fold, Point.iteration, Point.score).where(Point.search_id == search_id)
    if trial_number is not None:
        rows = rows.where(Point.trial == trial_number)
    for trial, fold, iteration, score in session.execute(rows.order_by(Point.trial, Point.fold, Point.iteration)):
        found.setdefault((trial, fold), []).append((iteration, score))
    return {key: tuple(points) for key, points in found.items()}


def mean_curves(session: Session, search_id: int, trials: Sequence[int]) -> list[tuple[int, int, float, int]]:
    """(trial, iteration, mean score over folds, folds that have come so far), by trial and iteration."""
    wanted: Any = select(Point.trial, Point.iteration, func.avg(Point.score), func.count()).where(
        Point.search_id == search_id, Point.trial.in_(trials)
    )
    rows = wanted.group_by(Point.trial, Point.iteration).order_by(Point.trial, Point.iteration)
    return [tuple(row) for row in session.execute(rows)]
