"""What the report says of the trials: findings, what mattered, the way from the usual settings, the strongest pair."""

from __future__ import annotations

from dataclasses import dataclass
from html import escape

from pellux.service.decisions.report import charts
from pellux.service.evidence.reports import known_already
from pellux.service.evidence.schemas import EvidenceView, StepView, SurfaceShown
from pellux.service.searches.lookups import whose
from pellux.service.workspace import Workspace
from pellux.store import runs
from pellux.store.records import Decision

MOST_MATTERS = 12
CELL = 11  # pixels of a surface's cell


@dataclass(frozen=True)
class Said:
    """Parts of the section, charts as SVG."""

    trials: int
    explained: float
    findings: list[str]
    matters: list[tuple[str, str, str]]  # setting, bar, share with its ends
    path: list[tuple[str, StepView]]
    surface: str
    pair: str


def evidence(workspace: Workspace, decision: Decision) -> Said | None:
    """Of the search that the choice is from; None where nothing was computed of it."""
    with workspace.database.read() as session:
        _, search, problem = whose(session, decision.trial_id)
    if search.kind != runs.SEARCH:
        return None
    found = known_already(workspace, decision.problem_id, search.id)
    larger = workspace.objective(problem).judging.larger_is_better
    return None if found is None else _said(found, larger)


def _said(found: EvidenceView, larger: bool) -> Said:
    most = max((one.total.high for one in found.singles), default=1.0)
    matters = [
        (
            one.name, charts.bar(one.total.share, most, (one.total.high - one.total.low) / 2),
            f"{one.total.share:.0%} ({one.total.low:.0%} to {one.total.high:.0%})",
        )
        for one in found.singles[:MOST_MATTERS]
    ]  # fmt: skip
    path = [(", ".join(f"{c.name}: {_value(c.before)} → {_value(c.after)}" for c in step.changed), step) for step in found.path]
    pair = "" if found.surface is None else f"{found.surface.across.name} and {found.surface.down.name}"
    drawn = "" if found.surface is None else _surface(found.surface, larger)
    return Said(found.trials, found.explained, [one.sentence for one in found.findings], matters, path, drawn, pair)


def _value(value: object) -> str:
    return (
        "–"
        if value is None
        else {True: "yes", False: "no"}[value]
        if isinstance(value, bool)
        else f"{value:.4g}"
        if isinstance(value, float)
        else str(value)
    )


def _surface(found: SurfaceShown, larger: bool) -> str:
    """Cells on the score ramp, light where it is good, lowest settings at the bottom left."""
    rows, values = found.mean, [v for row in found.mean for v in row]
    worst, best = (min(values), max(values)) if larger else (max(values), min(values))
    width, height = len(rows[0]) * CELL, len(rows) * CELL
    parts = [
        f'<rect x="{x * CELL}" y="{height - (y + 1) * CELL}" width="{CELL}" height="{CELL}" fill="{charts.ramp((v - worst) / ((best - worst) or 1.0))}"/>'
        for y, row in enumerate(rows)
        for x, v in enumerate(row)
    ]
    words = f"{escape(found.across.name)} across, {escape(found.down.name)} up; from {worst:.4g} (dark) to {best:.4g} (light)"
    return f'<svg viewBox="0 0 {width} {height}" width="{width}" role="img" aria-label="{words}">{"".join(parts)}</svg><div class="small soft">{words}</div>'
