"""How importance is prepared here and computed in a process of its own."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from typing import Any

import numpy as np

from pellux.core.evidence.importance import importances
from pellux.core.space import Configuration, parse
from pellux.core.strategies import CONTINUING
from pellux.service.engine.analyses import Job
from pellux.service.workspace import Workspace
from pellux.store.problems import get_problem
from pellux.store.runs import get_search
from pellux.store.trials import ended_in_searches

MATTERS = "what matters"


def prepare(workspace: Workspace, problem_id: int, request: Mapping[str, Any]) -> Job:
    """Trials as configurations of the search's space, and their scores turned so that larger is better."""
    with workspace.database.read() as session:
        search = get_search(session, request["search"])
        objective = workspace.objective(get_problem(session, problem_id))
        ended = ended_in_searches(session, problem_id, but_strategies=CONTINUING)
    space, defaults, sign = parse(search.space), objective.configurable(search.learner).defaults, objective.judging.sign
    found: dict[str, tuple[Configuration, float]] = {}
    for trial, its_key in ended:
        if trial.mean is None:
            continue
        translated = objective.translated(search.learner, trial.learner or its_key, trial.configuration)
        here = None if translated is None else space.placed(translated, defaults)
        if here is not None:
            found[repr(sorted(here.items()))] = (here, sign * trial.mean)
    return Job(compute, (search.space, [c for c, _ in found.values()], [score for _, score in found.values()], search.id))


def compute(space: str, configurations: Sequence[Configuration], scores: Sequence[float], seed: int) -> dict[str, Any]:
    """In a process of its own; the same for the same trials."""
    found = importances(parse(space), configurations, np.asarray(scores, dtype=float), np.random.default_rng(seed))
    return {} if found is None else asdict(found)
