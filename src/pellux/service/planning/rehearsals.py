"""Rehearsal: a few fits before launch, which prove that the set-up works and calibrate the forecast.

They run on the real engine, with real workers, on the first fold: the default configuration, the cheapest start and two
draws of the space.
"""

from __future__ import annotations

import tempfile
from collections.abc import Sequence
from pathlib import Path

import numpy as np

from pellux.core.errors import Conflict
from pellux.core.objective import Objective, Terms
from pellux.core.space import Configuration, Space, draw, identity
from pellux.core.strategies.gain_per_second import cheapest
from pellux.engine.artifacts import FileArtifacts
from pellux.engine.coordinator import Coordinator
from pellux.engine.driver import Driver
from pellux.engine.messages import Save, SaveFit
from pellux.engine.model import Fit, Limits
from pellux.engine.proposer import NoProposals
from pellux.engine.runners.local import LocalRunner
from pellux.engine.states import FitState
from pellux.engine.worker import Assignment
from pellux.objectives.code.brief import OUTSIDE
from pellux.service.machine import memory_for
from pellux.service.planning.launching import check_holds, check_search
from pellux.service.planning.requests import SearchRequest
from pellux.service.planning.schemas import RehearsalFitView
from pellux.service.trust import require_trust
from pellux.service.wording import sentence
from pellux.service.workspace import Workspace
from pellux.store.past_results import add_rehearsal
from pellux.store.problems import get_problem
from pellux.store.records import RehearsalFit

DRAWS = 2
PATIENCE = 30.0  # seconds; a fit that is not done by then is shown as taking longer
ENDED = (FitState.DONE, FitState.ERROR, FitState.TOO_LARGE, FitState.TOO_LONG)


class _Book:
    """A recorder that keeps the last state of each fit in memory."""

    def __init__(self) -> None:
        self.fits: dict[int, Fit] = {}

    def save(self, saves: Sequence[Save]) -> None:
        for save in saves:
            if isinstance(save, SaveFit):
                self.fits[save.fit.trial] = save.fit


def rehearse(workspace: Workspace, problem_id: int, request: SearchRequest) -> list[RehearsalFitView]:
    """Run the rehearsal of a search in a kept problem, and keep what its fits cost."""
    with workspace.database.read() as session:
        problem = get_problem(session, problem_id)
    require_trust(workspace, problem, request.learner)
    objective = workspace.objective(problem)
    found = run(workspace, objective, request)
    at = workspace.clock()
    with workspace.database.write() as session:
        add_rehearsal(
            session,
            [
                RehearsalFit(problem_id, request.learner, fit.configuration, fit.state, fit.seconds, fit.message, at)
                for fit in found
            ],
        )  # fmt: skip
    return found


def run(workspace: Workspace, objective: Objective, request: SearchRequest) -> list[RehearsalFitView]:
    """The fits of a rehearsal, one after another on up to two workers; nothing is kept."""
    if objective.kind == OUTSIDE:
        raise Conflict("Fits of an outside loop are not ours to run: there is nothing to rehearse.")
    space = check_search(objective, request).space
    chosen = objective.configurable(request.learner)
    starts = _configurations(space)
    holds = objective.holds
    workers = min(2, check_holds(workspace, objective, None))
    limits = Limits(
        trials=len(starts),
        workers=workers,
        folds=1,
        fit_seconds=min(PATIENCE, request.plan.fit_seconds),
        sign=objective.judging.sign,
    )
    log = workspace.log_file(0).with_name("rehearsal.log")
    memory = memory_for(workers, request.plan.memory_mb or holds.memory_mb)
    terms = Terms(learner=request.learner, settings=tuple(space.by_name), memory_bytes=memory if holds.elsewhere else None)
    book = _Book()
    first = chosen.baselines(space)[:1]
    with tempfile.TemporaryDirectory(prefix="pellux-rehearsal-", ignore_cleanup_errors=True) as scratch:
        artifacts = FileArtifacts(Path(scratch) / "checkpoints", Path(scratch) / "fits")
        assignment = Assignment(objective.evaluators(terms), artifacts, log, each=holds.devices)
        runner = LocalRunner(assignment, clock=workspace.steady, devices=workspace.devices)
        driver = Driver(Coordinator(limits, first), runner, book, NoProposals(starts), workspace.steady)
        driver.start()
        driver.join(PATIENCE * len(starts))
        driver.leave()
        driver.join(10)
    return [_view(number, fit, [*first, *starts]) for number, fit in sorted(book.fits.items())]


def _configurations(space: Space) -> list[Configuration]:
    rng = np.random.default_rng(5)
    first = cheapest(space)
    wanted = [first if space.fulfils(first) else draw(space, rng), *(draw(space, rng) for _ in range(DRAWS))]
    return list({identity(c): c for c in wanted}.values())


def _view(number: int, fit: Fit, configurations: Sequence[Configuration]) -> RehearsalFitView:
    outcome = fit.outcome
    unfinished = fit.state not in ENDED
    return RehearsalFitView(
        what="default configuration" if number == 0 else "cheapest start" if number == 1 else "a draw of the space",
        configuration=dict(configurations[number]), state="too long" if unfinished else fit.state.value,
        score=fit.score, seconds=outcome.seconds if outcome else PATIENCE, message=sentence(outcome.reason) if outcome else "",
    )  # fmt: skip
