"""Use cases around trials: pages, points for charts, one in full, notes, exports."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterator, Mapping, Sequence
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from pellux.core.errors import InvalidPlan
from pellux.core.judging import mean, standard_error
from pellux.core.judging.aims import Aim, turned
from pellux.core.judging.fold_effects import fold_effects
from pellux.core.judging.fronts import on_front
from pellux.core.judging.limits import quantity
from pellux.core.objective import Judging
from pellux.core.space import Value, parse
from pellux.objectives.code.brief import KINDS as CODE
from pellux.objectives.code.brief import PROGRAM, CodeBrief
from pellux.objectives.code.final_run import command_line
from pellux.service.planning.requests import SettingsRequest, kept_settings
from pellux.service.searches.kept_files import kept_files
from pellux.service.searches.lookups import final_settings, learner_of, whose
from pellux.service.searches.schemas import (
    FitDetail,
    FitView,
    FoldCurve,
    KeptLimit,
    LaneDevices,
    LanesView,
    PagedTrial,
    PageQuery,
    PointsView,
    TrialDetail,
    TrialPage,
    TrialRow,
)
from pellux.service.wording import sentence
from pellux.service.workspace import Workspace
from pellux.store import fits, trials
from pellux.store.database import Session
from pellux.store.problems import get_problem
from pellux.store.records import Fit, Problem, Search, Trial
from pellux.store.runs import get_search, searches_of

LANE_FITS = 1200

FORMULA = ("=", "+", "-", "@", "\t", "\r")


def trial_row(trial: Trial) -> TrialRow:
    return TrialRow(
        id=trial.id, search_id=trial.search_id, number=trial.number, origin=trial.origin, state=trial.state,
        reason=sentence(trial.reason), reason_code=trial.reason.code, configuration=trial.configuration, scores=trial.scores,
        mean=trial.mean, standard_error=trial.standard_error, seconds=trial.seconds, seen=trial.seen, pending=trial.pending,
        created_at=trial.created_at, ended_at=trial.ended_at, note=trial.note, tags=trial.tags, shortlisted=trial.shortlisted,
        bracket=trial.bracket, rung=trial.rung, best_iteration=trial.best_iteration, parent=trial.parent, member=trial.cohort,
        share=trial.share, measured=trial.measured, keeps=trial.keeps,
    )  # fmt: skip


def trial_page(workspace: Workspace, search_id: int, query: PageQuery | None = None) -> TrialPage:
    """A page of a search's trials."""
    with workspace.database.read() as session:
        search = get_search(session, search_id)
        problem = get_problem(session, search.problem_id)
        return _page(workspace, session, problem, {search_id: search.number}, [search.space], query or PageQuery())


def problem_trial_page(workspace: Workspace, problem_id: int, query: PageQuery | None = None) -> TrialPage:
    """A page of the trials of all searches of a problem, with its baselines: one table."""
    with workspace.database.read() as session:
        problem = get_problem(session, problem_id)
        numbers = trials.of_problem(session, problem_id)
        spaces = [search.space for search in searches_of(session, problem_id) if search.id in numbers]
        return _page(workspace, session, problem, numbers, spaces, query or PageQuery())


def _page(
    workspace: Workspace, session: Session, problem: Problem, numbers: Mapping[int, int], spaces: Sequence[str], query: PageQuery
) -> TrialPage:
    judging = workspace.objective(problem).judging
    # Finalists that are judged again have a space each.
    searched = list(dict.fromkeys(name for space in spaces if space.strip() for name in parse(space).by_name))
    found, total = trials.page(
        session,
        list(numbers),
        **query.model_dump(exclude={"among"}),
        searched=searched,
        metric=judging.metric,
        recorded=judging.also,
        among=[int(part) for part in query.among.split(",") if part],
    )
    recorded = trials.recorded_of(session, found)
    rows = [
        PagedTrial(
            **trial_row(trial).model_dump(), search_number=numbers[trial.search_id],
            recorded={**(trial.measured or {}), **recorded.get((trial.search_id, trial.number), {})},
        )
        for trial in found
    ]  # fmt: skip
    return TrialPage(total=total, offset=query.offset, trials=rows, settings=searched)


MOST_FOR_EFFECTS = 500  # trials from which it is learnt how folds differ


def points(workspace: Workspace, search_id: int) -> PointsView:
    """Every ended trial, column-wise: for charts of thousands of trials."""
    with workspace.database.read() as session:
        get_search(session, search_id)
        rows = trials.points(session, search_id)
        newest = trials.newest_scores(session, search_id, MOST_FOR_EFFECTS)
    complete = [[s for s in scores if s is not None] for scores in newest if None not in scores]
    columns: Any = list(zip(*rows, strict=True)) if rows else [()] * 10
    *columns, texts = (list(c) for c in columns)
    numbers, ids, states, origins, means, errors, seconds, ended_at, keeps = columns
    configurations = json.loads(f"[{','.join(texts)}]")  # all in one go: far faster than row by row
    names = list(dict.fromkeys(name for c in configurations for name in c))
    return PointsView.model_construct(
        numbers=numbers, ids=ids, states=states, origins=origins, means=means, standard_errors=errors, seconds=seconds,
        ended_at=ended_at, keeps=keeps, values={name: [c.get(name) for c in configurations] for name in names},
        fold_effects=[float(e) for e in fold_effects(complete, max(map(len, complete), default=0))], complete=len(complete),
    )  # fmt: skip


def lanes(workspace: Workspace, search_id: int) -> LanesView:
    """The newest fits with the worker lane and the time they ran: for drawing."""
    with workspace.database.read() as session:
        get_search(session, search_id)
        found = fits.newest_begun(session, search_id, LANE_FITS)
    held = workspace.devices.lanes(workspace.log_file(search_id).name)
    return LanesView(
        fits=[FitView.model_construct(**_fit_fields(fit)) for fit in found], now=workspace.clock(),
        devices=[LaneDevices(lane=lane, devices=list(names)) for lane, names in sorted(held.items())],
    )  # fmt: skip


def _fit_fields(fit: Fit) -> dict[str, Any]:
    return {
        "trial": fit.trial, "fold": fit.fold, "rung": fit.rung, "state": fit.state, "attempt": fit.attempt, "lane": fit.lane, "machine": fit.machine,
        "started_at": fit.started_at, "ended_at": fit.ended_at, "score": fit.score, "seconds": fit.seconds,
        "reason": sentence(fit.reason),
    }  # fmt: skip


def trial_detail(workspace: Workspace, trial_id: int) -> TrialDetail:
    with workspace.database.read() as session:
        trial, search, problem = whose(session, trial_id)
        objective = workspace.objective(problem)
        key = learner_of(objective, search, trial)
        best, baseline = (
            trials.best_of_problem(session, problem.id),
            next((one for one, _, _ in trials.baselines(session, problem.id)), None),
        )
        kept = fits.fits_of(session, search.id, trial.number)
        curves = fits.curves_of(session, search.id, trial.number)
        final = final_settings(session, objective, search, trial)
    model = {name: trial.configuration[name] for name in ("model",) if name in trial.configuration}
    growth = objective.configurable(key).growth
    return TrialDetail(
        **trial_row(trial).model_dump(), limits=_limits(objective.judging, search, trial, kept), search_number=search.number,
        problem_id=problem.id, learner=key, metric_label=objective.judging.label, seed=SettingsRequest.model_validate(search.plan).seed,
        fits=[
            FitDetail(**_fit_fields(f), predict_seconds=f.predict_seconds, log=f.log, warnings=f.warnings, recorded=f.recorded)
            for f in kept
        ],
        baseline=trial_row(baseline) if baseline else None, best=trial_row(best) if best else None,
        defaults=objective.configurable(trial.learner or search.learner or key).whole(model), data_hash=problem.data_hash,
        folds_hash=problem.folds_hash, versions=search.versions, source_id=trial.source_id, final=final,
        counter=growth.counter if growth else None,
        curves=[
            FoldCurve(fold=fold, iterations=[i for i, _ in curve], scores=[s for _, s in curve])
            for (_, fold), curve in curves.items()
        ],
        command=_command(problem, search, trial.configuration), kept=kept_files(workspace, trial) if problem.objective in CODE else [],
    )  # fmt: skip


def _limits(judging: Judging, search: Search, trial: Trial, of: Sequence[Fit]) -> list[KeptLimit]:
    """What its search has limits on, as measured of a trial so far; its highest rung counts."""
    last = max((fit.rung for fit in of), default=0)
    done = [fit for fit in of if fit.rung == last and fit.state == "done"]
    found = []
    for limit in judging.limited(SettingsRequest.model_validate(search.plan).limits):
        each = [quantity(limit.measure, fit.seconds, fit.model_bytes, fit.recorded) for fit in done]
        told = [one for one in each if one is not None]
        value = (trial.measured or {}).get(limit.measure, mean(told) if told else None)
        found.append(
            KeptLimit(
                text=limit.text, measure=limit.measure, measured=value, error=standard_error(told),
                keeps=None if value is None else limit.slack(value) >= 0,
            )
        )  # fmt: skip
    return found


def _command(problem: Problem, search: Search, configuration: Mapping[str, Value]) -> list[str]:
    if problem.objective != PROGRAM:
        return []
    brief = CodeBrief.from_json(problem.brief)
    return command_line(brief, configuration, list(parse(search.space).by_name), "0", brief.most)


def annotate(
    workspace: Workspace, trial_id: int, *, note: str | None = None, tags: list[str] | None = None, shortlisted: bool | None = None
) -> None:
    """Change what a person may change of a trial."""
    given = {"note": note, "tags": tags, "shortlisted": shortlisted}
    with workspace.database.write() as session:
        _, _, problem = whose(session, trial_id)
        changes = {name: value for name, value in given.items() if value is not None}
        trials.annotate(session, trial_id, problem.id, workspace.clock(), changes)


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
    kinds = list(dict.fromkeys(key for row in rows for key in row["recorded"]))
    flat = [_flat(row, parameters, folds, kinds) for row in rows]
    return iter([_csv(flat) if format == "csv" else _parquet(flat)])


def _export_rows(workspace: Workspace, search_id: int) -> tuple[list[dict[str, Any]], int]:
    """Trials as plain objects, and how many folds they have."""
    with workspace.database.read() as session:
        search = get_search(session, search_id)
        judging = workspace.objective(get_problem(session, search.problem_id)).judging
        found = trials.trials_of(session, search_id)
        recorded = _recorded(session, search_id) if judging.also else {}
    aims = judging.weighed(kept_settings(search.plan).against)
    front = _front(judging, aims, found)
    rows: list[dict[str, Any]] = [
        {
            "search": search_id, "trial": t.number, "origin": t.origin, "state": t.state, "reason": sentence(t.reason),
            "metric": judging.metric, "larger_is_better": judging.larger_is_better, "score": t.mean, "standard_error": t.standard_error,
            "folds": t.scores, "seconds": t.seconds, "seen": t.seen, "pending": t.pending,
            "learner": t.learner or search.learner, "rung": t.rung, "best_iteration": t.best_iteration, "parent": t.parent,
            "share": t.share, "keeps_limits": t.keeps, "on_front": t.id in front if aims else None, "note": t.note, "tags": t.tags,
            "recorded": {**dict.fromkeys(judging.also), **(t.measured or {}), **recorded.get(t.number, {})}, "configuration": t.configuration,
        }
        for t in found
    ]  # fmt: skip
    return rows, max([judging.fits, *(len(row["folds"]) for row in rows)])


def _front(judging: Judging, aims: Sequence[Aim], found: Sequence[Trial]) -> set[int]:
    """Ids of the trials on the front, where several metrics decide."""
    whole = [t for t in found if t.state == "scored" and t.mean is not None and t.keeps is not False]
    values = [(judging.sign * (t.mean or 0.0), *turned(aims, t.measured or {})) for t in whole] if aims else []
    return {whole[i].id for i in np.flatnonzero(on_front(np.array(values)))} if values else set()


def _recorded(session: Session, search_id: int) -> dict[int, dict[str, float]]:
    """By trial the means over folds, each at its highest rung, by the metrics recorded beside the one that decides."""
    found: dict[int, dict[str, list[float]]] = {}
    for (trial, _), scores in fits.recorded(session, search_id).items():
        for key, score in scores.items():
            found.setdefault(trial, {}).setdefault(key, []).append(score)
    return {trial: {key: mean(scores) for key, scores in by_key.items()} for trial, by_key in found.items()}


def _flat(row: dict[str, Any], parameters: list[str], folds: int, kinds: list[str]) -> dict[str, Any]:
    flat = {key: value for key, value in row.items() if key not in ("configuration", "folds", "tags", "recorded")}
    for fold in range(folds):
        flat[f"fold_{fold + 1}"] = row["folds"][fold] if fold < len(row["folds"]) else None
    for key in kinds:
        flat[f"recorded_{key}"] = row["recorded"].get(key)
    for name in parameters:
        flat[f"set_{name}"] = row["configuration"].get(name)
    return {**flat, "tags": " ".join(row["tags"])}


def _csv(rows: list[dict[str, Any]]) -> bytes:
    text = io.StringIO()
    writer = csv.DictWriter(text, rows[0] if rows else ["search", "trial"])
    writer.writeheader()
    writer.writerows({name: _harmless(value) for name, value in row.items()} for row in rows)
    return text.getvalue().encode("utf-8", "replace")


def _harmless(value: Any) -> Any:
    """A text that a spreadsheet would take for a formula gets an apostrophe in front; numbers stay numbers."""
    return f"'{value}" if isinstance(value, str) and value[:1] in FORMULA else value


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
