"""A face-off as it is shown: what its runs came to, and what may be concluded."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from pellux.core.evidence.faceoff import Line, Outcome, Played, Standing, outcome
from pellux.core.strategies import labelled
from pellux.service.engine.engine import Engine
from pellux.service.evidence.faceoff_schemas import FaceLineView, FaceOffRequest, FaceOffView, StandingView
from pellux.service.evidence.faceoffs import asked_of, get, ground_of, of_problem, turns
from pellux.service.evidence.kinds import REPLAYED
from pellux.service.wording import sentence
from pellux.service.workspace import Workspace
from pellux.store import runs, trials
from pellux.store.problems import get_problem
from pellux.store.records import Analysis


def faceoff_view(engine: Engine, faceoff_id: int) -> FaceOffView:
    return _view(engine.workspace, get(engine.workspace, faceoff_id))


def list_faceoffs(engine: Engine, problem_id: int) -> list[FaceOffView]:
    """Newest first."""
    return [_view(engine.workspace, row) for row in of_problem(engine.workspace, problem_id)]


def export_faceoff(workspace: Workspace, faceoff_id: int) -> list[dict[str, Any]]:
    """A row a trial of every run: entrant, repeat, place, seconds since its run began, score."""
    row = get(workspace, faceoff_id)
    request = asked_of(row)
    sign, played, _, _ = _played(workspace, row, request)
    return [
        {
            "entrant": named(request, place), "repeat": repeat + 1, "trial": number, "ended": end, "seconds": seconds,
            "score": None if math.isnan(score) else sign * score, "mode": request.mode,
        }
        for place, repeats in enumerate(played)
        for repeat, one in enumerate(repeats)
        for number, (end, seconds, score) in enumerate(zip(one.ends.tolist(), one.seconds.tolist(), one.scores.tolist(), strict=True), 1)
    ]  # fmt: skip


def as_csv(rows: Sequence[Mapping[str, Any]]) -> str:
    """With a header, also where there is no row yet."""
    text = io.StringIO()
    writer = csv.DictWriter(text, ["entrant", "repeat", "trial", "ended", "seconds", "score", "mode"], lineterminator="\n")
    writer.writeheader()
    writer.writerows(rows)
    return text.getvalue()


def named(request: FaceOffRequest, place: int) -> str:
    """An entrant in words; what all have in common is left out."""
    entrant = request.entrants[place]
    words = [labelled(entrant.strategy)]
    if entrant.early_stopping != "none":
        words.append(f"with {entrant.early_stopping}")
    if len({e.workers for e in request.entrants}) > 1 and entrant.workers is not None:
        words.append(f"on {entrant.workers} workers")
    return " ".join(words)


def _view(workspace: Workspace, row: Analysis) -> FaceOffView:
    request = asked_of(row)
    sign, played, running, usual = _played(workspace, row, request)
    found, ground = outcome(played), ground_of(workspace, row.problem_id, request)
    planned = len(turns(len(request.entrants), request.repeats))
    with workspace.database.read() as session:
        current = None if running is None else runs.get_search(session, running)
    # A run that paused itself says why; one that a person paused needs no words.
    waits = "" if current is None or current.state != runs.PAUSED or row.state != "running" else sentence(current.reason)
    standings = [
        _standing(
            sign, entrant, standing, len(played[place]), ground.workers if request.mode == "replayed" else ground.workers_here
        )
        for place, (entrant, standing) in enumerate(zip(request.entrants, found.standings, strict=True))
    ]
    done = sum(len(repeats) for repeats in played)
    return FaceOffView(
        id=row.id, problem_id=row.problem_id, search_id=request.search, state=row.state, message=row.message or waits,
        mode=request.mode, budget=request.budget, amount=request.amount, repeats=request.repeats, seed=request.seed,
        created_at=row.created_at, done=done, planned=planned, running=running,
        level=None if found.level is None else sign * found.level, standings=standings, sentence=_sentence(request, found), baseline=usual,
    )  # fmt: skip


def _played(
    workspace: Workspace, row: Analysis, request: FaceOffRequest
) -> tuple[int, list[list[Played]], int | None, float | None]:  # fmt: skip
    """The metric's sign, repeats of each entrant in their order, the run under way, the baseline."""
    played: list[list[Played]] = [[] for _ in request.entrants]
    made: Sequence[Mapping[str, Any]] = (row.result or {}).get("runs", [])
    running = None
    with workspace.database.read() as session:
        sign = workspace.objective(get_problem(session, row.problem_id)).judging.sign
        usual = next((t.mean for t, _, _ in trials.baselines(session, row.problem_id)), None)
        for run in sorted(made, key=lambda one: one["repeat"]):
            if row.kind == REPLAYED:
                scores = np.array([math.nan if s is None else s for s in run["scores"]], dtype=float)
                played[run["entrant"]].append(Played(np.array(run["ends"]), scores, np.array(run["seconds"])))
                continue
            search = runs.get_search(session, run["search"])
            if search.state in (runs.RUNNING, runs.PAUSED):
                running = search.id
                continue
            played[run["entrant"]].append(_of_run(trials.ended_of_run(session, search.id), search.created_at))
    return sign, played, running, usual


def _of_run(rows: Sequence[tuple[float, float | None, float]], begun: float) -> Played:
    ends = np.array([at - begun for at, _, _ in rows], dtype=float)
    scores = np.array([math.nan if score is None else score for _, score, _ in rows], dtype=float)
    return Played(ends, scores, np.array([seconds for _, _, seconds in rows], dtype=float))


def _standing(sign: int, entrant: Any, found: Standing, done: int, workers: int) -> StandingView:
    return StandingView(
        strategy=labelled(entrant.strategy), early_stopping=entrant.early_stopping, workers=entrant.workers or workers, done=done,
        by_trials=_line(sign, found.by_trials), by_seconds=_line(sign, found.by_seconds), finals=[sign * f for f in found.finals if math.isfinite(f)],
        mean=_number(sign * found.mean), error=_number(found.error), spread=_number(found.spread), beats=[_number(b) for b in found.beats],
        to_level=found.to_level, grounded=found.grounded,
    )  # fmt: skip


def _line(sign: int, line: Line) -> FaceLineView:
    low, high = (line.low, line.high) if sign > 0 else (line.high, line.low)
    return FaceLineView(
        at=line.at.tolist(),
        **{k: [_number(sign * v) for v in values] for k, values in (("median", line.median), ("low", low), ("high", high))},
    )


def _number(value: float) -> float | None:
    return float(value) if math.isfinite(value) else None


def _sentence(request: FaceOffRequest, found: Outcome) -> str:
    """With names in the places of numbers."""
    facts = dict(found.verdict.facts)
    for key in ("entrant", "behind"):
        if key in facts:
            facts[key] = (
                ", ".join(named(request, i) for i in facts[key]) if isinstance(facts[key], list) else named(request, facts[key])
            )
    told = sentence(found.verdict._replace(facts=facts))
    return told + (" Scores are a model's, not measured." if request.mode == "replayed" and "entrant" in facts else "")
