"""Problems and the data files they are about."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from sqlalchemy import insert, select, update
from sqlalchemy.orm import Session

from pellux.core.errors import NotFound
from pellux.store import ledger, models
from pellux.store.records import DataFile, Problem
from pellux.store.statements import add, every, first, of


def get_problem(session: Session, problem_id: int) -> Problem:
    found = first(session, Problem, of(Problem).where(models.Problem.id == problem_id))
    if found is None:
        raise NotFound(f"There is no problem {problem_id}.")
    return found


def every_problem(session: Session) -> list[Problem]:
    """Newest first."""
    return every(session, Problem, of(Problem).order_by(models.Problem.id.desc()))


def problem_of_brief(session: Session, brief_hash: str) -> int | None:
    """The oldest problem of exactly this brief."""
    found = select(models.Problem.id).where(models.Problem.brief_hash == brief_hash).order_by(models.Problem.id).limit(1)
    return session.scalar(found)


def add_problem(
    session: Session, *, name: str, created_at: float, brief: Mapping[str, Any], brief_hash: str, objective: str = "table",
    data_hash: str | None = None, folds_hash: str | None = None, derived_from: int | None = None,
) -> int:  # fmt: skip
    problem_id = add(
        session,
        models.Problem,
        name=name,
        objective=objective,
        data_hash=data_hash,
        brief=dict(brief),
        brief_hash=brief_hash,
        folds_hash=folds_hash,
        frozen=False,
        derived_from=derived_from,
        tags=[],
        created_at=created_at,
    )
    ledger.append(session, [ledger.New(created_at, None, "problem", {"problem_id": problem_id, "what": "made"})])
    return problem_id


def change_brief(
    session: Session, problem_id: int, at: float, *, brief: Mapping[str, Any], brief_hash: str, data_hash: str | None,
    folds_hash: str | None,
) -> None:  # fmt: skip
    changes = {"brief": dict(brief), "brief_hash": brief_hash, "data_hash": data_hash, "folds_hash": folds_hash}
    session.execute(update(models.Problem).where(models.Problem.id == problem_id).values(**changes))
    ledger.append(session, [ledger.New(at, None, "problem", {"problem_id": problem_id, "what": "brief"})])


def change_objective(session: Session, problem_id: int, objective: str) -> None:
    session.execute(update(models.Problem).where(models.Problem.id == problem_id).values(objective=objective))


def label(session: Session, problem_id: int, at: float, *, name: str | None = None, tags: list[str] | None = None) -> None:
    """What is None stays."""
    changes: dict[str, Any] = {**({"name": name} if name else {}), **({"tags": tags} if tags is not None else {})}
    if changes:
        session.execute(update(models.Problem).where(models.Problem.id == problem_id).values(**changes))
        ledger.append(session, [ledger.New(at, None, "problem", {"problem_id": problem_id, "what": "label"})])


def freeze(session: Session, problem_id: int) -> None:
    session.execute(update(models.Problem).where(models.Problem.id == problem_id).values(frozen=True))


def get_data(session: Session, content_hash: str | None) -> DataFile | None:
    return first(session, DataFile, of(DataFile).where(models.DataFile.hash == content_hash))


def every_data(session: Session) -> list[DataFile]:
    """Newest first."""
    return every(session, DataFile, of(DataFile).order_by(models.DataFile.created_at.desc()))


def add_data(session: Session, data: DataFile) -> None:
    """Keep it unless it is known."""
    if get_data(session, data.hash) is None:
        values = {name: getattr(data, name) for name in DataFile.__dataclass_fields__}
        session.execute(insert(models.DataFile).values(**values))
