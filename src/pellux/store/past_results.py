"""Results from elsewhere, and the fits of rehearsals: what is known beside a problem's own searches."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from typing import Any

from sqlalchemy import func, insert, select
from sqlalchemy.orm import Session

from pellux.store import ledger, models
from pellux.store.records import PastResult, RehearsalFit
from pellux.store.statements import every, of

P, R = models.PastResult, models.RehearsalFit


def add_past_results(session: Session, problem_id: int, at: float, results: Sequence[PastResult]) -> None:
    session.execute(insert(P), [asdict(result) for result in results])
    ledger.append(session, [ledger.New(at, None, "problem", {"problem_id": problem_id, "what": "past results"})])


def past_results(session: Session, problem_id: int, learner: str) -> list[PastResult]:
    """As they were brought."""
    return every(session, PastResult, of(PastResult).where(P.problem_id == problem_id, P.learner == learner).order_by(P.id))


def count_past_results(session: Session, problem_id: int, learner: str) -> int:
    return session.scalar(select(func.count(P.id)).where(P.problem_id == problem_id, P.learner == learner)) or 0


def add_rehearsal(session: Session, fits: Sequence[RehearsalFit]) -> None:
    if fits:
        session.execute(insert(R), [asdict(fit) for fit in fits])


def rehearsed_costs(session: Session, problem_id: int, learner: str) -> list[tuple[dict[str, Any], float]]:
    """(configuration, seconds) of rehearsal fits that were done."""
    wanted = select(R.configuration, R.seconds).where(R.problem_id == problem_id, R.learner == learner, R.state == "done")
    return [(configuration, seconds) for configuration, seconds in session.execute(wanted)]
