"""Runs: searches, baselines, re-judgings and safety checks, all rows of one table. `create_run` is their only door."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, get_args

from sqlalchemy import ColumnElement, and_, delete, func, select, update
from sqlalchemy.orm import Session

from pellux.core.errors import NotFound
from pellux.store import ledger, models
from pellux.store.records import NewTrial, Search
from pellux.store.statements import add, every, first, of
from pellux.store.trials import add_trials

SEARCH, BASELINES, REJUDGE, SAFETY, FACE_OFF = "search", "baselines", "re-judge", "safety check", "face-off"
KINDS = get_args(ledger.RunKind)
RANKED = (SEARCH, BASELINES)  # kinds whose trials are ranked; those of the others have other folds, or repeat one
RUNNING, PAUSED = "running", "paused"


@dataclass(frozen=True, kw_only=True)
class NewRun:
    """What a run is made of.

    Attributes
    ----------
    stopping : mapping
        Early stopping as it was resolved; see service/planning/resolving.py.
    trials : sequence of NewTrial
        Those that are known from the start.
    """

    kind: ledger.RunKind
    problem_id: int
    plan: Mapping[str, Any]
    stopping: Mapping[str, Any]
    workers: int
    created_at: float
    versions: Mapping[str, str]
    learner: str = ""
    space: str = ""
    plan_hash: str = ""
    strategy: str = ""
    strategy_reason: str = ""
    strategy_settings: Mapping[str, Any] = field(default_factory=dict)
    overrides: Sequence[str] = ()
    trials: Sequence[NewTrial] = ()


def create_run(session: Session, run: NewRun) -> int:
    """Keep a run in the state running, with its trials and its ledger entry; returns its id.

    Baselines and the runs of a face-off have the number 0; the others are numbered within their problem.
    """
    number = 0 if run.kind in (BASELINES, FACE_OFF) else _last_number(session, run.problem_id) + 1
    search_id = add(
        session,
        models.Search,
        problem_id=run.problem_id,
        number=number,
        learner=run.learner,
        space=run.space,
        plan=dict(run.plan),
        plan_hash=run.plan_hash,
        state=RUNNING,
        workers=run.workers,
        active_seconds=0.0,
        created_at=run.created_at,
        versions=dict(run.versions),
        strategy=run.strategy,
        strategy_reason=run.strategy_reason,
        strategy_settings=dict(run.strategy_settings),
        overrides=list(run.overrides),
        kind=run.kind,
        stopping=dict(run.stopping),
    )
    add_trials(session, search_id, run.created_at, run.trials)
    entry: ledger.SearchChanged = {
        "problem_id": run.problem_id, "run": run.kind, "state": "running", "reason": "", "active_seconds": 0.0, "workers": run.workers,
    }  # fmt: skip
    ledger.append(session, [ledger.New(run.created_at, search_id, "search", entry)])
    return search_id


def _last_number(session: Session, problem_id: int) -> int:
    return session.scalar(select(func.max(models.Search.number)).where(models.Search.problem_id == problem_id)) or 0


def get_search(session: Session, search_id: int) -> Search:
    found = first(session, Search, of(Search).where(models.Search.id == search_id))
    if found is None:
        raise NotFound(f"There is no search {search_id}.")
    return found


def put_search(session: Session, search_id: int, **changes: Any) -> None:
    session.execute(update(models.Search).where(models.Search.id == search_id).values(**changes))


def searches_of(session: Session, problem_id: int, *, kinds: Sequence[str] = KINDS) -> list[Search]:
    """Newest first."""
    wanted = of(Search).where(models.Search.problem_id == problem_id, models.Search.kind.in_(kinds))
    return every(session, Search, wanted.order_by(models.Search.number.desc(), models.Search.id.desc()))


def running(session: Session, problem_id: int | None = None) -> list[Search]:
    """Runs in the state running, oldest first."""
    wanted = of(Search).where(models.Search.state == RUNNING)
    if problem_id is not None:
        wanted = wanted.where(models.Search.problem_id == problem_id)
    return every(session, Search, wanted.order_by(models.Search.id))


def paused(session: Session) -> list[Search]:
    """Runs in the state paused."""
    return every(session, Search, of(Search).where(models.Search.state == PAUSED).order_by(models.Search.id))


def newest_of_plan(session: Session, problem_id: int, plan_hash: str, states: Iterable[str]) -> Search | None:
    """The newest search of a plan that is in one of these states."""
    wanted = of(Search).where(
        models.Search.problem_id == problem_id, models.Search.plan_hash == plan_hash, models.Search.state.in_(list(states))
    )
    return first(session, Search, wanted.order_by(models.Search.id.desc()))


def states_of(session: Session, problem_id: int) -> dict[str, int]:
    """How many of a problem's searches are in each state."""
    wanted = and_(models.Search.problem_id == problem_id, models.Search.kind == SEARCH)
    rows = session.execute(select(models.Search.state, func.count()).where(wanted).group_by(models.Search.state))
    return dict(rows.all())


def ranked(problem_id: int) -> ColumnElement[bool]:
    """Of a problem's searches and baselines: what is ranked."""
    return and_(models.Search.problem_id == problem_id, models.Search.kind.in_(RANKED))


def drop_run(session: Session, search_id: int) -> None:
    """Remove a run with all that came of it; the ledger keeps that it was there."""
    of_run = select(models.Trial.id).where(models.Trial.search_id == search_id)
    session.execute(delete(models.SideScore).where(models.SideScore.trial_id.in_(of_run)))
    for table in (models.Fit, models.Point, models.Prediction, models.Trial, models.Lesson):
        session.execute(delete(table).where(table.search_id == search_id))
    session.execute(delete(models.Search).where(models.Search.id == search_id))
