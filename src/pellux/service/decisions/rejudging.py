"""Re-judging: finalists on fresh repeated splits, as fits like all others, so that a lucky draw of the folds shows."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from pydantic import Field

from pellux.core.errors import Conflict, InvalidPlan
from pellux.core.judging import Folds, fresh_folds
from pellux.core.objective import Objective
from pellux.objectives.tabular.target import split_rows
from pellux.service.engine.engine import Engine
from pellux.service.machine import default_workers, versions
from pellux.service.planning.requests import Request, SettingsRequest
from pellux.service.planning.resolving import NOTHING
from pellux.service.problems.datasets import open_table
from pellux.service.searches.lookups import check_belongs, final_settings, learner_of, whose
from pellux.service.workspace import Workspace
from pellux.store import runs, trials
from pellux.store.database import Session
from pellux.store.problems import get_problem
from pellux.store.records import NewTrial, Problem, Search, Trial
from pellux.store.runs import NewRun, create_run
from pellux.tables.files import FOLDS, array

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


Whose = tuple[Trial, Search]


def rejudge(engine: Engine, problem_id: int, request: RejudgeRequest) -> int:
    """Start a re-judging; returns the id it has among the searches."""
    workspace = engine.workspace
    with workspace.database.write() as session:
        problem = get_problem(session, problem_id)
        brief, objective = workspace.brief(problem), workspace.objective(problem)
        chosen = _chosen(workspace, session, problem, objective, request.trials)
        fits = len(chosen) * request.repeats * brief.split.folds
        if fits > MOST_FITS:
            raise InvalidPlan(
                f"{len(chosen)} trials × {request.repeats} repeats × {brief.split.folds} folds are {fits:,} fits; "
                f"at most {MOST_FITS:,} are re-judged at once.",
                at="repeats",
            )
        plan = SettingsRequest(strategy="random", trials=len(chosen), workers=request.workers)
        search_id = create_run(
            session,
            NewRun(
                kind="re-judge", problem_id=problem_id, plan=plan.model_dump(by_alias=True), stopping=NOTHING.to_json(),
                workers=request.workers or default_workers(), created_at=workspace.clock(), versions=versions(),
                strategy_reason=f"{len(chosen)} finalists on {request.repeats} fresh cuts into folds.",
                trials=[
                    NewTrial(
                        number, ORIGIN, final_settings(session, objective, search, trial), learner_of(objective, search, trial), trial.id
                    )
                    for number, (trial, search) in enumerate(chosen, 1)
                ],
            ),
        )  # fmt: skip
        rows = split_rows(open_table(workspace, brief.data), brief)
        own = Folds.of(array(workspace.folds_file(problem_id), FOLDS), brief.split)
        np.save(workspace.fresh_folds_file(search_id), fresh_folds(brief.split, rows, own, request.repeats))
    engine.begin(search_id)
    return search_id


def _chosen(workspace: Workspace, session: Session, problem: Problem, objective: Objective, wanted: Sequence[int]) -> list[Whose]:
    """The trials asked for and the baselines of their learners, best first."""
    found: dict[int, Whose] = {}
    for trial_id in wanted:
        trial, search, _ = whose(session, trial_id)
        check_belongs(workspace, session, problem, trial, search)
        if trial.mean is None:
            raise Conflict(f"Trial {trial.number} of search {search.number} is {trial.state}: it has no score on all folds.")
        found[trial.id] = trial, search
    learners = {learner_of(objective, search, trial) for trial, search in found.values()}
    for trial, _, _ in trials.baselines(session, problem.id):
        search = runs.get_search(session, trial.search_id)
        if learner_of(objective, search, trial) in learners:
            found[trial.id] = trial, search
    return sorted(found.values(), key=lambda one: (one[0].rank_score is None, -(one[0].rank_score or 0.0), one[0].id))


def rejudged(session: Session, problem_id: int) -> dict[int, Rejudged]:
    """By trial id: its scores from the re-judging with most repeats, the newest of equals."""
    found: dict[int, Rejudged] = {}
    for source, scores, search in trials.rejudged_scores(session, problem_id):
        if source not in found or len(scores) >= len(found[source].scores):
            found[source] = Rejudged(search, tuple(scores))
    return found
