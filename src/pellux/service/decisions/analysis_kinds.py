"""What can be analysed, and how each analysis is prepared here and computed in its own process."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from pellux.core.errors import Conflict
from pellux.core.judging.aims import Aim
from pellux.core.objective import SCHEDULE
from pellux.core.space import Space, parse
from pellux.objectives.code.brief import KINDS as CODE
from pellux.objectives.code.brief import CodeBrief
from pellux.objectives.code.final_run import final_run
from pellux.objectives.code.ground import CodeGround
from pellux.objectives.code.objective import sent_file
from pellux.objectives.tabular.drawn_tree import drawn_tree
from pellux.objectives.tabular.export.final_model import write_final_model
from pellux.service.decisions.computing import compute_holdout, compute_importance, nothing_to_train
from pellux.service.decisions.grounds import ground_of, judged_on
from pellux.service.decisions.honest import compute_honest
from pellux.service.engine.analyses import Job, Prepare
from pellux.service.evidence.kinds import REPLAYED, SAYS, SURFACE, prepare, prepare_replay, prepare_surface
from pellux.service.searches.lookups import final_settings, learner_of, whose
from pellux.service.workspace import Workspace
from pellux.store.problems import get_problem
from pellux.store.records import Trial
from pellux.store.runs import get_search
from pellux.store.trials import by_ids

KEPT = "kept"  # the folder of a decision with what the final run kept
HONEST, IMPORTANCE, TREE, HOLDOUT_LOOK, MODEL = "honest score", "column importance", "tree", "holdout", "model"


def _chosen(workspace: Workspace, trial_id: int) -> tuple[str, dict[str, Any], Trial]:
    with workspace.database.read() as session:
        trial, search, problem = whose(session, trial_id)
        objective = workspace.objective(problem)
        return learner_of(objective, search, trial), final_settings(session, objective, search, trial), trial


def _honest(workspace: Workspace, problem_id: int, request: Mapping[str, Any]) -> Job:
    with workspace.database.read() as session:
        found = by_ids(session, request["trials"])
    keys, ids = [(trial.search_id, trial.number) for trial in found.values()], list(found)
    ground = judged_on(workspace, problem_id)
    if isinstance(ground, CodeGround) and not ground.named:
        raise Conflict(
            "The honest score is of metrics that are known here: call the score like one of them, such as 'recall' or 'RMSE'."
        )
    aims = workspace_aims(workspace, problem_id, request.get("against", []))
    told = [[(trial.measured or {}).get(aim.measure) for aim in aims] for trial in found.values()]
    return Job(compute_honest, (workspace.database.path, ground, keys, ids, aims, told))


def workspace_aims(workspace: Workspace, problem_id: int, names: Sequence[str]) -> tuple[Aim, ...]:
    with workspace.database.read() as session:
        return workspace.objective(get_problem(session, problem_id)).judging.weighed(names)


def _importance(workspace: Workspace, problem_id: int, request: Mapping[str, Any]) -> Job:
    key, settings, _ = _chosen(workspace, request["trial"])
    return Job(compute_importance, (ground_of(workspace, problem_id), key, settings))


def _tree(workspace: Workspace, problem_id: int, request: Mapping[str, Any]) -> Job:
    key, settings, _ = _chosen(workspace, request["trial"])
    if key != "tree":
        raise Conflict("Only a decision tree can be drawn; this trial is another learner's.")
    return Job(drawn_tree, (ground_of(workspace, problem_id), settings))


def _holdout(workspace: Workspace, problem_id: int, request: Mapping[str, Any]) -> Job:
    key, settings, trial = _chosen(workspace, request["trial"])
    baseline = request.get("baseline")
    other = _chosen(workspace, baseline)[:2] if baseline is not None else None
    return Job(compute_holdout, (ground_of(workspace, problem_id), (key, settings), trial.mean, trial.standard_error, other))


def _model(workspace: Workspace, problem_id: int, request: Mapping[str, Any]) -> Job:
    key, settings, trial = _chosen(workspace, request["trial"])
    with workspace.database.read() as session:
        problem, search = get_problem(session, problem_id), get_search(session, trial.search_id)
    if problem.objective in CODE:
        return _final_run(workspace, CodeBrief.from_json(problem.brief), settings, parse(search.space), request["decision"])
    folder = workspace.decision_folder(request["decision"])
    return Job(write_final_model, (ground_of(workspace, problem_id), key, settings, folder))


def _final_run(workspace: Workspace, brief: CodeBrief, settings: dict[str, Any], space: Space, decision_id: int) -> Job:
    """The winner trained on everything, where the program says that it can; else its folds keep what they kept."""
    if not brief.final:
        return Job(nothing_to_train, ())
    sent = sent_file(workspace.own_folder, brief.sent) if brief.sent else None
    devices = workspace.devices.names[: brief.holds.devices]
    target = workspace.decision_folder(decision_id) / KEPT
    return Job(final_run, (brief, stages_of(brief, settings), tuple(space.by_name), devices, target, sent))


def stages_of(brief: CodeBrief, settings: Mapping[str, Any]) -> list[tuple[dict[str, Any], int]]:
    """Final settings as the runs that train them: one, or one for each interval of a schedule."""
    counter = brief.grows.what if brief.grows else ""
    level = int(settings.get(counter, brief.most))
    own = {name: value for name, value in settings.items() if name not in (counter, SCHEDULE)}
    return [({**own, **changing}, int(until)) for until, changing in settings.get(SCHEDULE, [])] or [(own, level)]


KINDS: dict[str, Prepare] = {
    HONEST: _honest, IMPORTANCE: _importance, TREE: _tree, HOLDOUT_LOOK: _holdout, MODEL: _model, SAYS: prepare,
    SURFACE: prepare_surface, REPLAYED: prepare_replay,
}  # fmt: skip
