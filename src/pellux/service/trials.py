"""Use cases around trials: pages, points for charts, one in full, notes, exports."""

from __future__ import annotations

import csv
import io
import json
import re
from collections.abc import Iterator, Sequence
from typing import Any

import pyarrow as pa
import pyarrow.parquet as pq
from sqlalchemy import ColumnElement, Float, Text, and_, cast, func, select, type_coerce
from sqlalchemy.orm import Session

from pellux.core.errors import InvalidPlan
from pellux.core.judging import Brief, mean
from pellux.learners.catalogue import learner
from pellux.service.lookups import final_settings, get_trial, learner_of
from pellux.service.problems import in_searches_of
from pellux.service.requests import SettingsRequest
from pellux.service.searches import baseline_trial, get_search
from pellux.service.views import FitDetail, FitView, FoldCurve, LanesView, PointsView, TrialDetail, TrialPage, TrialRow
from pellux.service.workspace import Workspace
from pellux.store.models import Fit, Problem, Search, Trial
from pellux.store.recording import curves_of

SORTS = {"number": Trial.number, "mean": Trial.mean, "score": Trial.rank_score, "error": Trial.error,
         "seconds": Trial.seconds, "state": Trial.state, "seen": Trial.seen}  # fmt: skip
COMPARISON = re.compile(r"\s*([A-Za-z_]\w*)\s*(<=|>=|!=|=|<|>)\s*(.+?)\s*\Z")
LANE_FITS = 1200


def trial_row(trial: Trial) -> TrialRow:
    return TrialRow(
        id=trial.id, search_id=trial.search_id, number=trial.number, origin=trial.origin, state=trial.state,
        reason=trial.reason, configuration=trial.configuration, scores=trial.scores, mean=trial.mean, error=trial.error,
        seconds=trial.seconds, seen=trial.seen, pending=trial.pending, created_at=trial.created_at,
        ended_at=trial.ended_at, note=trial.note, tags=trial.tags, shortlisted=trial.shortlisted, bracket=trial.bracket,
        rung=trial.rung, best_iteration=trial.best_iteration, parent=trial.parent, member=trial.cohort, share=trial.share,
    )  # fmt: skip


def trial_page(
    workspace: Workspace, search_id: int, *, offset: int = 0, limit: int = 100, sort: str = "number",
    descending: bool = False, where: str = "",
) -> TrialPage:  # fmt: skip
    """A page of trials. `where` is comparisons parted by commas, such as 'state = scored, rate < 0.1'."""
    with workspace.database.read() as session:
        get_search(session, search_id)
        chosen = [Trial.search_id == search_id, *_conditions(where)]
        total = session.scalar(select(func.count(Trial.id)).where(*chosen)) or 0
        key = _sort_key(sort)
        order = (key.desc() if descending else key.asc()).nulls_last()
        rows = session.scalars(select(Trial).where(*chosen).order_by(order, Trial.number).offset(offset).limit(limit))
        return TrialPage(total=total, offset=offset, trials=[trial_row(row) for row in rows])


def _sort_key(sort: str) -> ColumnElement[Any]:
    if sort in SORTS:
        return SORTS[sort]  # type: ignore[return-value]
    return _parameter(sort)


def _parameter(name: str) -> ColumnElement[Any]:
    if not re.fullmatch(r"[A-Za-z_]\w*", name):
        raise InvalidPlan(f"'{name}' is not a column of the table.", at="sort")
    return func.json_extract(Trial.configuration, f"$.{name}")


def _conditions(where: str) -> list[ColumnElement[bool]]:
    found = []
    for part in filter(None, (piece.strip() for piece in where.split(","))):
        match = COMPARISON.match(part)
        if match is None:
            raise InvalidPlan(f"'{part}' is not a comparison such as rate < 0.1 or state = scored.", at="where")
        name, sign, text = match.groups()
        column = SORTS.get(name) or getattr(Trial, name, None) if name in (*SORTS, "origin", "reason") else _parameter(name)
        found.append(_compare(column, sign, text))  # type: ignore[arg-type]
    return [and_(*found)] if found else []


def _compare(column: ColumnElement[Any], sign: str, text: str) -> ColumnElement[bool]:
    value: Any = {"yes": 1, "no": 0}.get(text, text.strip("\"'"))
    try:
        value = float(value)
        column = cast(column, Float)
    except ValueError:
        pass
    operators = {"<": "__lt__", "<=": "__le__", ">": "__gt__", ">=": "__ge__", "=": "__eq__", "!=": "__ne__"}
    return getattr(column, operators[sign])(value)  # type: ignore[no-any-return]


def points(workspace: Workspace, search_id: int) -> PointsView:
    """Every ended trial, column-wise: for charts of thousands of trials."""
    with workspace.database.read() as session:
        get_search(session, search_id)
        rows = session.execute(
            select(
                Trial.number, Trial.id, Trial.state, Trial.origin, Trial.mean, Trial.error, Trial.seconds, Trial.ended_at,
                type_coerce(Trial.configuration, Text),
            ).where(Trial.search_id == search_id, Trial.ended_at.is_not(None)).order_by(Trial.number)
        ).all()  # fmt: skip
    columns: Any = list(zip(*rows, strict=True)) if rows else [()] * 9
    *columns, texts = (list(c) for c in columns)
    numbers, ids, states, origins, means, errors, seconds, ended_at = columns
    configurations = json.loads(f"[{','.join(texts)}]")  # all in one go: far faster than row by row
    names = list(dict.fromkeys(name for c in configurations for name in c))
    return PointsView.model_construct(
        numbers=numbers, ids=ids, states=states, origins=origins, means=means, errors=errors, seconds=seconds,
        ended_at=ended_at, values={name: [c.get(name) for c in configurations] for name in names},
    )  # fmt: skip


def lanes(workspace: Workspace, search_id: int) -> LanesView:
    """The newest fits with the worker lane and the time they ran: for drawing."""
    with workspace.database.read() as session:
        get_search(session, search_id)
        rows = session.execute(
            select(*(getattr(Fit, name) for name in FitView.model_fields))
            .where(Fit.search_id == search_id, Fit.started_at.is_not(None))
            .order_by(Fit.started_at.desc())
            .limit(LANE_FITS)
        ).all()
        fits = [FitView.model_construct(**row._mapping) for row in rows]
    return LanesView(fits=fits[::-1], now=workspace.clock())


def _fit_fields(fit: Fit) -> dict[str, Any]:
    return {
        "trial": fit.trial, "fold": fit.fold, "rung": fit.rung, "state": fit.state, "attempt": fit.attempt, "lane": fit.lane,
        "started_at": fit.started_at, "ended_at": fit.ended_at, "score": fit.score, "seconds": fit.seconds, "message": fit.message,
    }  # fmt: skip


def trial_detail(workspace: Workspace, trial_id: int) -> TrialDetail:
    with workspace.database.read() as session:
        trial = get_trial(session, trial_id)
        search = session.get_one(Search, trial.search_id)
        problem = session.get_one(Problem, search.problem_id)
        brief = Brief.from_json(problem.brief)
        fits = session.scalars(
            select(Fit).where(Fit.search_id == search.id, Fit.trial == trial.number).order_by(Fit.fold, Fit.rung)
        )
        best = session.scalar(
            select(Trial).join(Search)
            .where(in_searches_of(problem.id), Trial.state == "scored")
            .order_by(Trial.rank_score.desc(), Trial.id).limit(1)
        )  # fmt: skip
        baseline = baseline_trial(session, search)
        return TrialDetail(
            **trial_row(trial).model_dump(), search_number=search.number, problem_id=problem.id, learner=learner_of(session, trial),
            metric_label=brief.judged_by.label, seed=SettingsRequest.model_validate(search.plan).seed,
            fits=[
                FitDetail(**_fit_fields(f), predict_seconds=f.predict_seconds, log=f.log, warnings=f.warnings, recorded=f.recorded) for f in fits
            ],
            baseline=trial_row(baseline) if baseline else None, best=trial_row(best) if best else None,
            defaults=learner(trial.learner or search.learner or learner_of(session, trial), brief.task).whole(
                {name: trial.configuration[name] for name in ("model",) if name in trial.configuration}
            ), data_hash=brief.data, folds_hash=problem.folds_hash,
            versions=search.versions, source_id=trial.source_id, final=final_settings(session, trial),
            counter=growth.counter if (growth := learner(learner_of(session, trial)).growth) else None,
            curves=[
                FoldCurve(fold=fold, iterations=[i for i, _ in points], scores=[s for _, s in points])
                for (_, fold), points in curves_of(session, search.id, trial.number).items()
            ],
        )  # fmt: skip


def annotate(
    workspace: Workspace, trial_id: int, *, note: str | None = None, tags: list[str] | None = None, shortlisted: bool | None = None
) -> None:
    """Change what a person may change of a trial."""
    with workspace.database.write() as session:
        trial = get_trial(session, trial_id)
        trial.note = trial.note if note is None else note
        trial.tags = trial.tags if tags is None else tags
        trial.shortlisted = trial.shortlisted if shortlisted is None else shortlisted


EXPORTS = {"csv": "text/csv", "jsonl": "application/jsonl", "parquet": "application/vnd.apache.parquet"}


def export(workspace: Workspace, searches: int | Sequence[int], format: str) -> Iterator[bytes]:
    """Every trial of a search, or of several of one problem, as CSV, JSON Lines or Parquet."""
    if format not in EXPORTS:
        raise InvalidPlan(f"Format '{format}' is unknown. Allowed: {', '.join(EXPORTS)}.", at="format")
    wanted = [searches] if isinstance(searches, int) else searches
    parts = [_export_rows(workspace, search_id) for search_id in wanted]
    rows = [row for found, _ in parts for row in found]
    if format == "jsonl":
        return (json.dumps(row, ensure_ascii=False).encode() + b"\n" for row in rows)
    parameters = list(dict.fromkeys(name for row in rows for name in row["configuration"]))
    folds = max((count for _, count in parts), default=0)
    flat = [_flat(row, parameters, folds) for row in rows]
    return iter([_csv(flat) if format == "csv" else _parquet(flat)])


def _export_rows(workspace: Workspace, search_id: int) -> tuple[list[dict[str, Any]], int]:
    """Trials as plain objects, and how many folds they have."""
    with workspace.database.read() as session:
        search = get_search(session, search_id)
        brief = Brief.from_json(session.get_one(Problem, search.problem_id).brief)
        found = list(session.scalars(select(Trial).where(Trial.search_id == search_id).order_by(Trial.number)))
        recorded = _recorded(session, search_id) if brief.recorded else {}
    rows: list[dict[str, Any]] = [
        {
            "search": search_id, "trial": t.number, "origin": t.origin, "state": t.state, "reason": t.reason,
            "metric": brief.metric, "larger_is_better": brief.judged_by.larger_is_better, "score": t.mean, "se": t.error,
            "folds": t.scores, "seconds": t.seconds, "seen": t.seen, "pending": t.pending,
            "learner": t.learner or search.learner, "rung": t.rung, "best_iteration": t.best_iteration, "parent": t.parent,
            "share": t.share, "note": t.note, "tags": t.tags,
            "recorded": {m.key: recorded.get(t.number, {}).get(m.key) for m in brief.also}, "configuration": t.configuration,
        }
        for t in found
    ]  # fmt: skip
    return rows, max([brief.split.fits, *(len(row["folds"]) for row in rows)])


def _recorded(session: Session, search_id: int) -> dict[int, dict[str, float]]:
    """By trial the means over folds, each at its highest rung, by the metrics recorded beside the one that decides."""
    rows = select(Fit.trial, Fit.fold, Fit.recorded).where(Fit.search_id == search_id, Fit.state == "done").order_by(Fit.rung)
    last: dict[tuple[int, int], dict[str, float]] = {(trial, fold): scores for trial, fold, scores in session.execute(rows)}
    found: dict[int, dict[str, list[float]]] = {}
    for (trial, _), scores in last.items():
        for key, score in scores.items():
            found.setdefault(trial, {}).setdefault(key, []).append(score)
    return {trial: {key: mean(scores) for key, scores in by_key.items()} for trial, by_key in found.items()}


def _flat(row: dict[str, Any], parameters: list[str], folds: int) -> dict[str, Any]:
    flat = {key: value for key, value in row.items() if key not in ("configuration", "folds", "tags", "recorded")}
    for fold in range(folds):
        flat[f"fold_{fold + 1}"] = row["folds"][fold] if fold < len(row["folds"]) else None
    for key, score in row["recorded"].items():
        flat[f"recorded_{key}"] = score
    for name in parameters:
        flat[f"set_{name}"] = row["configuration"].get(name)
    return {**flat, "tags": " ".join(row["tags"])}


def _csv(rows: list[dict[str, Any]]) -> bytes:
    text = io.StringIO()
    writer = csv.DictWriter(text, rows[0] if rows else ["search", "trial"])
    writer.writeheader()
    writer.writerows(rows)
    return text.getvalue().encode()


def _parquet(rows: list[dict[str, Any]]) -> bytes:
    columns = {name: [row[name] for row in rows] for name in (rows[0] if rows else {})}
    arrays = {name: _array(values) for name, values in columns.items()}
    sink = io.BytesIO()
    pq.write_table(pa.table(arrays), sink)
    return sink.getvalue()


def _array(values: list[Any]) -> pa.Array:
    kinds = {type(v) for v in values if v is not None}
    if len(kinds) > 1 and kinds != {int, float}:
        values = [None if v is None else str(v) for v in values]
    return pa.array([float(v) for v in values] if kinds == {int, float} and None not in values else values)
