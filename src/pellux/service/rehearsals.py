"""Rehearsal: a few fits before launch, which prove that the set-up works and calibrate the forecast.

They run on the real engine, with real workers, on the first fold: the default configuration, the cheapest start and two
draws of the space.
"""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np

from pellux.core.judging import Brief
from pellux.core.space import Configuration, Space, draw, identity
from pellux.core.strategies.thrifty_descent import cheapest
from pellux.engine.coordinator import Coordinator
from pellux.engine.driver import Driver
from pellux.engine.messages import Save, SaveFit
from pellux.engine.model import Fit, FitState, Limits
from pellux.engine.proposer import NoProposals
from pellux.engine.runners.local import LocalRunner
from pellux.engine.worker import Assignment
from pellux.learners.catalogue import learner
from pellux.service.launching import check_search, default_workers
from pellux.service.problems import get_problem
from pellux.service.requests import SearchRequest
from pellux.service.views import RehearsalFitView
from pellux.service.workspace import Workspace
from pellux.store.models import RehearsalFit

DRAWS = 2
PATIENCE = 30.0  # seconds; a fit that is not done by then is shown as taking longer
ENDED = (FitState.DONE, FitState.ERROR, FitState.MEMORY, FitState.TIMEOUT)


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
        brief = Brief.from_json(get_problem(session, problem_id).brief)
    found = run(workspace, brief, workspace.folds_file(problem_id), request)
    with workspace.database.write() as session:
        session.add_all(
            RehearsalFit(
                problem_id=problem_id, learner=request.learner, configuration=fit.configuration, state=fit.state,
                seconds=fit.seconds, message=fit.message, created_at=workspace.clock(),
            )
            for fit in found
        )  # fmt: skip
    return found


def run(workspace: Workspace, brief: Brief, folds: Path, request: SearchRequest) -> list[RehearsalFitView]:
    """The fits of a rehearsal, one after another on up to two workers; nothing is kept."""
    space = check_search(brief, request).space
    chosen = learner(request.learner, brief.task)
    starts = _configurations(space)
    workers = min(2, default_workers())
    limits = Limits(trials=len(starts), workers=workers, folds=1, fit_seconds=min(PATIENCE, request.plan.fit_seconds))
    assignment = Assignment(
        table=workspace.data_folder(brief.data), folds=folds, brief=brief, learner=request.learner,
        log=workspace.log_file(0).with_name("rehearsal.log"), own=workspace.own_folder,
    )  # fmt: skip
    book = _Book()
    driver = Driver(
        Coordinator(limits, chosen.baselines[:1], starts=starts), LocalRunner(assignment), book, NoProposals(), workspace.clock
    )
    driver.start()
    driver.join(PATIENCE * len(starts))
    driver.leave()
    driver.join(10)
    return [_view(number, fit, [chosen.baselines[0], *starts]) for number, fit in sorted(book.fits.items())]


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
        configuration=dict(configurations[number]), state="timeout" if unfinished else fit.state.value,
        score=fit.score, seconds=outcome.seconds if outcome else PATIENCE, message=outcome.message if outcome else "",
    )  # fmt: skip
