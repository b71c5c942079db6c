"""The running searches of a workspace: starts their drivers, passes on what people want, takes up what was running."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import psutil
from sqlalchemy import select

from pellux.core.judging import Brief
from pellux.core.space import parse
from pellux.engine.coordinator import Coordinator
from pellux.engine.driver import Driver
from pellux.engine.messages import Event
from pellux.engine.model import Fit, FitState, Limits, Outcome, SearchState, Trial, TrialState
from pellux.engine.proposer import NoProposals, StrategyProposer
from pellux.engine.runners import Runner
from pellux.engine.runners.local import LocalRunner
from pellux.engine.worker import Assignment
from pellux.learners.catalogue import learner
from pellux.learners.checkpoints import Checkpoints
from pellux.service.analyses import Analyst, newest_analysis
from pellux.service.analysis_kinds import KINDS, MODEL
from pellux.service.lookups import learner_of
from pellux.service.populations import population_line, population_size
from pellux.service.prior_knowledge import observations, starts
from pellux.service.problems import in_searches_of
from pellux.service.recorder import SearchRecorder, Work
from pellux.service.requests import SettingsRequest
from pellux.service.resolving import Resolved
from pellux.service.workspace import Workspace
from pellux.store import models
from pellux.store.recording import curves_of

RunnerFactory = Callable[[Assignment], Runner]


class EngineRoom:
    """Owns the drivers. One lives as long as the process that serves or runs."""

    def __init__(self, workspace: Workspace, make_runner: RunnerFactory = LocalRunner) -> None:
        self.workspace = workspace
        self._make_runner = make_runner
        self._drivers: dict[int, Driver] = {}
        self._lock = threading.Lock()
        self.analyst = Analyst(workspace, KINDS)

    def take_up(self) -> list[int]:
        """Go on with every search and analysis that was running when the last engine ended, however it ended."""
        self.analyst.take_up()
        self._fit_missing_models()
        with self.workspace.database.read() as session:
            running = list(session.scalars(select(models.Search.id).where(models.Search.state == SearchState.RUNNING.value)))
        for search_id in running:
            self.start(search_id)
        return running

    def _fit_missing_models(self) -> None:
        """A decision that was signed just before the engine died still gets its model."""
        with self.workspace.database.read() as session:
            signed = session.execute(select(models.Decision.id, models.Decision.problem_id, models.Decision.trial_id)).all()
        for decision, problem, trial in signed:
            asked = {"trial": trial, "decision": decision}
            if newest_analysis(self.workspace, problem, MODEL, asked) is None:
                self.analyst.ask(problem, MODEL, asked)

    def start(self, search_id: int) -> None:
        with self._lock:
            driver = self._drivers.get(search_id)
            if driver is None or not driver.is_alive():
                self._drivers[search_id] = driver = self._driver(search_id)
                driver.start()

    def post(self, search_id: int, event: Event) -> bool:
        """Pass an event to a running search; False when no driver runs it."""
        driver = self._drivers.get(search_id)
        if driver is None or not driver.is_alive():
            return False
        driver.post(event)
        return True

    def halted(self, search_id: int) -> str | None:
        """Why a search that should run does not, if its driver ended by an error."""
        driver = self._drivers.get(search_id)
        return str(driver.error) if driver is not None and driver.error is not None else None

    def join(self, search_id: int, seconds: float | None = None) -> bool:
        """Wait for a search's driver; True when it has ended."""
        driver = self._drivers.get(search_id)
        if driver is not None:
            driver.join(seconds)
        return driver is None or not driver.is_alive()

    def close(self) -> None:
        """End all drivers, workers and analyses; what ran goes on when the workspace is next opened."""
        self.analyst.close()
        drivers = [driver for driver in self._drivers.values() if driver.is_alive()]
        for driver in drivers:
            driver.leave()
        for driver in drivers:
            driver.join(10)

    def _driver(self, search_id: int) -> Driver:
        with self.workspace.database.read() as session:
            search = session.get_one(models.Search, search_id)
            problem = session.get_one(models.Problem, search.problem_id)
            if search.kind != "search":
                return self._rejudging_driver(search, problem, _restore(session, search_id))
            trials = _restore(session, search_id)
            brief = Brief.from_json(problem.brief)
            settings = SettingsRequest.model_validate(search.plan)
            space = parse(search.space)
            sign = brief.judged_by.sign
            defaults = learner(search.learner, brief.task).defaults
            earlier = observations(session, search.problem_id, search.learner, space, settings, brief, before=search_id)
            curves = curves_of(session, search_id)
        resolved = Resolved.from_json(search.stopping)
        kept = Checkpoints(self.workspace.checkpoints_folder(search_id))
        if not resolved.segments:
            kept.keep_only([t.number for t in trials if not t.state.ended])
        limits = _limits(settings, search.workers, brief)
        if resolved.segments:
            limits = replace(limits, trials=population_size(settings, resolved))
        coordinator = Coordinator(
            limits=limits,
            baselines=self._baselines(search, brief),
            trials=trials,
            active_seconds=search.active_seconds,
            state=SearchState(search.state),
            starts=starts(space, settings.starts),
            stopping=resolved.stopping(),
            curves=curves,
            checkpoints=kept.sizes(),
        )
        assignment = self._assignment(search, brief, self.workspace.folds_file(problem.id))
        recorder = SearchRecorder(
            self.workspace, search_id, problem.id, brief.judged_by, problem.frozen,
            work=Work(resolved.ladder, limits.folds, curves, brief.split.folds),
        )  # fmt: skip
        line = population_line(settings, resolved, learner(search.learner, brief.task)) if resolved.segments else None
        proposer = StrategyProposer(space, search.strategy, settings.seed, sign, defaults, earlier, line)
        return Driver(coordinator, self._make_runner(assignment), recorder, proposer, self.workspace.clock)

    def _rejudging_driver(self, search: models.Search, problem: models.Problem, trials: list[Trial]) -> Driver:
        """Finalists on fresh folds, pruned trials in full, or baselines: they are there from the start, and nothing is
        proposed."""
        brief = Brief.from_json(problem.brief)
        settings = SettingsRequest.model_validate(search.plan)
        fresh = search.kind == "re-judge"
        folds = self.workspace.fresh_folds_file(search.id) if fresh else self.workspace.folds_file(problem.id)
        limits = _limits(settings, search.workers, brief)
        if fresh:
            limits = replace(limits, folds=len(np.load(folds, mmap_mode="r")) * brief.split.folds)
        resolved = Resolved.from_json(search.stopping)
        with self.workspace.database.read() as session:
            curves = curves_of(session, search.id)
        coordinator = Coordinator(
            limits=limits, baselines=(), trials=trials, active_seconds=search.active_seconds, state=SearchState(search.state),
            stopping=resolved.stopping(), curves=curves,
        )  # fmt: skip
        # Nothing is computed from what finalists predict on fresh folds; it is not kept. Baselines freeze no brief.
        first = search.kind == "baselines"
        recorder = SearchRecorder(
            self.workspace, search.id, problem.id, brief.judged_by, problem.frozen or first, keep_predictions=first,
            work=Work(resolved.ladder, limits.folds, curves, brief.split.folds),
        )  # fmt: skip
        runner = self._make_runner(self._assignment(search, brief, folds))
        return Driver(coordinator, runner, recorder, NoProposals(), self.workspace.clock)

    def _assignment(self, search: models.Search, brief: Brief, folds: Path) -> Assignment:
        resolved = Resolved.from_json(search.stopping)
        return Assignment(
            table=self.workspace.data_folder(brief.data),
            folds=folds,
            brief=brief,
            learner=search.learner,
            log=self.workspace.log_file(search.id),
            memory_bytes=_memory(SettingsRequest.model_validate(search.plan), search.workers),
            resource=resolved.resource,
            most=resolved.levels[-1],
            grid=resolved.grid,
            checkpoints=self.workspace.checkpoints_folder(search.id) if resolved.grid else None,
            prefixes=self.workspace.prefixes_folder(search.id),
            prefix_bytes=SettingsRequest.model_validate(search.plan).prefix_mb * 2**20,
            own=self.workspace.own_folder,
        )

    def _baselines(self, search: models.Search, brief: Brief) -> list[dict[str, Any]]:
        """The defaults of the search's learners, but for those that were scored before."""
        chosen = learner(search.learner, brief.task)
        with self.workspace.database.read() as session:
            scored = session.scalars(
                select(models.Trial)
                .join(models.Search)
                .where(
                    in_searches_of(search.problem_id),
                    models.Search.id != search.id,
                    models.Trial.origin == "baseline",
                    models.Trial.state == TrialState.SCORED.value,
                )
            )
            known = {learner_of(session, trial) for trial in scored}
        return [dict(config) for config in chosen.baselines if chosen.settle(config)[0].key not in known]


def _limits(settings: SettingsRequest, workers: int, brief: Brief) -> Limits:
    return Limits(
        trials=settings.trials,
        workers=workers,
        folds=brief.split.fits,
        minutes=settings.minutes,
        fit_seconds=settings.fit_seconds,
        trial_seconds=settings.trial_seconds,
        checkpoint_bytes=settings.checkpoint_mb * 2**20,
        target=settings.target_score,
        patience=settings.no_gain_in,
        sign=brief.judged_by.sign,
    )


def _memory(settings: SettingsRequest, workers: int) -> int:
    """What one worker may allocate: as asked, else an even share of four fifths of the machine's memory."""
    if settings.memory_mb is not None:
        return settings.memory_mb * 2**20
    return int(0.8 * psutil.virtual_memory().total / workers)


def _restore(session: Any, search_id: int) -> list[Trial]:
    """The trials of a search as the store has them; outcomes of scored fits are kept, the rest is done again."""
    trials = {
        row.number: Trial(
            row.number, row.configuration, row.origin, TrialState(row.state), row.reason, row.seen, row.pending,
            row.created_at, row.ended_at, learner=row.learner, source=row.source_id, bracket=row.bracket, cohort=row.cohort,
            rung=row.rung, results={int(rung): tuple(scores) for rung, scores in row.results.items()},
            best_iteration=row.best_iteration, parent=row.parent,
        )
        for row in session.scalars(select(models.Trial).where(models.Trial.search_id == search_id).order_by(models.Trial.number))
    }  # fmt: skip
    fits = session.scalars(
        select(models.Fit).where(models.Fit.search_id == search_id).order_by(models.Fit.trial, models.Fit.fold, models.Fit.rung)
    )
    for row in fits:
        state = FitState(row.state)
        ended = state not in (FitState.QUEUED, FitState.RUNNING)
        outcome = Outcome(state, row.score, row.seconds, row.predict_seconds, row.message) if ended else None
        # A fit that ran when the engine died did not lose a worker of its own making: the attempt does not count.
        attempt = row.attempt if ended else max(row.attempt - 1, 0)
        fit = Fit(row.trial, row.fold, state, attempt, row.lane, row.started_at, row.ended_at, outcome, row.rung)
        trial = trials[row.trial]
        if row.fold in trial.fits:  # of a lower rung
            trial.past.append(trial.fits[row.fold])
        trial.fits[row.fold] = fit
    for trial in trials.values():
        if trial.state is TrialState.RUNNING and not any(f.state is FitState.DONE for f in trial.fits.values()):
            trial.state = TrialState.WAITING
    return list(trials.values())
