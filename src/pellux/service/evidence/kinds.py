"""How importance is prepared here and computed in a process of its own."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from typing import Any

import numpy as np

from pellux.core.evidence.importance import importances
from pellux.core.space import Configuration, parse
from pellux.service.engine.analyses import Job
from pellux.service.planning.prior_knowledge import observations
from pellux.service.planning.requests import SettingsRequest
from pellux.service.workspace import Workspace
from pellux.store.problems import get_problem
from pellux.store.runs import get_search

MATTERS = "what matters"


def prepare(workspace: Workspace, problem_id: int, request: Mapping[str, Any]) -> Job:
    """What is known of configurations in the search's space, from all searches of the problem and from elsewhere."""
    with workspace.database.read() as session:
        search = get_search(session, request["search"])
        objective = workspace.objective(get_problem(session, problem_id))
        everything = SettingsRequest(warm_start="all")
        known = observations(session, objective, problem_id, search.learner, parse(search.space), everything)
    scored = [(observation.configuration, observation.mean) for observation in known if observation.mean is not None]
    return Job(compute, (search.space, [c for c, _ in scored], [score for _, score in scored], search.id))


def compute(space: str, configurations: Sequence[Configuration], scores: Sequence[float], seed: int) -> dict[str, Any]:
    """In a process of its own; the same for the same trials."""
    found = importances(parse(space), configurations, np.asarray(scores, dtype=float), np.random.default_rng(seed))
    return {} if found is None else asdict(found)
