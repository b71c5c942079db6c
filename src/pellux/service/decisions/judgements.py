"""The analyses that a decision asks for: honest score, importance of columns, the tree, the holdout."""

from __future__ import annotations

from typing import Any

from pydantic import Field

from pellux.core.errors import Conflict
from pellux.service.decisions.analysis_kinds import HOLDOUT_LOOK, HONEST, IMPORTANCE, TREE
from pellux.service.decisions.decisions import holdout_looks, honest_request
from pellux.service.decisions.diagnostics import baseline_for
from pellux.service.decisions.grounds import ground_of
from pellux.service.decisions.schemas import HoldoutView, HonestScoreView, ImportanceView, TreeView
from pellux.service.engine.analyses import DONE, RUNNING, newest_analysis
from pellux.service.engine.engine import Engine
from pellux.service.planning.requests import Request
from pellux.service.searches.lookups import called, check_belongs, learner_of, whose
from pellux.service.workspace import Workspace
from pellux.store import runs
from pellux.store.problems import get_problem
from pellux.store.records import Analysis

WHILE = 60.0  # seconds


class OpeningRequest(Request):
    """Opens the holdout. A second opening has to say that it knows of the first."""

    trial_id: int
    opener: str = Field("", max_length=200, description="Who opens it.")
    again: bool = Field(False, description="True: it was opened before, and that is understood.")


def ask_honest_score(engine: Engine, problem_id: int) -> HonestScoreView:
    """The honest score over all scored trials: known already, or started now.

    While trials go on coming in, a score of not quite all of them is good enough for a minute.
    """
    request = honest_request(engine.workspace, problem_id)
    if not request["trials"]:
        raise Conflict("No trial is scored yet: there is nothing to be honest about.")
    newest = newest_analysis(engine.workspace, problem_id, HONEST)
    last = newest_analysis(engine.workspace, problem_id, HONEST, state=DONE)
    young = newest is not None and engine.workspace.clock() - newest.created_at < WHILE
    if (newest is None or newest.request != request) and not (young and _still_searching(engine.workspace, problem_id)):
        newest = engine.analyst.wait(engine.analyst.ask(problem_id, HONEST, request), 0)
    assert newest is not None
    return honest_view(last if newest.state == RUNNING and last is not None else newest)


def _still_searching(workspace: Workspace, problem_id: int) -> bool:
    with workspace.database.read() as session:
        return any(run.kind in runs.RANKED for run in runs.running(session, problem_id))


def honest_score_view(workspace: Workspace, problem_id: int) -> HonestScoreView | None:
    """The newest honest score, of whichever trials there were."""
    found = newest_analysis(workspace, problem_id, HONEST)
    return honest_view(found) if found is not None else None


def honest_view(row: Analysis) -> HonestScoreView:
    found: dict[str, Any] = row.result or {}
    wins = found.get("wins", [])
    return HonestScoreView(
        **_about(row), raw=found.get("raw"), score=found.get("score"), low=found.get("low"), high=found.get("high"),
        wins=wins, places=found.get("places", []), rounds=found.get("rounds", 0), trials=found.get("trials", len(row.request["trials"])),
        without_predictions=found.get("without_predictions", 0), contenders=found.get("contenders", 0),
        best=wins[0][0] if wins else None, metrics=found.get("metrics", []),
    )  # fmt: skip


def ask_importance(engine: Engine, trial_id: int) -> ImportanceView:
    row = _ask_of_trial(engine, trial_id, IMPORTANCE)
    return ImportanceView(**_about(row), columns=(row.result or {}).get("columns", []))


def ask_tree(engine: Engine, trial_id: int) -> TreeView:
    row = _ask_of_trial(engine, trial_id, TREE)
    found = row.result or {}
    return TreeView(
        **_about(row), leaves=found.get("leaves", 0), depth=found.get("depth", 0), classes=found.get("classes", []),
        root=found.get("root"),
    )  # fmt: skip


def _ask_of_trial(engine: Engine, trial_id: int, kind: str) -> Analysis:
    with engine.workspace.database.read() as session:
        trial, search, problem = whose(session, trial_id)
        check_belongs(engine.workspace, session, problem, trial, search)
        key = learner_of(engine.workspace.objective(problem), search, trial)
    if kind == TREE and key != "tree":
        raise Conflict("Only a decision tree can be drawn; this trial is another learner's.")
    made = engine.analyst.ask(search.problem_id, kind, {"trial": trial_id})
    return engine.analyst.wait(made, 0)


def open_holdout(engine: Engine, problem_id: int, request: OpeningRequest) -> int:
    """Open the holdout for one trial, which is logged for ever; returns the analysis's id."""
    workspace = engine.workspace
    with workspace.database.read() as session:
        problem = get_problem(session, problem_id)
        trial, search, _ = whose(session, request.trial_id)
        check_belongs(workspace, session, problem, trial, search)
        if trial.mean is None:
            raise Conflict(f"Trial {trial.number} is {trial.state}: only a scored trial can be judged on the holdout.")
        brief = workspace.brief(problem)
        baseline = baseline_for(session, problem_id, learner_of(workspace.objective(problem), search, trial))
    if not brief.split.holdout and not ground_of(workspace, problem_id).folds.held.any():  # the data's own folds may hold rows out
        raise Conflict("This problem has no holdout: all rows are in the folds. The honest score is the estimate to trust.")
    looks = [look for look in holdout_looks(workspace, problem_id) if look.state != "failed"]
    if looks and not request.again:
        raise Conflict(
            f"The holdout was opened before ({len(looks)}×). Choosing by it makes its score as optimistic as any other; "
            "open it again only with that understood. Every opening is kept and shown."
        )
    other = baseline.id if baseline is not None and baseline.id != trial.id else None
    asked = {"trial": trial.id, "baseline": other, "opener": request.opener, "nth": len(looks) + 1}
    return engine.analyst.ask(problem_id, HOLDOUT_LOOK, asked, anew=True)


def openings(workspace: Workspace, problem_id: int) -> list[HoldoutView]:
    """Every opening of the holdout, first one first."""
    found = []
    for row in holdout_looks(workspace, problem_id):
        with workspace.database.read() as session:
            trial, search, _ = whose(session, row.request["trial"])
        result = row.result or {}
        found.append(
            HoldoutView(
                **_about(row), trial_id=trial.id, trial_name=called(trial, search), opener=row.request["opener"], nth=row.request["nth"],
                rows=result.get("rows", 0), folds=result.get("folds"), folds_error=result.get("folds_error"),
                chosen=result.get("chosen"), baseline=result.get("baseline"), verdict=result.get("verdict", ""),
            )
        )  # fmt: skip
    return found


def _about(row: Analysis) -> dict[str, Any]:
    return {
        "id": row.id, "kind": row.kind, "state": row.state, "message": row.message, "created_at": row.created_at,
        "ended_at": row.ended_at,
    }  # fmt: skip
