"""Re-judging: finalists on fresh repeated splits, as fits like all others, so that a lucky draw of the folds shows."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from pydantic import Field
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from pellux.core.errors import Conflict, InvalidPlan
from pellux.core.judging import Brief, Folds, fresh_folds
from pellux.engine.model import SearchState
from pellux.learners.target import split_rows
from pellux.service.datasets import open_table
from pellux.service.engine_room import EngineRoom
from pellux.service.launching import default_workers, versions
from pellux.service.lookups import final_settings, get_trial, learner_of
from pellux.service.problems import RANKED, get_problem, in_searches_of
from pellux.service.requests import Request, SettingsRequest
from pellux.store import recording
from pellux.store.models import Problem, Search, Trial

KIND = "re-judge"
ORIGIN = "finalist"
MOST_FITS = 50_000


class RejudgeRequest(Request):
    """Which trials to judge again; the baselines of their learners always come along."""

    trials: list[int] = Field(min_length=1, max_length=500, description="Ids of scored trials.")
    repeats: int = Field(3, ge=1, le=50, description="How often the rows are cut into fresh folds.")
    workers: int | None = Field(None, ge=1, le=256)


@dataclass(frozen=True)
class Rejudged:
    """A finalist's scores on fresh folds, repeat after repeat."""

    search: int
    scores: tuple[float, ...]


def rejudge(room: EngineRoom, problem_id: int, request: RejudgeRequest) -> int:
    """Start a re-judging; returns the id it has among the searches."""
    workspace = room.workspace
    with workspace.database.write() as session:
        problem = get_problem(session, problem_id)
        brief = Brief.from_json(problem.brief)
        chosen = _chosen(session, problem, request.trials)
        fits = len(chosen) * request.repeats * brief.split.folds
        if fits > MOST_FITS:
            raise InvalidPlan(
                f"{len(chosen)} trials × {request.repeats} repeats × {brief.split.folds} folds are {fits:,} fits; "
                f"at most {MOST_FITS:,} are re-judged at once.",
                at="repeats",
            )
        search = _keep(session, problem, request, chosen)
        search.created_at = workspace.clock()
        session.flush()
        rows = split_rows(open_table(workspace, brief.data), brief)
        own = Folds.of(np.load(workspace.folds_file(problem_id)), brief.split)
        folds = fresh_folds(brief.split, rows, own, request.repeats)
        np.save(workspace.fresh_folds_file(search.id), folds)
        _keep_trials(session, search, chosen)
        entry = (search.created_at, search.id, "search", {"problem_id": problem_id, "state": search.state})
        newest = recording.append_ledger(session, [entry])
        search_id = search.id
    workspace.hub.publish(newest)
    room.start(search_id)
    return search_id


def _chosen(session: Session, problem: Problem, wanted: Sequence[int]) -> list[Trial]:
    """The trials asked for and the baselines of their learners, best first."""
    found: dict[int, Trial] = {}
    for trial_id in wanted:
        trial = get_trial(session, trial_id)
        search = session.get_one(Search, trial.search_id)
        check_belongs(session, problem, trial, search)
        if trial.mean is None:
            raise Conflict(f"Trial {trial.number} of search {search.number} is {trial.state}: it has no score on all folds.")
        found[trial.id] = trial
    learners = {learner_of(session, trial) for trial in found.values()}
    baselines = select(Trial).join(Search).where(in_searches_of(problem.id), Trial.origin == "baseline", Trial.state == "scored")
    found |= {trial.id: trial for trial in session.scalars(baselines) if learner_of(session, trial) in learners}
    return sorted(found.values(), key=lambda t: (-(t.rank_score or 0.0), t.id))


def check_belongs(session: Session, problem: Problem, trial: Trial, search: Search) -> None:
    """Refuse a trial of another problem: its score is not comparable, the less so when its metric is another."""
    if search.kind not in RANKED:
        raise Conflict(f"Trial {trial.number} is a re-judged finalist; choose the trial that it judges again.")
    if search.problem_id == problem.id:
        return
    here = Brief.from_json(problem.brief).judged_by.label
    there = Brief.from_json(session.get_one(Problem, search.problem_id).brief).judged_by.label
    why = f"is judged by {there}, this one by {here}" if here != there else "has other data or folds"
    raise Conflict(f"Trial {trial.number} belongs to another problem, which {why}; their scores cannot be compared.")


def _keep(session: Session, problem: Problem, request: RejudgeRequest, chosen: Sequence[Trial]) -> Search:
    number = session.scalar(select(func.max(Search.number)).where(Search.problem_id == problem.id)) or 0
    plan = SettingsRequest(strategy="random", trials=len(chosen), workers=request.workers)
    words = f"{len(chosen)} finalists on {request.repeats} fresh cuts into folds."
    search = Search(
        problem_id=problem.id, number=number + 1, learner="", space="", plan=plan.model_dump(by_alias=True), plan_hash="",
        state=SearchState.RUNNING.value, reason="", workers=request.workers or default_workers(), active_seconds=0.0,
        created_at=0.0, versions=versions(), strategy="", strategy_reason=words, overrides=[], kind=KIND,
    )  # fmt: skip
    session.add(search)
    return search


def _keep_trials(session: Session, search: Search, chosen: Sequence[Trial]) -> None:
    rows: list[dict[str, Any]] = [
        {
            "search_id": search.id, "number": number, "origin": ORIGIN, "state": "waiting", "reason": "",
            "configuration": final_settings(session, trial), "scores": [], "mean": None, "error": None, "rank_score": None,
            "seconds": 0.0, "seen": 0, "pending": 0, "created_at": search.created_at, "ended_at": None,
            "learner": learner_of(session, trial), "source_id": trial.id, "bracket": 0, "cohort": 0, "rung": 0, "parent": None,
            "results": {}, "best_iteration": None, "share": 0.0,
        }
        for number, trial in enumerate(chosen, 1)
    ]  # fmt: skip
    recording.put_trials(session, rows)


def rejudged(session: Session, problem_id: int) -> dict[int, Rejudged]:
    """By trial id: its scores from the re-judging with most repeats, the newest of equals."""
    rows = session.execute(
        select(Trial.source_id, Trial.scores, Search.id)
        .join(Search)
        .where(Search.problem_id == problem_id, Search.kind == KIND, Trial.state == "scored")
        .order_by(Search.id)
    ).all()
    found: dict[int, Rejudged] = {}
    for source, scores, search in rows:
        if source not in found or len(scores) >= len(found[source].scores):
            found[source] = Rejudged(search, tuple(scores))
    return found
