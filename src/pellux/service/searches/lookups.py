"""Whose a trial is, and what it comes to: the settings that train its model again."""

from __future__ import annotations

from typing import Any

from pellux.core.errors import Conflict
from pellux.core.objective import SCHEDULE, Objective
from pellux.service.planning.resolving import Resolved
from pellux.service.workspace import Workspace
from pellux.store.database import Session
from pellux.store.problems import get_problem
from pellux.store.records import Problem, Search, Trial
from pellux.store.runs import RANKED, get_search
from pellux.store.trials import BASELINE, get_trial, trial_of


def whose(session: Session, trial_id: int) -> tuple[Trial, Search, Problem]:
    """A trial, the search that it is of, and the problem that that is of."""
    trial = get_trial(session, trial_id)
    search = get_search(session, trial.search_id)
    return trial, search, get_problem(session, search.problem_id)


def called(trial: Trial, search: Search) -> str:
    """What a trial is called in a sentence: `trial 3 of search 2`, `the baseline`."""
    if trial.origin == BASELINE:
        return f"the baseline ({trial.learner or search.learner})" if trial.learner or search.learner else "the baseline"
    return f"trial {trial.number} of search {search.number}"


def learner_of(objective: Objective, search: Search, trial: Trial) -> str:
    """The key of what a trial configures; of several that are searched together, the one it chose."""
    key = trial.learner or search.learner
    return objective.configurable(key).settle(trial.configuration)[0].key if "|" in key else key


def final_settings(session: Session, objective: Objective, search: Search, trial: Trial) -> dict[str, Any]:
    """The settings by which a trial's model is trained in one go: to its best iteration, by its schedule if it has one."""
    chosen, found = objective.configurable(trial.learner or search.learner).settle(trial.configuration)
    if trial.best_iteration is None or chosen.growth is None:
        return found
    found[chosen.growth.counter] = trial.best_iteration
    if trial.parent is not None:
        found[SCHEDULE] = _schedule(session, search, trial, set(chosen.growth.steerable))
    return found


def _schedule(session: Session, search: Search, trial: Trial, steerable: set[str]) -> list[list[Any]]:
    """[iteration, settings] for each interval of a trial's line; equal neighbours are one."""
    levels = Resolved.from_json(search.stopping).levels
    line, until = [trial], [int(trial.best_iteration or levels[trial.rung])]
    while (parent := line[-1].parent) is not None:
        line.append(trial_of(session, trial.search_id, parent))
        until.append(levels[line[-1].rung])
    stages: list[list[Any]] = []
    for member, end in zip(reversed(line), reversed(until), strict=True):
        changing = {name: value for name, value in member.configuration.items() if name in steerable}
        if stages and stages[-1][1] == changing:
            stages[-1][0] = end
        else:
            stages.append([end, changing])
    return stages


def check_belongs(workspace: Workspace, session: Session, problem: Problem, trial: Trial, search: Search) -> None:
    """Refuse a trial of another problem: its score is not comparable, the less so when its metric is another."""
    if search.kind not in RANKED:
        raise Conflict(f"Trial {trial.number} is a re-judged finalist; choose the trial that it judges again.")
    if search.problem_id == problem.id:
        return
    here = workspace.objective(problem).judging.label
    there = workspace.objective(get_problem(session, search.problem_id)).judging.label
    why = f"is judged by {there}, this one by {here}" if here != there else "has other data or folds"
    raise Conflict(f"Trial {trial.number} belongs to another problem, which {why}; their scores cannot be compared.")
