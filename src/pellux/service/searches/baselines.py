"""Baselines first: the defaults of learners scored on all folds in the background, as soon as a brief is complete."""

from __future__ import annotations

from pydantic import Field

from pellux.core.errors import Conflict
from pellux.core.objective import Configurable, Objective
from pellux.engine.states import SearchState
from pellux.objectives.code.brief import KINDS as CODE
from pellux.objectives.tabular.learners.catalogue import FIRST_LOOK
from pellux.service.engine.engine import Engine
from pellux.service.machine import default_workers, versions
from pellux.service.planning.requests import Request, SettingsRequest
from pellux.service.planning.resolving import NOTHING
from pellux.service.searches.lookups import learner_of
from pellux.service.searches.schemas import BaselineView
from pellux.service.searches.searches import set_state
from pellux.service.wording import sentence
from pellux.service.workspace import Workspace
from pellux.store import runs, trials
from pellux.store.database import Session
from pellux.store.problems import get_problem
from pellux.store.records import NewTrial
from pellux.store.runs import NewRun, create_run

PATIENCE = 20.0  # seconds for a background run to end


class BaselinesRequest(Request):
    """Whose defaults are scored; without a list those of a few that show what the data are like."""

    learners: list[str] | None = Field(None, max_length=40)


def score_baselines(engine: Engine, problem_id: int, request: BaselinesRequest) -> list[BaselineView]:
    """Score the defaults of learners that have no scored baseline yet; answers all there are and will be."""
    workspace = engine.workspace
    search_id = None
    with workspace.database.write() as session:
        objective = workspace.objective(get_problem(session, problem_id))
        if objective.kind in CODE:
            raise Conflict("The baseline of own code is where its space starts: each search scores that first.")
        views = _views(session, objective, problem_id)
        known = {view.learner for view in views if view.state in ("scored", "running", "due")}
        wanted = [entry for entry in _chosen(workspace, objective, session, problem_id, request) if entry.key not in known]
        if wanted:
            search_id = _keep(session, workspace, problem_id, wanted)
    if search_id is not None:
        engine.begin(search_id)
    return baselines(workspace, problem_id)


def _chosen(
    workspace: Workspace, objective: Objective, session: Session, problem_id: int, request: BaselinesRequest
) -> list[Configurable]:
    if request.learners is not None:
        return [objective.configurable(key) for key in dict.fromkeys(request.learners)]
    task = workspace.brief(get_problem(session, problem_id)).task
    return [objective.configurable(key) for key in FIRST_LOOK if task in workspace.catalogue.learner(key).tasks]


def _keep(session: Session, workspace: Workspace, problem_id: int, wanted: list[Configurable]) -> int:
    return create_run(
        session,
        NewRun(
            kind="baselines", problem_id=problem_id, plan=SettingsRequest(strategy="random", trials=len(wanted)).model_dump(by_alias=True),
            stopping=NOTHING.to_json(), workers=default_workers(), created_at=workspace.clock(), versions=versions(),
            strategy_reason=f"The defaults of {len(wanted)} learners.",
            trials=[NewTrial(place, "baseline", entry.defaults, entry.key) for place, entry in enumerate(wanted)],
        ),
    )  # fmt: skip


def baselines(workspace: Workspace, problem_id: int) -> list[BaselineView]:
    """The baseline of every learner that has one or is getting one, best first."""
    with workspace.database.read() as session:
        return _views(session, workspace.objective(get_problem(session, problem_id)), problem_id)


def _views(session: Session, objective: Objective, problem_id: int) -> list[BaselineView]:
    found: dict[str, BaselineView] = {}
    for trial, number, _ in trials.baselines(session, problem_id, scored=False):
        key = learner_of(objective, runs.get_search(session, trial.search_id), trial)
        if key in found and found[key].state == "scored":
            continue
        found[key] = BaselineView(
            learner=key, label=objective.configurable(key).label, trial_id=trial.id, search=number, state=trial.state,
            reason=sentence(trial.reason), score=trial.mean, standard_error=trial.standard_error, folds=trial.scores,
            seconds=trial.seconds,
        )  # fmt: skip
    return list(found.values())


def await_baselines(engine: Engine, problem_id: int) -> list[BaselineView]:
    """The baselines of a problem once none is under way any more."""
    with engine.workspace.database.read() as session:
        found = runs.searches_of(session, problem_id, kinds=[runs.BASELINES])
    for run in found:
        engine.join(run.id)
    return baselines(engine.workspace, problem_id)


def forget_baselines(engine: Engine, problem_id: int) -> None:
    """Before a brief changes: what was scored by the old one says nothing of the new one."""
    workspace = engine.workspace
    with workspace.database.read() as session:
        every = runs.searches_of(session, problem_id)
        if any(run.kind != runs.BASELINES for run in every) or get_problem(session, problem_id).frozen:
            raise Conflict("The brief is frozen: searches of this problem use it. Save the change as a new problem.")
    for run in every:
        if not SearchState(run.state).ended:
            set_state(engine, run.id, "stopped")
        engine.join(run.id, PATIENCE)
    with workspace.database.write() as session:
        for run in every:
            runs.drop_run(session, run.id)
