"""What other problems taught a search, kept when it began: the same on every restart, whatever becomes of those problems."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import func, insert, select
from sqlalchemy.orm import Session

from pellux.store import models
from pellux.store.records import KeptLesson
from pellux.store.statements import every, of

L = models.Lesson


def add_lessons(session: Session, search_id: int, lessons: Sequence[KeptLesson]) -> None:
    if lessons:
        rows = [
            {"search_id": search_id, "problem_id": one.problem_id, "name": one.name, "likeness": one.likeness, "trials": one.trials}
            for one in lessons
        ]
        session.execute(insert(L), rows)


def lessons_of(session: Session, search_id: int) -> list[KeptLesson]:
    """The most alike first."""
    return every(session, KeptLesson, of(KeptLesson).where(L.search_id == search_id).order_by(L.likeness.desc(), L.id))


def named(session: Session, search_ids: Sequence[int]) -> dict[int, list[tuple[int, str, float, int]]]:
    """By search what it was taught, without the trials: problem, its name, how alike, number of trials."""
    wanted = select(L.search_id, L.problem_id, L.name, L.likeness, func.json_array_length(L.trials))
    found: dict[int, list[tuple[int, str, float, int]]] = {}
    for search_id, *one in session.execute(wanted.where(L.search_id.in_(search_ids)).order_by(L.likeness.desc(), L.id)):
        found.setdefault(search_id, []).append((one[0], one[1], one[2], one[3]))
    return found
