"""What the predictions of a problem's trials are judged on: its table, or the rows that own code told of."""

from __future__ import annotations

from pellux.core.errors import Conflict
from pellux.objectives.code.brief import KINDS as CODE
from pellux.objectives.code.brief import CodeBrief
from pellux.objectives.code.ground import ground_from
from pellux.objectives.tabular.whole_fit import Ground
from pellux.service.decisions.honest import Judged
from pellux.service.workspace import Workspace
from pellux.store.database import Session
from pellux.store.predicted import newest_predicted
from pellux.store.predictions import read_predictions
from pellux.store.problems import get_problem


def ground_of(workspace: Workspace, problem_id: int) -> Ground:
    """A problem's table, folds and brief; Conflict for one that is about something else."""
    with workspace.database.read() as session:
        brief = workspace.brief(get_problem(session, problem_id))
    return Ground(workspace.data_folder(brief.data), workspace.folds_file(problem_id), brief, workspace.own_folder)


def judged_on(workspace: Workspace, problem_id: int) -> Judged:
    """The rows that predictions are of; Conflict where nothing was predicted."""
    with workspace.database.read() as session:
        problem = get_problem(session, problem_id)
        newest = newest_predicted(session, problem_id) if problem.objective in CODE else None
    if problem.objective not in CODE:
        return ground_of(workspace, problem_id)
    if newest is None:
        raise Conflict(
            f"The code of {problem.name} left no predictions of its rows (predictions.csv): there is nothing to compute this from."
        )
    [parts] = read_predictions(workspace.database.path, [newest])
    return ground_from(CodeBrief.from_json(problem.brief), parts)


def has_predictions(workspace: Workspace, session: Session, problem_id: int) -> bool:
    """Whether anything can be computed from what trials predicted."""
    problem = get_problem(session, problem_id)
    if problem.objective not in CODE:
        return workspace.objective(problem).tested().rows > 0
    return newest_predicted(session, problem_id) is not None
