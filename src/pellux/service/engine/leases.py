"""Fits that an outside loop takes, keeps alive and answers for."""

from __future__ import annotations

import math
from typing import Literal

from pydantic import Field

from pellux.core.errors import Conflict, InvalidPlan, NotFound
from pellux.core.reasons import because
from pellux.engine.model import Outcome
from pellux.engine.runners.outside import Lease, OutsideRunner
from pellux.engine.states import FitState
from pellux.objectives.code.brief import OUTSIDE, CodeBrief
from pellux.objectives.code.objective import CodeObjective
from pellux.service.engine.engine import Engine
from pellux.service.planning.request import Request
from pellux.service.schemas import ScalarValue, View
from pellux.store import problems, runs


class TakeRequest(Request):
    """How many fits, for how long each without a sign of life, and who takes them."""

    count: int = Field(1, ge=1, le=1000)
    seconds: float = Field(
        60, ge=1, le=86_400, description="A lease that is not kept alive for so long is lost, and its fit handed out again."
    )
    holder: str = Field("", max_length=200)
    wait: float = Field(1, ge=0, le=30, description="How long to wait for fits when none is ready.")


class PointsRequest(Request):
    """Further points of a fit's curve: level and score."""

    points: list[tuple[int, float]] = Field(min_length=1, max_length=10_000)


class OutcomeRequest(Request):
    """What a fit came to: a score, or an error in words."""

    score: float | None = None
    error: str | None = Field(None, min_length=1, max_length=4000)
    recorded: dict[str, float] = Field({}, max_length=30)
    seconds: float | None = Field(None, ge=0, description="What it took; from lease to outcome when left out.")
    log: str = Field("", max_length=100_000)


class LeaseView(View):
    """A fit to do: these settings, on this fold, up to this level from `start`."""

    id: str
    search: int
    trial: int
    fold: int
    folds: int
    level: int
    start: int
    seed: int
    settings: dict[str, ScalarValue]
    parent: int | None = Field(description="The trial from which this one goes on.")
    last: bool
    seconds: float


class LeasesView(View):
    state: Literal["draft", "running", "paused", "finished", "stopped", "failed"]
    fits: list[LeaseView]


class GoOnView(View):
    """Whether anybody still waits for the fit."""

    go_on: bool


def take(engine: Engine, search_id: int, request: TakeRequest) -> LeasesView:
    """Lease fits of a running search; an empty list with its state when there are none now."""
    runner = engine.outside(search_id)
    if runner is None or not engine.hands_out(search_id):
        return LeasesView(state=_state(engine, search_id), fits=[])
    assert isinstance(runner.about, CodeObjective)
    leases = runner.take(request.count, request.seconds, request.holder, request.wait)
    fits = [_view(lease, search_id, runner.about.brief, grows=runner.grows) for lease in leases]
    return LeasesView(state="running" if fits else _state(engine, search_id), fits=fits)


def _state(engine: Engine, search_id: int) -> str:
    """The search's state; Conflict when its fits are not for outside loops."""
    with engine.workspace.database.read() as session:
        search = runs.get_search(session, search_id)
        problem = problems.get_problem(session, search.problem_id)
    if problem.objective != OUTSIDE:
        raise Conflict(f"The fits of {problem.name} are done here, not by an outside loop.")
    return search.state


def _view(lease: Lease, search_id: int, brief: CodeBrief, *, grows: bool) -> LeaseView:
    fit = lease.fit
    goes_on = grows and brief.grows is not None and brief.grows.goes_on
    start = max(fit.begun, fit.ancestors[-1].level if fit.ancestors else 0) if goes_on else 0
    return LeaseView(
        id=f"{search_id}-{lease.id}", search=search_id, trial=fit.trial, fold=fit.fold, folds=brief.folds,
        level=fit.level if grows else brief.most, start=start, seed=brief.seed, settings=dict(fit.configuration),
        parent=fit.ancestors[-1].trial if fit.ancestors else None, last=fit.last, seconds=lease.seconds,
    )  # fmt: skip


def beat(engine: Engine, lease_id: str) -> GoOnView:
    runner, own = _runner(engine, lease_id)
    return GoOnView(go_on=not runner.beat(own).cut)


def tell(engine: Engine, lease_id: str, request: PointsRequest) -> GoOnView:
    runner, own = _runner(engine, lease_id)
    return GoOnView(go_on=not runner.tell(own, tuple(request.points)).cut)


def done(engine: Engine, lease_id: str, request: OutcomeRequest) -> None:
    """The one answer for a lease; Conflict when it is over."""
    if (request.score is None) == (request.error is None):
        raise InvalidPlan("An outcome is either a score or an error.", at="score")
    runner, own = _runner(engine, lease_id)
    lease = runner.beat(own)
    seconds = request.seconds if request.seconds is not None else runner.age(own)
    if request.score is None:
        reason = because("told by its holder", text=request.error)
        runner.done(own, Outcome(FitState.ERROR, seconds=seconds, reason=reason, log=request.log))
        return
    assert math.isfinite(request.score)  # requests hold no other numbers
    curve = ((lease.fit.level, request.score),) if runner.grows else ()
    runner.done(
        own, Outcome(FitState.DONE, request.score, seconds, log=request.log, recorded=request.recorded, curve=curve)
    )  # fmt: skip


def _runner(engine: Engine, lease_id: str) -> tuple[OutsideRunner, str]:
    number, _, own = lease_id.partition("-")
    runner = engine.outside(int(number)) if number.isdigit() and len(number) < 10 else None
    if runner is None:
        raise NotFound("There is no such lease. If its search was paused or the server started anew, its fit is handed out again.")
    return runner, own
