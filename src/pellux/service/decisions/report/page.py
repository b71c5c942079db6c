"""Gathers what the report of a decision shows and fills the page."""

from __future__ import annotations

import datetime
from importlib.resources import files
from itertools import accumulate
from typing import Any

from jinja2 import Environment, StrictUndefined

from pellux.service.decisions.analysis_kinds import IMPORTANCE
from pellux.service.decisions.candidates import FinalistsQuery
from pellux.service.decisions.diagnostics import diagnostics
from pellux.service.decisions.finalists import finalists
from pellux.service.decisions.report import charts
from pellux.service.decisions.report.charts import HONEY, SPRUCE, Line
from pellux.service.decisions.report.evidence import evidence
from pellux.service.decisions.schemas import DiagnosticsView, Finalist, FinalistsView
from pellux.service.engine.analyses import DONE, newest_analysis
from pellux.service.problems.problems import problem_view
from pellux.service.searches.trials import trial_detail
from pellux.service.workspace import Workspace
from pellux.store.records import Decision
from pellux.store.trials import scores_in_order
from pellux.version import __version__


def report(workspace: Workspace, decision: Decision) -> str:
    """The page; whatever a person typed or a file held is escaped."""
    record = decision.record
    problem = problem_view(workspace, decision.problem_id)
    weighed = finalists(workspace, decision.problem_id, FinalistsQuery.model_validate(record.get("weighing", {})))
    code = problem.code is not None
    shown = diagnostics(workspace, decision.trial_id) if weighed.predicted else None
    importance = newest_analysis(workspace, decision.problem_id, IMPORTANCE, {"trial": decision.trial_id})
    key = record["trial"]["learner"]
    settings = {} if code else {s.name: s for s in workspace.catalogue.learner(key, record["problem"]["brief"]["task"]).settings}
    page = Environment(autoescape=True, undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True).from_string(
        files("pellux.service.decisions.report").joinpath("page.html").read_text("utf-8")
    )
    return page.render(
        decision=decision, record=record, problem=problem, weighed=weighed, matrix=_matrix(weighed, decision.trial_id),
        shown=shown, pictures=_pictures(shown) if shown else [], settings=settings, key=key,
        columns=_columns(importance.result["columns"]) if importance and importance.state == DONE and importance.result else [],
        best=_best_so_far(workspace, decision.problem_id, problem.judging.larger_is_better, problem.judging.metric),
        limits=trial_detail(workspace, decision.trial_id).limits, said=evidence(workspace, decision), signed=_day(decision.created_at),
        written=_day(workspace.clock()), version=__version__, figure=_figure, plain=_plain, percent=lambda share: f"{100 * share:.0f} %",
    )  # fmt: skip


def _day(at: float) -> str:
    return datetime.datetime.fromtimestamp(at, datetime.UTC).strftime("%d %B %Y, %H:%M UTC")


def _plain(value: bool | int | float | str) -> str:
    """A setting's value as people read it; the files have it to the last digit."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    return f"{value:.4g}" if isinstance(value, float) else str(value)


def _figure(value: float | None, error: float | None = None) -> str:
    if value is None:
        return "–"
    if not error:
        return f"{value:.4g}"
    digits = max(0, 1 - int(f"{error:.1e}".split("e")[1]))
    return f"{value:.{digits}f} ± {error:.{digits}f}"


def _matrix(weighed: FinalistsView, chosen: int) -> list[dict[str, Any]]:
    """Rows of the fold matrix with colours; all cells on one ramp."""
    rows = weighed.finalists
    cells = [score for f in rows for score in f.trial.scores if score is not None]
    ends = [f.trial.mean + side * (f.trial.standard_error or 0) for f in rows for side in (-1, 1) if f.trial.mean is not None]
    leading = next((f for f in rows if f.trial.id == weighed.leader), rows[0])
    larger = (leading.trial.mean or 0) >= (rows[-1].trial.mean or 0)
    low, high = min(cells), max(cells)

    def share(score: float) -> float:
        place = (score - low) / ((high - low) or 1.0)
        return place if larger else 1 - place

    def row(f: Finalist) -> dict[str, Any]:
        colour = HONEY if f.trial.id == chosen else SPRUCE
        return {
            "finalist": f, "chosen": f.trial.id == chosen,
            "cells": [(s, charts.ramp(share(s)), charts.ink_on(share(s))) for s in f.trial.scores if s is not None],
            "bar": charts.error_bar(f.trial.mean or 0.0, f.trial.standard_error or 0.0, min(ends), max(ends), colour, 130),
        }  # fmt: skip

    return [row(f) for f in rows]


def _pictures(shown: DiagnosticsView) -> list[tuple[str, str]]:
    """Titles and charts of tuned against baseline."""
    sides = [(shown.trial, SPRUCE, False)] + ([(shown.baseline, charts.SOFT, True)] if shown.baseline else [])
    found = []
    if shown.trial.cuts is not None:
        roc, precision, said = [], [], []
        for side, colour, dashed in sides:
            if side.cuts is None:
                continue
            c = side.cuts
            recall = [h / max(c.positives, 1) for h in c.hits]
            roc.append(
                Line(side.name, list(zip([a / max(c.negatives, 1) for a in c.false_alarms], recall, strict=True)), colour, dashed)
            )
            exact = [(r, h / (h + a)) for r, h, a in zip(recall, c.hits, c.false_alarms, strict=True) if h + a]
            precision.append(Line(side.name, exact, colour, dashed))
            said.append(Line(side.name, [(b.said, b.came) for b in side.calibration], colour, dashed))
        found += [
            ("Recall against false alarms (ROC)", charts.plot(roc, "false-alarm rate", "recall")),
            ("Precision against recall", charts.plot(precision, "recall", "precision")),
            ("Calibration", charts.plot(said, "probability said", "share that came true")),
        ]
    elif shown.trial.residuals is not None:
        r = shown.trial.residuals
        dots = Line(shown.trial.name, list(zip(r.predicted, r.actual, strict=True)), SPRUCE, dots=True)
        ends = [min(r.predicted), max(r.predicted)]
        found.append(
            (
                "Predicted and actual",
                charts.plot(
                    [dots, Line("equal", [(e, e) for e in ends], HONEY, True)], "predicted", "actual", width=420, square=False
                ),
            )
        )
    return found


def _columns(columns: list[dict[str, Any]]) -> list[tuple[str, float, str]]:
    most = max((abs(c["drop"]) for c in columns), default=1.0)
    return [(c["column"], c["drop"], charts.bar(c["drop"], most, c["error"])) for c in columns[:20]]


def _best_so_far(workspace: Workspace, problem_id: int, larger: bool, metric: str) -> str:
    """All scored trials of the problem in the order in which they ended, and the best so far."""
    with workspace.database.read() as session:
        known = [mean for _, mean in scores_in_order(session, problem_id)]
    if len(known) < 2:
        return ""
    dots = [(float(place), mean) for place, mean in enumerate(known, 1)]
    best = accumulate(known, max if larger else min)
    line = [(float(place), mean) for place, mean in enumerate(best, 1)]
    lines = [Line("a trial", dots, charts.SOFT, dots=True), Line("best so far", line, HONEY)]
    return charts.plot(lines, "trials ended", metric, width=700, height=260, square=False)
