"""Decisions, analyses and the scores by other metrics that are computed for them."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from typing import Any

from sqlalchemy import select, update
from sqlalchemy.dialects.sqlite import insert as upsert
from sqlalchemy.orm import Session

from pellux.core.errors import NotFound
from pellux.store import ledger, models
from pellux.store.records import Analysis, Decision
from pellux.store.statements import add, every, first, of

A, D, Side = models.Analysis, models.Decision, models.SideScore
RUNNING, DONE, FAILED = "running", "done", "failed"


def add_decision(
    session: Session, *, problem_id: int, trial_id: int, search_id: int, rule: str, reason: str, signer: str, created_at: float,
    record: Mapping[str, Any], fingerprint: str,
) -> int:  # fmt: skip
    decision_id = add(
        session,
        D,
        problem_id=problem_id,
        trial_id=trial_id,
        rule=rule,
        reason=reason,
        signer=signer,
        created_at=created_at,
        record=dict(record),
        fingerprint=fingerprint,
    )
    signed: ledger.DecisionSigned = {"problem_id": problem_id, "trial_id": trial_id, "decision": decision_id}
    ledger.append(session, [ledger.New(created_at, search_id, "decision", signed)])
    return decision_id


def get_decision(session: Session, decision_id: int) -> Decision:
    found = first(session, Decision, of(Decision).where(D.id == decision_id))
    if found is None:
        raise NotFound(f"There is no decision {decision_id}.")
    return found


def decisions_of(session: Session, problem_id: int | None = None) -> list[Decision]:
    """Of a problem or of all, newest first."""
    wanted = of(Decision) if problem_id is None else of(Decision).where(D.problem_id == problem_id)
    return every(session, Decision, wanted.order_by(D.id.desc()))


def successor(session: Session, decision: Decision) -> int | None:
    """The decision that took a decision's place."""
    later = select(D.id).where(D.problem_id == decision.problem_id, D.id > decision.id).order_by(D.id).limit(1)
    return session.scalar(later)


# Analyses


def add_analysis(session: Session, *, problem_id: int, kind: str, key: str, request: Mapping[str, Any], created_at: float) -> int:
    return add(
        session,
        A,
        problem_id=problem_id,
        kind=kind,
        key=key,
        request=dict(request),
        state=RUNNING,
        result=None,
        message="",
        created_at=created_at,
    )


def end_analysis(session: Session, found: Analysis, at: float, result: dict[str, Any] | None, message: str) -> None:
    """Keep its result, or why there is none, and tell."""
    state: Any = FAILED if result is None else DONE
    changes = {"state": state, "result": result, "message": message, "ended_at": at}
    session.execute(update(A).where(A.id == found.id).values(**changes))
    entry: ledger.AnalysisChanged = {"problem_id": found.problem_id, "analysis": found.id, "what": found.kind, "state": state}
    ledger.append(session, [ledger.New(at, None, "analysis", entry)])


def get_analysis(session: Session, analysis_id: int) -> Analysis:
    found = first(session, Analysis, of(Analysis).where(A.id == analysis_id))
    if found is None:
        raise NotFound(f"There is no analysis {analysis_id}.")
    return found


def analyses_of(session: Session, problem_id: int, kind: str) -> list[Analysis]:
    """All of a kind, oldest first."""
    return every(session, Analysis, of(Analysis).where(A.problem_id == problem_id, A.kind == kind).order_by(A.id))


def newest_analysis(
    session: Session, problem_id: int, kind: str, *, key: str | None = None, state: str | None = None, but_state: str | None = None
) -> Analysis | None:
    """The newest of its kind, or of exactly this question, or in this state."""
    wanted = of(Analysis).where(A.problem_id == problem_id, A.kind == kind)
    if key is not None:
        wanted = wanted.where(A.key == key)
    if state is not None:
        wanted = wanted.where(A.state == state)
    if but_state is not None:
        wanted = wanted.where(A.state != but_state)
    return first(session, Analysis, wanted.order_by(A.id.desc()))


def running_analyses(session: Session, kinds: Collection[str]) -> list[int]:
    return list(session.scalars(select(A.id).where(A.state == RUNNING, A.kind.in_(kinds))))


def put_analysis(session: Session, found: Analysis, at: float, **changes: Any) -> None:
    """Change what is kept of one that is under way, and tell."""
    session.execute(update(A).where(A.id == found.id).values(**changes))
    entry: ledger.AnalysisChanged = {
        "problem_id": found.problem_id, "analysis": found.id, "what": found.kind, "state": changes.get("state", found.state),
    }  # fmt: skip
    ledger.append(session, [ledger.New(at, None, "analysis", entry)])


# Scores by other metrics


def side_scores(session: Session, trials: Sequence[int], metrics: Sequence[str]) -> list[tuple[str, int, float | None]]:
    """(metric, trial id, mean score) as far as they are known."""
    wanted = select(Side.metric, Side.trial_id, Side.mean).where(Side.trial_id.in_(trials), Side.metric.in_(metrics))
    return [tuple(row) for row in session.execute(wanted)]  # type: ignore[misc]


def add_side_scores(session: Session, rows: Sequence[Mapping[str, Any]]) -> None:
    """Keep (trial_id, metric, mean) rows; what is known stays."""
    session.execute(upsert(Side).on_conflict_do_nothing(), [dict(row) for row in rows])
