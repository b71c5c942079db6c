"""Use cases around problems: preview, create, change before the first score, look at."""

from __future__ import annotations

from typing import Any

import numpy as np
from sqlalchemy import ColumnElement, and_, func, select
from sqlalchemy.orm import Session

from pellux.core.errors import Conflict, NotFound
from pellux.core.judging import Brief, Folds, fingerprint, metrics_for
from pellux.learners.catalogue import every_learner
from pellux.learners.table import Table
from pellux.learners.target import split_rows
from pellux.service.datasets import open_table
from pellux.service.framing import Framed, default_role, draw_split, frame
from pellux.service.leak_check import leak_check
from pellux.service.requests import BriefRequest
from pellux.service.views import (
    BestView,
    BriefView,
    ColumnView,
    DataView,
    FindingView,
    PreviewView,
    ProblemView,
    ReadingView,
    SplitView,
)
from pellux.service.workspace import Workspace
from pellux.store.models import DataFile, Decision, Problem, Search, Trial

SPARK = 40
RANKED = ("search", "baselines")


def data_view(table: Table) -> DataView:
    columns = []
    for column in table.columns:
        role, why = default_role(column)
        columns.append(
            ColumnView(
                name=column.name, type=column.type, missing=column.missing, distinct=column.distinct,
                categories=list(column.categories[:50]), low=column.low, high=column.high, whole=column.whole,
                histogram=list(column.histogram), role=role, why=why, note=column.note,
                examples=list(column.examples),
            )
        )  # fmt: skip
    reading = ReadingView(**{name: table.reading.get(name) or "" for name in ("format", "encoding", "delimiter", "quote", "decimal")},
                          types=table.reading.get("types", {}), notes=table.reading.get("notes", []))  # fmt: skip
    return DataView(hash=table.hash, name=table.name, rows=table.rows, columns=columns, source=table.source, reading=reading)


def brief_view(brief: Brief) -> BriefView:
    return BriefView(
        data=brief.data, target=brief.target, features=list(brief.features), task=brief.task,
        classes=list(brief.classes), metric=brief.metric, metric_label=brief.judged_by.label,
        larger_is_better=brief.judged_by.larger_is_better, folds=brief.split.folds, split=brief.split.kind,
        split_label=brief.split.label, holdout=brief.split.holdout, seed=brief.seed, repeats=brief.split.repeats,
        gap=brief.split.gap, holdout_by=brief.split.holdout_by, fits=brief.split.fits, group=brief.group, time=brief.time,
        fold=brief.fold, weight=brief.weight, recorded=list(brief.recorded),
    )  # fmt: skip


def preview(workspace: Workspace, request: BriefRequest) -> PreviewView:
    """What a brief would become, without keeping anything."""
    table = open_table(workspace, request.data)
    framed = frame(table, request)
    return PreviewView(
        brief=brief_view(framed.brief),
        split=SplitView(**draw_split(framed)),
        suited_metrics=[m.key for m in metrics_for(framed.brief.task)],
        suited_learners=[entry.key for entry in every_learner() if framed.brief.task in entry.tasks and entry.installed],
        findings=_findings(table, framed),
    )


def _findings(table: Table, framed: Framed) -> list[FindingView]:
    found = leak_check(table, framed.brief, framed.rows, framed.folds)
    return [FindingView(kind=f.kind, column=f.column, words=f.words) for f in found]


def findings(workspace: Workspace, problem_id: int) -> list[FindingView]:
    """The leak check of a problem as it stands."""
    brief = stored_brief(workspace, problem_id)
    table = open_table(workspace, brief.data)
    folds = Folds.of(np.load(workspace.folds_file(problem_id)), brief.split)
    return _findings(table, Framed(brief, folds, split_rows(table, brief)))


def create_problem(workspace: Workspace, request: BriefRequest, *, reuse: bool = False, derived_from: int | None = None) -> int:
    """Keep a new problem; with `reuse`, an existing one of the same brief serves again."""
    framed = frame(open_table(workspace, request.data), request)
    with workspace.database.write() as session:
        if reuse:
            same = select(Problem.id).where(Problem.brief_hash == framed.brief.fingerprint).order_by(Problem.id)
            found = session.scalar(same)
            if found is not None:
                return found
        name = request.name or f"{framed.brief.target} from {_data_name(session, framed.brief.data)}"
        problem = Problem(name=name, tags=[], derived_from=derived_from, created_at=workspace.clock(), **_framed(framed))
        session.add(problem)
        session.flush()
        np.save(workspace.folds_file(problem.id), framed.folds.kept)
        return problem.id


def change_problem(workspace: Workspace, problem_id: int, request: BriefRequest) -> None:
    """Replace the brief of a problem that no search uses yet; its baselines are to be forgotten first."""
    framed = frame(open_table(workspace, request.data), request)
    with workspace.database.write() as session:
        problem = get_problem(session, problem_id)
        if problem.frozen or session.scalar(select(func.count(Search.id)).where(Search.problem_id == problem_id)):
            raise Conflict("The brief is frozen: searches of this problem use it. Save the change as a new problem.")
        for field, value in _framed(framed).items():
            setattr(problem, field, value)
        problem.name = request.name or problem.name
        np.save(workspace.folds_file(problem_id), framed.folds.kept)


def _framed(framed: Framed) -> dict[str, Any]:
    return {
        "data_hash": framed.brief.data,
        "brief": framed.brief.to_json(),
        "brief_hash": framed.brief.fingerprint,
        "folds_hash": fingerprint(framed.folds.kept),
    }


def _data_name(session: Session, content_hash: str) -> str:
    found = session.get(DataFile, content_hash)
    return found.name if found else "data"


def in_searches_of(problem_id: int) -> ColumnElement[bool]:
    """Trials of a problem's searches and its baselines: what is ranked. Those of a re-judging have other folds and never are."""
    return and_(Search.problem_id == problem_id, Search.kind.in_(RANKED))


def get_problem(session: Session, problem_id: int) -> Problem:
    found = session.get(Problem, problem_id)
    if found is None:
        raise NotFound(f"There is no problem {problem_id}.")
    return found


def label_problem(workspace: Workspace, problem_id: int, name: str | None, tags: list[str] | None) -> None:
    with workspace.database.write() as session:
        problem = get_problem(session, problem_id)
        problem.name = name or problem.name
        problem.tags = problem.tags if tags is None else tags


def problem_view(workspace: Workspace, problem_id: int) -> ProblemView:
    with workspace.database.read() as session:
        return _view(session, get_problem(session, problem_id))


def list_problems(workspace: Workspace) -> list[ProblemView]:
    with workspace.database.read() as session:
        return [_view(session, problem) for problem in session.scalars(select(Problem).order_by(Problem.id.desc()))]


def split_view(workspace: Workspace, problem_id: int) -> SplitView:
    with workspace.database.read() as session:
        brief = Brief.from_json(get_problem(session, problem_id).brief)
    table = open_table(workspace, brief.data)
    folds = Folds.of(np.load(workspace.folds_file(problem_id)), brief.split)
    return SplitView(**draw_split(Framed(brief, folds, split_rows(table, brief))))


def _view(session: Session, problem: Problem) -> ProblemView:
    data = session.get(DataFile, problem.data_hash)
    of_problem = in_searches_of(problem.id)
    searches = and_(Search.problem_id == problem.id, Search.kind == "search")
    states = dict(session.execute(select(Search.state, func.count()).where(searches).group_by(Search.state)).all())
    scored = select(Trial).join(Search).where(of_problem, Trial.state == "scored")
    best = session.scalar(scored.order_by(Trial.rank_score.desc(), Trial.id).limit(1))
    baseline = session.scalar(scored.where(Trial.origin == "baseline").order_by(Trial.rank_score.desc()).limit(1))
    trials = session.scalar(select(func.count(Trial.id)).join(Search).where(of_problem, Trial.origin != "baseline"))
    decided = session.scalar(select(Decision.id).where(Decision.problem_id == problem.id).limit(1)) is not None
    return ProblemView(
        id=problem.id, name=problem.name, frozen=problem.frozen or bool(states), derived_from=problem.derived_from,
        tags=problem.tags, created_at=problem.created_at, rows=data.rows if data else 0,
        data_name=data.name if data else "", brief=brief_view(Brief.from_json(problem.brief)),
        searches=sum(states.values()), running=states.get("running", 0), trials=trials or 0,
        best=best_view(session, best), baseline=best_view(session, baseline), spark=_spark(session, problem.id),
        decided=decided,
    )  # fmt: skip


def best_view(session: Session, trial: Trial | None) -> BestView | None:
    if trial is None or trial.mean is None:
        return None
    number = session.scalar(select(Search.number).where(Search.id == trial.search_id)) or 0
    return BestView(trial_id=trial.id, search=number, number=trial.number, score=trial.mean, error=trial.error, folds=trial.scores)


def _spark(session: Session, problem_id: int) -> list[float]:
    """The best mean so far, thinned to a small line."""
    rows: Any = session.execute(
        select(Trial.rank_score, Trial.mean)
        .join(Search)
        .where(in_searches_of(problem_id), Trial.state == "scored")
        .order_by(Trial.ended_at)
    ).all()
    best: tuple[float, float] | None = None
    line: list[float] = []
    for rank_score, mean in rows:
        if best is None or rank_score > best[0]:
            best = (rank_score, mean)
        line.append(best[1])
    keep = max(1, -(-len(line) // SPARK))
    return line[::keep] + ([line[-1]] if line and (len(line) - 1) % keep else [])


def stored_brief(workspace: Workspace, problem_id: int) -> Brief:
    with workspace.database.read() as session:
        return Brief.from_json(get_problem(session, problem_id).brief)
