"""Use cases around problems: preview, create, change before the first score, look at."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Mapping
from typing import Any

import numpy as np

from pellux.core.errors import Conflict
from pellux.core.judging import Brief, Folds, fingerprint
from pellux.core.objective import Judging
from pellux.objectives.code.brief import KINDS as CODE
from pellux.objectives.code.brief import CodeBrief
from pellux.objectives.tabular.objective import KIND as TABLE
from pellux.objectives.tabular.target import split_rows
from pellux.service.planning.requests import BriefRequest
from pellux.service.problems.code_problems import code_brief_view
from pellux.service.problems.datasets import open_table
from pellux.service.problems.framing import Framed, default_role, draw_split, frame
from pellux.service.problems.leak_check import leak_check
from pellux.service.problems.schemas import (
    BestView,
    BriefView,
    ColumnView,
    DataView,
    FindingView,
    JudgingView,
    PreviewView,
    ProblemView,
    QuantityView,
    ReadingView,
    SplitView,
)
from pellux.service.workspace import Workspace
from pellux.store import problems, runs, trials
from pellux.store.database import Session
from pellux.store.decisions import decisions_of
from pellux.store.records import Problem, Trial
from pellux.tables.files import FOLDS, array
from pellux.tables.table import Table

SPARK = 40


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
    framed = frame(table, request, workspace.catalogue.metrics)
    return PreviewView(
        brief=brief_view(framed.brief),
        quantities=quantity_views(framed.brief.quantities),
        split=SplitView(**draw_split(framed)),
        suited_metrics=[m.key for m in workspace.catalogue.metrics.of_task(framed.brief.task)],
        suited_learners=[
            entry.key for entry in workspace.catalogue.every() if framed.brief.task in entry.tasks and entry.installed
        ],
        findings=_findings(table, framed),
    )


def _findings(table: Table, framed: Framed) -> list[FindingView]:
    found = leak_check(table, framed.brief, framed.rows, framed.folds)
    return [FindingView(kind=f.kind, column=f.column, words=f.words) for f in found]


def findings(workspace: Workspace, problem_id: int) -> list[FindingView]:
    """The leak check of a problem as it stands."""
    brief = stored_brief(workspace, problem_id)
    table = open_table(workspace, brief.data)
    folds = Folds.of(array(workspace.folds_file(problem_id), FOLDS), brief.split)
    return _findings(table, Framed(brief, folds, split_rows(table, brief)))


def create_problem(workspace: Workspace, request: BriefRequest, *, reuse: bool = False, derived_from: int | None = None) -> int:
    """Keep a new problem; with `reuse`, an existing one of the same brief serves again."""
    framed = frame(open_table(workspace, request.data), request, workspace.catalogue.metrics)
    with workspace.database.write() as session:
        known = problems.problem_of_brief(session, framed.brief.fingerprint) if reuse else None
        if known is not None:
            return known
        data = problems.get_data(session, framed.brief.data)
        name = request.name or f"{framed.brief.target} from {data.name if data else 'data'}"
        made = problems.add_problem(
            session, name=name, created_at=workspace.clock(), derived_from=derived_from, **_framed(framed)
        )  # fmt: skip
        np.save(workspace.folds_file(made), framed.folds.kept)
        return made


def change_problem(workspace: Workspace, problem_id: int, request: BriefRequest) -> None:
    """Replace the brief of a problem that no search uses yet; its baselines are to be forgotten first."""
    framed = frame(open_table(workspace, request.data), request, workspace.catalogue.metrics)
    with workspace.database.write() as session:
        problem = problems.get_problem(session, problem_id)
        if problem.frozen or runs.searches_of(session, problem_id):
            raise Conflict("The brief is frozen: searches of this problem use it. Save the change as a new problem.")
        problems.change_brief(session, problem_id, workspace.clock(), **_framed(framed))
        problems.label(session, problem_id, workspace.clock(), name=request.name or None)
        np.save(workspace.folds_file(problem_id), framed.folds.kept)


def _framed(framed: Framed) -> dict[str, Any]:
    return {
        "data_hash": framed.brief.data,
        "brief": framed.brief.to_json(),
        "brief_hash": framed.brief.fingerprint,
        "folds_hash": fingerprint(framed.folds.kept),
    }


def label_problem(workspace: Workspace, problem_id: int, name: str | None, tags: list[str] | None) -> None:
    with workspace.database.write() as session:
        problems.get_problem(session, problem_id)
        problems.label(session, problem_id, workspace.clock(), name=name, tags=tags)


def problem_view(workspace: Workspace, problem_id: int) -> ProblemView:
    with workspace.database.read() as session:
        return _view(workspace, session, problems.get_problem(session, problem_id))


def list_problems(workspace: Workspace) -> list[ProblemView]:
    with workspace.database.read() as session:
        return [_view(workspace, session, problem) for problem in problems.every_problem(session)]


def split_view(workspace: Workspace, problem_id: int) -> SplitView:
    brief = stored_brief(workspace, problem_id)
    table = open_table(workspace, brief.data)
    folds = Folds.of(array(workspace.folds_file(problem_id), FOLDS), brief.split)
    return SplitView(**draw_split(Framed(brief, folds, split_rows(table, brief))))


def _view(workspace: Workspace, session: Session, problem: Problem) -> ProblemView:
    data = problems.get_data(session, problem.data_hash)
    states = runs.states_of(session, problem.id)
    baseline = next((trial for trial, _, _ in trials.baselines(session, problem.id)), None)
    return ProblemView(
        id=problem.id, name=problem.name, frozen=problem.frozen or bool(states), derived_from=problem.derived_from,
        tags=problem.tags, created_at=problem.created_at, rows=data.rows if data else 0, data_name=data.name if data else "",
        objective=problem.objective, judging=judging_view(workspace.objective(problem).judging),
        brief=brief_view(workspace.brief(problem)) if problem.objective == TABLE else None,
        code=code_brief_view(CodeBrief.from_json(problem.brief)) if problem.objective in CODE else None,
        searches=sum(states.values()), running=states.get("running", 0), trials=trials.count_ranked(session, problem.id),
        best=best_view(session, trials.best_of_problem(session, problem.id)), baseline=best_view(session, baseline),
        spark=_spark(session, problem.id), decided=bool(decisions_of(session, problem.id)),
    )  # fmt: skip


def quantity_views(quantities: Mapping[str, bool]) -> list[QuantityView]:
    return [QuantityView(measure=measure, larger_is_better=larger) for measure, larger in quantities.items()]


def judging_view(judging: Judging) -> JudgingView:
    return JudgingView(
        metric=judging.metric, metric_label=judging.label, larger_is_better=judging.larger_is_better, folds=judging.folds,
        fits=judging.fits, seed=judging.seed, recorded=list(judging.also), limits=list(judging.limits), against=list(judging.against),
        quantities=quantity_views(judging.quantities),
    )  # fmt: skip


def best_view(session: Session, trial: Trial | None) -> BestView | None:
    if trial is None or trial.mean is None:
        return None
    return best_shown(trial, runs.get_search(session, trial.search_id).number)


def best_shown(trial: Trial, search: int) -> BestView:
    """A scored trial of the search with this number."""
    assert trial.mean is not None
    return BestView(
        trial_id=trial.id, search=search, number=trial.number, score=trial.mean, standard_error=trial.standard_error,
        folds=[score for score in trial.scores if score is not None],
    )  # fmt: skip


def _spark(session: Session, problem_id: int) -> list[float]:
    """The best mean so far, thinned to a small line."""
    count, rose = trials.risers(session, problem_id)
    keep = max(1, -(-count // SPARK))
    places = [*range(0, count, keep), *([count - 1] if count and (count - 1) % keep else [])]
    starts = [place for place, _ in rose]
    return [rose[at - 1][1] for place in places if (at := bisect_right(starts, place))]


def stored_brief(workspace: Workspace, problem_id: int) -> Brief:
    with workspace.database.read() as session:
        return workspace.brief(problems.get_problem(session, problem_id))
