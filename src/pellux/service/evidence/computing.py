"""What trials say, computed in a process of its own: so nothing here loads a database, which would take longer than most of it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from typing import Any

import numpy as np
import scipy

from pellux.core.evidence.curves import Along, Line, along
from pellux.core.evidence.directions import directions
from pellux.core.evidence.findings import Finding, Material, findings, follow
from pellux.core.evidence.importance import Importances, importances
from pellux.core.evidence.noise import noise
from pellux.core.evidence.path import Step, path
from pellux.core.evidence.reading import Reading, read
from pellux.core.evidence.surface import NEAR, Panel, panels, surface
from pellux.core.space import Choice, Parameter, Space, identity, parse, write, write_parameter
from pellux.service.evidence.gathered import SCORES, Gathered, facts_of

SURFACE_TRIALS = 400  # that a surface shows as points
WORTH_SEEING = 0.01  # of the variance that a pair does beyond its parts


def _read(known: Gathered) -> tuple[Space, Reading | None, np.random.Generator]:
    space, rng = parse(known.space), np.random.default_rng(known.seed)
    scored = [t for t in known.tried if t.mean is not None]
    return space, read(space, [t.configuration for t in scored], np.array([t.mean for t in scored], dtype=float), rng), rng


def compute(known: Gathered) -> dict[str, Any]:
    """The same for the same trials."""
    space, reading, rng = _read(known)
    scatter = noise(known.whole, known.test_to_train) if known.weighed == SCORES else None
    found: dict[str, Any] = {"weighed": known.weighed, "noise": None if scatter is None else asdict(scatter)}
    found["rungs"] = [{"rung": rung, "trials": len(low), "rank": _rank(low, top)} for rung, low, top in known.rungs]
    shares = None if reading is None else importances(reading, rng)
    curves = () if reading is None else along(reading)
    if reading is not None and shares is not None:
        found |= asdict(shares) | {"covered": reading.covered}
        found["curves"] = [_curve(known, curve, space) for curve in curves]
        found["directions"] = [{"name": k, **asdict(v)} for k, v in directions(reading, curves, shares.singles).items()]
        for one in found["directions"] if known.sign < 0 else []:  # ranks with the score as it is told
            one["rank"], one["low"], one["high"], one["partial"] = -one["rank"], -one["high"], -one["low"], -one["partial"]
        found["path"] = [_step(known, step) for step in _path(known, reading)]
    material = Material(
        space, known.tried, reading, shares, curves, scatter, known.hard, known.workers, known.models, known.stops
    )  # fmt: skip
    said = findings(material)
    found["findings"] = [_finding(known, finding, space) for finding in said]
    found["after"] = write(follow(space, [f for f in said if f.change])[0])
    if reading is not None and shares is not None and len(space.searched) > 1:
        found["surface"] = _surface(known, reading, *_strongest(shares), NEAR)
    return found


def _strongest(shares: Importances) -> tuple[str, str]:
    """The pair that does most together, or else the two that matter most."""
    if shares.pairs and shares.pairs[0].beyond.share > WORTH_SEEING:
        return shares.pairs[0].names
    return shares.singles[0].name, shares.singles[1].name


def compute_surface(known: Gathered, across: str, down: str, others: str, by: str | None = None) -> dict[str, Any]:
    _, reading, _ = _read(known)
    return {} if reading is None else _surface(known, reading, across, down, others, by)


def _surface(known: Gathered, reading: Reading, across: str, down: str, others: str, by: str | None = None) -> dict[str, Any]:
    found = surface(reading, across, down, others)
    sides = [
        {"name": a.name, "options": a.options, "positions": a.positions.tolist(), "values": list(a.values)}
        for a in (found.across, found.down)
    ]
    turns = () if by is None else panels(reading, across, down, by, others)
    points: list[dict[str, Any]] = []
    for t in sorted((t for t in known.tried if t.mean is not None), key=lambda t: -(t.mean or 0.0))[:SURFACE_TRIALS]:
        if across in t.configuration and down in t.configuration:
            at = [float(reading.space.by_name[name].encode(t.configuration[name])) for name in (across, down)]
            points.append({
                "id": max(t.id, 0), "at": at, "score": known.sign * (t.mean or 0.0), "panel": _panel(reading, turns, by, t.configuration)
            })  # fmt: skip
    return {
        "across": sides[0], "down": sides[1], "mean": (known.sign * found.mean).tolist(), "deviation": found.deviation.tolist(),
        "explained": reading.explained, "covered": reading.covered, "points": points, "by": by,
        "panels": [
            {"value": one.value, "mean": (known.sign * one.surface.mean).tolist(), "deviation": one.surface.deviation.tolist()}
            for one in turns
        ],
    }  # fmt: skip


def _panel(reading: Reading, turns: Sequence[Panel], by: str | None, configuration: Mapping[str, Any]) -> int | None:
    """Beside which of the panels a trial stands: that of its option, or of the nearest level."""
    if by is None or by not in configuration:
        return None
    at = float(reading.space.by_name[by].encode(configuration[by]))
    return min(range(len(turns)), key=lambda i: abs(turns[i].position - at))


def _rank(low: tuple[float, ...], top: tuple[float, ...]) -> float | None:
    found = float(scipy.stats.spearmanr(low, top).statistic)
    return found if np.isfinite(found) else None


def _curve(known: Gathered, curve: Along, space: Space) -> dict[str, Any]:
    parameter = space.by_name[curve.name]
    return {
        "name": curve.name, "options": isinstance(parameter, Choice), "positions": curve.positions.tolist(), "values": list(curve.values),
        "average": _line(known.sign, curve.average), "near": _line(known.sign, curve.near),
    }  # fmt: skip


def _line(sign: int, line: Line) -> dict[str, list[float]]:
    low, high = (line.low, line.high) if sign > 0 else (-line.high, -line.low)
    return {"mean": (sign * line.mean).tolist(), "low": low.tolist(), "high": high.tolist()}


def _path(known: Gathered, reading: Reading) -> tuple[Step, ...]:
    """From the usual settings to the trial that the model holds best."""
    if known.begin is None or known.weighed != SCORES:
        return ()
    return path(reading, known.begin, reading.configurations[reading.order[0]])


def _step(known: Gathered, step: Step) -> dict[str, Any]:
    score, error, trial = known.measured.get(identity(step.configuration), (None, None, None))
    return {
        "changed": [{"name": name, "before": before, "after": after} for name, (before, after) in step.changed.items()],
        "configuration": dict(step.configuration), "score": known.sign * step.score, "gain": step.gain, "error": step.error,
        "measured": score, "measured_error": error, "trial_id": trial,
    }  # fmt: skip


def _finding(known: Gathered, finding: Finding, space: Space) -> dict[str, Any]:
    change = finding.change
    return {
        "code": finding.code, "facts": facts_of(finding.facts, known.names), "names": list(finding.names),
        "trials": [i for i in finding.trials if i > 0],
        "lines": [
            {"name": p.name, "before": _line_of(space.by_name[p.name]), "after": _line_of(p)} for p in change.parameters
        ]
        + [{"name": name, "before": _line_of(space.by_name[name]), "after": ""} for name in change.dropped],
        "requirements": list(change.requirements), "plan": dict(change.plan),
    }  # fmt: skip


def _line_of(parameter: Parameter) -> str:
    return f"{parameter.name}: {write_parameter(parameter)}"
