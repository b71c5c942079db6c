"""How evidence is prepared here, to be computed in a process of its own."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pellux.core.strategies import strategy
from pellux.service.engine.analyses import Job
from pellux.service.evidence.computing import compute, compute_surface
from pellux.service.evidence.gathering import gather
from pellux.service.evidence.replaying import Entrant, replay
from pellux.service.planning.resolving import Resolved
from pellux.service.workspace import Workspace
from pellux.store.problems import get_problem

SAYS, SURFACE, REPLAYED = "what trials say", "surface", "face-off replayed"


def prepare(workspace: Workspace, problem_id: int, request: Mapping[str, Any]) -> Job:
    return Job(compute, (gather(workspace, request["search"]),))


def prepare_surface(workspace: Workspace, problem_id: int, request: Mapping[str, Any]) -> Job:
    return Job(
        compute_surface,
        (gather(workspace, request["search"]), request["across"], request["down"], request["others"], request.get("by")),
    )


def prepare_replay(workspace: Workspace, problem_id: int, request: Mapping[str, Any]) -> Job:
    """Its request has the entrants as they were resolved when it was asked for."""
    with workspace.database.read() as session:
        folds = workspace.objective(get_problem(session, problem_id)).judging.fits
    entrants = [
        Entrant(
            one["strategy"],
            strategy(one["strategy"]).settings(**one["settings"]),
            Resolved.from_json(one["stopping"]).stopping(),
            one["workers"],
        )
        for one in request["resolved"]
    ]
    known = gather(workspace, request["search"])
    return Job(replay, (known, entrants, folds, request["budget"], request["amount"], request["repeats"], request["seed"]))
