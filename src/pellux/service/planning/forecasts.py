"""What a search will take: fits, minutes with a range, how many proposals will be short-sighted; and what is left of it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pellux.core.forecasting.cost_model import CostModel
from pellux.core.objective import Objective
from pellux.core.space import Configuration, Counting, Space, draw
from pellux.core.stopping import ITERATIONS, ROWS, Ladder, rule, settings_of
from pellux.core.strategies import CONTINUING, strategy
from pellux.engine.model import Limits
from pellux.engine.pruning import Stopping
from pellux.engine.runners.simulated import SimulatedWorld
from pellux.engine.simulation import simulate
from pellux.service.machines.demands import demand_of
from pellux.service.planning.catalogue import shown_settings
from pellux.service.planning.launching import check_search
from pellux.service.planning.prior_knowledge import observations
from pellux.service.planning.remembering import Beginning, lessons, remembered
from pellux.service.planning.requests import SearchRequest, SettingsRequest
from pellux.service.planning.schemas import ForecastRung, ForecastView
from pellux.service.workspace import Workspace
from pellux.store.database import Session
from pellux.store.past_results import count_past_results, rehearsed_costs
from pellux.store.problems import get_problem
from pellux.store.records import Search
from pellux.store.trials import costs_known, costs_of_search, count_scored

SAMPLE = 64  # configurations that stand for those a search will try
DRAWS = 200
SIMULATED = 80  # trials of the schedule that is played through
RECENT = 10  # trials whose cost speaks for those to come
GROWING = (ROWS, ITERATIONS)
NOISE = 0.3  # of a fold's score, relative to how configurations differ, in a simulated schedule
UNEVEN = 0.15  # sd of log seconds between equal fits, in a simulated schedule
MOST_KNOWN = 400
STARTING = 3.0  # seconds until workers fit
ENOUGH_FITS = 8  # from which on the time between fits is known


def forecast(workspace: Workspace, problem_id: int, request: SearchRequest) -> ForecastView:
    """Validate a search and say what it would do, from all that is known of its problem."""
    with workspace.database.read() as session:
        objective = workspace.objective(get_problem(session, problem_id))
        request = _with_room(workspace, objective, request)
        checked = check_search(objective, request)
        space = checked.space
        known = observations(session, objective, problem_id, request.learner, space, request.plan)
        configurations, seconds = known_costs(session, problem_id, objective, request.learner, space)
        every = count_scored(session, problem_id, request.learner, but_strategies=CONTINUING)
        on = request.model_copy(update={"plan": request.plan.model_copy(update={"memory": True})})
        begins = Beginning(problem_id, objective, on, space, checked.strategy.key, checked.against, len(known))
        there = lessons(workspace, session, begins)
        past = count_past_results(session, problem_id, request.learner)
    found = forecast_for(objective, request, configurations, seconds, objective.telling_share)
    return found.model_copy(update={
        "known": len(known), "knowable": every + past, "memory": bool(there),
        "remembered": remembered(there) if request.plan.memory else [],
    })  # fmt: skip


def _with_room(workspace: Workspace, objective: Objective, request: SearchRequest) -> SearchRequest:
    """With as many workers as its cluster has room for now, where the plan follows that."""
    plan = request.plan
    cluster = workspace.clusters.opened(plan.runner.cluster) if plan.runner.cluster else None
    room = cluster.capacity(demand_of(objective, plan.memory_mb)) if cluster is not None and plan.workers in ("all", None) else 0
    return request.model_copy(update={"plan": plan.model_copy(update={"workers": room})}) if room else request


def forecast_for(
    objective: Objective,
    request: SearchRequest,
    configurations: Sequence[Configuration],
    seconds: Sequence[float],
    telling: Callable[[], float | None] = lambda: None,
) -> ForecastView:
    """The forecast from the costs of some fits; without minutes when there are none."""
    checked, folds = check_search(objective, request, telling), objective.judging.fits
    fits = (checked.trials + 1) * folds
    stopping = checked.stopping
    plays = min(checked.trials, SIMULATED)
    schedule = _schedule(
        plays, folds, checked.workers, stopping.key, stopping.ladder, tuple(stopping.settings.items()),
        strategy(checked.strategy.key).continues,
    )  # fmt: skip
    found = ForecastView(
        configurations=Counting.of(checked.space).total, trials=checked.trials, folds=folds, fits=fits,
        workers=checked.workers, strategy=checked.strategy.key, reason=checked.strategy.reason,
        strategy_settings=shown_settings(checked.strategy.key, checked.strategy_settings),
        starts=len(checked.starts), short_sighted=schedule.short_sighted, stopping=stopping.view(), work=schedule.work,
        rungs=[r.model_copy(update={"trials": max(round(r.trials * checked.trials / plays), 1)}) for r in schedule.rungs],
        fit_seconds=None, seconds=None, seconds_low=None, seconds_high=None, costs_known=len(seconds), known=0, knowable=0, remembered=[], memory=False,
    )  # fmt: skip
    model = CostModel.of(checked.space, configurations, seconds)
    if model is None:
        return found
    typical = model.typical(sample(checked.space), DRAWS, np.random.default_rng(0))
    # The proposals of a search are not the draws of its space: a strategy may like costly or cheap corners.
    wandering = np.exp(0.2 * np.random.default_rng(1).standard_normal(DRAWS))
    wall = typical * wandering * fits * schedule.work / (checked.workers * schedule.used)
    if request.plan.minutes is not None:
        wall = np.minimum(wall, 60 * request.plan.minutes + typical * folds)
    low, middle, high = (float(q) for q in np.quantile(wall, (0.1, 0.5, 0.9)))
    changes = {"fit_seconds": float(np.median(typical)), "seconds": middle, "seconds_low": low, "seconds_high": high}
    return found.model_copy(update=changes)


@dataclass(frozen=True)
class _Schedule:
    """What playing a schedule tells: share of the workers' time used, of proposals made short-sightedly, of the work needed."""

    used: float
    short_sighted: float
    work: float
    rungs: tuple[ForecastRung, ...]


@lru_cache(maxsize=128)
def _schedule(
    trials: int, folds: int, workers: int, key: str, ladder: Ladder, settings: tuple[tuple[str, Any], ...], continues: bool
) -> _Schedule:
    """Play the schedule on a virtual clock, with made-up configurations that differ more than their folds do."""
    rng = np.random.default_rng(0)
    limits = Limits(trials=trials, workers=workers, folds=folds)
    chosen = rule("none" if continues else key)  # every interval of a population is trained
    whole = Ladder() if continues else ladder
    stopping = Stopping(chosen, settings_of(chosen.settings, {} if continues else dict(settings)), whole)

    def duration(configuration: Configuration, fold: int, before: int, level: int) -> float:
        part = (level if whole.resource == ROWS else level - before) / whole.most if whole.resource in GROWING else 1.0
        return float(part * np.exp(UNEVEN * rng.standard_normal()))

    def score(configuration: Configuration, fold: int, level: int) -> float:
        of_trial = np.random.default_rng([1, int(configuration["n"])]).standard_normal()
        return float(of_trial + NOISE * rng.standard_normal())

    course = simulate(
        limits, lambda number, _: {"n": number}, SimulatedWorld(duration, score), baseline={"n": 0}, stopping=stopping
    )
    counted = Counter((t.bracket, rung) for t in course.coordinator.trials.values() if t.origin != "baseline" for rung in t.results)
    rungs = [ForecastRung(bracket=b, level=whole.levels[r], trials=n) for (b, r), n in sorted(counted.items())]
    work = course.busy / ((trials + 1) * folds)
    if continues:
        work /= len(ladder.levels)  # a trial is one interval
    return _Schedule(
        course.busy / (course.seconds * workers), course.short_sighted, work, tuple(rungs) if len(whole.levels) > 1 else ()
    )


@lru_cache(maxsize=64)
def sample(space: Space) -> tuple[Configuration, ...]:
    """Configurations that stand for those of a space."""
    rng = np.random.default_rng(0)
    return tuple(draw(space, rng) for _ in range(SAMPLE))


def known_costs(
    session: Session, problem_id: int, objective: Objective, key: str, space: Space
) -> tuple[list[Configuration], list[float]]:
    """Seconds of a fit of configurations in the space: from a problem's trials and its rehearsals, newest first."""
    rows = costs_known(session, problem_id, key, MOST_KNOWN, but_strategies=CONTINUING)
    found = [(configuration, seconds / objective.judging.fits) for configuration, seconds in rows]
    found += rehearsed_costs(session, problem_id, key)
    defaults = objective.configurable(key).defaults
    inside = [(here, s) for c, s in found if s > 0 and (here := space.placed(c, defaults)) is not None]
    return [c for c, _ in inside], [s for _, s in inside]


@dataclass(frozen=True)
class Pace:
    """How a search got on: fits of a whole trial, fits done and the seconds that they took."""

    folds: int
    run: int
    busy: float

    def between(self, active: float, workers: int) -> float:
        """Seconds of a worker that lie between two fits: for proposals, messages and writing down. Starting up is left out."""
        return max((active - STARTING) * workers - self.busy, 0.0) / self.run if self.run >= ENOUGH_FITS else 0.0


def seconds_left(session: Session, search: Search, settings: SettingsRequest, space: Space, pace: Pace, done: int) -> float | None:
    """Remaining work on the workers there are: half by what the cost model says of the space, half by the last trials, and what
    lies between fits."""
    folds = pace.folds
    if search.state not in ("running", "paused"):
        return None
    ended = costs_of_search(session, search.id, MOST_KNOWN)
    if not ended:
        return None
    inside = [(c, s / folds) for c, s in ended if space.contains(c)]
    model = CostModel.of(space, [c for c, _ in inside], [s for _, s in inside])
    recent = float(np.mean([s for _, s in ended[-RECENT:]])) / folds
    expected: NDArray[np.float64] | None = None if model is None else model.seconds(sample(space))
    per_fit = recent if expected is None else (recent + float(expected.mean())) / 2
    workers = max(search.workers, 1)
    left = max(settings.trials - done, 0) * folds * (per_fit + pace.between(search.active_seconds, workers)) / workers
    if settings.minutes is not None:
        left = min(left, max(60 * settings.minutes - search.active_seconds, 0.0))
    return left
