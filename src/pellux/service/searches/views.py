"""Searches as they are shown: of a whole list with a handful of questions to the store, however many there are."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from pellux.core.objective import Judging, Objective
from pellux.core.space import Counting, parse, to_json
from pellux.core.strategies import labelled
from pellux.engine.model import PROPOSED
from pellux.engine.states import SearchState, TrialState
from pellux.service.engine.engine import Engine
from pellux.service.planning.forecasts import Pace, seconds_left
from pellux.service.planning.remembering import remembered_by
from pellux.service.planning.requests import SettingsRequest, kept_settings
from pellux.service.planning.resolving import Resolved
from pellux.service.planning.schemas import RememberedView
from pellux.service.problems.problems import best_shown
from pellux.service.problems.schemas import BestView
from pellux.service.searches.schemas import AimView, AskedView, Counts, FitCounts, LimitView, SearchView
from pellux.service.wording import sentence
from pellux.store import ledger, runs, tallies, trials
from pellux.store.database import Session
from pellux.store.records import Problem, Search, Trial


@dataclass(frozen=True)
class _Known:
    """What was asked for all searches of a list at once."""

    states: Mapping[int, Mapping[tuple[str, str], int]]
    fits: Mapping[int, tuple[int, float]]
    saved: Mapping[int, tuple[float, float | None, int]]
    best: Mapping[int, Trial]
    baselines: Sequence[tuple[Trial, int, str]]
    newest: int
    keeping: Mapping[int, int]
    remembered: Mapping[int, list[RememberedView]]


def views(engine: Engine, session: Session, problem: Problem, searches: Sequence[Search]) -> list[SearchView]:
    ids = [search.id for search in searches]
    known = _Known(
        tallies.states(session, ids), tallies.fits_done(session, ids), tallies.work_saved(session, ids), tallies.best(session, ids),
        trials.baselines(session, problem.id), ledger.newest(session),
        tallies.keeping(session, [search.id for search in searches if search.plan.get("limits")]), remembered_by(session, ids),
    )  # fmt: skip
    objective = engine.workspace.objective(problem)
    return [_view(engine, session, objective, search, known) for search in searches]


def _view(engine: Engine, session: Session, objective: Objective, search: Search, known: _Known) -> SearchView:
    settings = kept_settings(search.plan)
    space = parse(search.space) if search.kind == runs.SEARCH else None  # finalists come from many spaces
    folds = _folds_of(engine, search, objective.judging)
    counts, (run, busy) = known.states.get(search.id, {}), known.fits.get(search.id, (0, 0.0))
    if space is None:
        left = _given_left(search, settings.trials * folds, run, busy)
    else:
        left = seconds_left(session, search, settings, space, Pace(objective.judging.fits, run, busy), _ended(counts, PROPOSED))
    limits = objective.judging.limited(settings.limits)
    best, baseline = known.best.get(search.id), next(iter(known.baselines), None)
    return SearchView(
        id=search.id, problem_id=search.problem_id, number=search.number, kind=search.kind, folds=folds, learner=search.learner,
        space=search.space, parameters=to_json(space) if space else [], configurations=Counting.of(space).total if space else None,
        strategy=labelled(search.strategy) if space else "", chosen_by=labelled(settings.strategy),
        strategy_reason=search.strategy_reason,
        strategy_settings={k: v for k, v in search.strategy_settings.items() if not isinstance(v, list)}, overrides=search.overrides,
        warm_start=settings.warm_start, remembered=known.remembered.get(search.id, []), target_score=settings.target_score, no_gain_in=settings.no_gain_in,
        limits=[LimitView(text=one.text, measure=one.measure, at_least=one.at_least, bound=one.bound) for one in limits],
        keeping=known.keeping.get(search.id, 0) if limits else None,
        against=[AimView(measure=one.measure, larger_is_better=one.larger) for one in objective.judging.weighed(settings.against)],
        early_stopping=settings.early_stopping, stopping=Resolved.from_json(search.stopping).view(), budget_trials=settings.trials,
        budget_minutes=settings.minutes, asked=_asked(settings),
        seed=settings.seed, workers=search.workers, state=search.state,
        reason=sentence(search.reason), halted=engine.halted(search.id), waits_for=engine.waits_for(search.id),
        created_at=search.created_at, ended_at=search.ended_at, active_seconds=search.active_seconds, busy_seconds=busy, seconds_left=left,
        trials=_counts(counts), budgeted=_ended(counts, PROPOSED), by_hand=_ended(counts, ("by hand",)),
        fits=_fit_counts(known.saved.get(search.id, (0.0, None, 0)), folds, run), best=_shown(best, search.number),
        baseline=None if baseline is None else _shown(*baseline[:2]), newest_entry=known.newest,
    )  # fmt: skip


def _asked(settings: SettingsRequest) -> AskedView:
    return AskedView(**settings.model_dump(include=set(AskedView.model_fields)), cluster=settings.runner.cluster)


def _counts(known: Mapping[tuple[str, str], int]) -> Counts:
    found = dict.fromkeys(TrialState, 0)
    for (state, _), count in known.items():
        found[TrialState(state)] += count
    return Counts(**{state.value.replace(" ", "_"): count for state, count in found.items()})


def _ended(known: Mapping[tuple[str, str], int], origins: Collection[str]) -> int:
    return sum(count for (state, origin), count in known.items() if TrialState(state).ended and origin in origins)


def _shown(trial: Trial | None, number: int) -> BestView | None:
    return None if trial is None or trial.mean is None else best_shown(trial, number)


def _fit_counts(saved: tuple[float, float | None, int], folds: int, run: int) -> FitCounts:
    """What pruning saved: the work that pruned trials had still before them, at the pace of trials in full."""
    shares, whole, count = saved
    return FitCounts(
        run=run, spared=round(shares * folds), seconds_spared=shares * (whole or 0.0), work_spared=shares / max(count, 1)
    )


def _folds_of(engine: Engine, search: Search, judging: Judging) -> int:
    """How many fits a trial has: folds, times the repeats of a re-judging."""
    if search.kind == runs.REJUDGE:
        return engine.workspace.fresh_repeats(search.id) * judging.folds
    return judging.fits


def _given_left(search: Search, planned: int, run: int, busy: float) -> float | None:
    """Remaining fits of a run whose trials are known, at the pace of those done; None before the first."""
    if run == 0 or SearchState(search.state).ended:
        return None
    return max(planned - run, 0) * busy / run / max(search.workers, 1)
