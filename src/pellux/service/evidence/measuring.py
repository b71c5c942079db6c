"""The way from the usual settings to the best, measured: a search whose trials are the steps that nobody has been at."""

from __future__ import annotations

from pellux.core.errors import Conflict
from pellux.service.engine.engine import Engine
from pellux.service.evidence.evidence import ask_evidence
from pellux.service.machines.demands import count_of
from pellux.service.planning.launching import launch
from pellux.service.planning.requests import SearchRequest, SettingsRequest
from pellux.store.runs import get_search


def measure_path(engine: Engine, search_id: int) -> int:
    """Begin it; the id of the search. Conflict where there is no way to measure, or all of it is known."""
    found = ask_evidence(engine, search_id)
    if found.state == "running":
        raise Conflict("The way to the best is still being found; ask again in a moment.")
    if not found.path:
        raise Conflict("There is no way to the best to measure: too few trials are scored, or the usual settings are the best.")
    steps = [step.configuration for step in found.path if step.measured is None]
    if not steps:
        raise Conflict("Every step of the way is measured already.")
    with engine.workspace.database.read() as session:
        search = get_search(session, search_id)
    kept = SettingsRequest.model_validate(search.plan)
    plan = SettingsRequest(
        strategy="random", trials=len(steps), starts=steps, workers=None if kept.runner.cluster else count_of(kept), seed=kept.seed, fit_seconds=kept.fit_seconds,
        trial_seconds=kept.trial_seconds,
    )  # fmt: skip
    note = [f"measures={search.number}"]
    return launch(engine, search.problem_id, SearchRequest(learner=search.learner, space=search.space, plan=plan, overrides=note))
