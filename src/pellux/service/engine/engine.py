"""The running searches of a workspace: starts their drivers, passes on what people want, takes up what was running."""

from __future__ import annotations

import contextlib
import threading
from dataclasses import replace
from typing import Any

from pellux.core.errors import Conflict, FileGone
from pellux.core.objective import Objective
from pellux.core.reasons import because
from pellux.core.space import parse
from pellux.core.strategies import strategy
from pellux.engine.artifacts import CHECKPOINT
from pellux.engine.cluster.connection import Unreachable
from pellux.engine.coordinator import Coordinator
from pellux.engine.driver import Driver
from pellux.engine.messages import Event, Resume
from pellux.engine.model import Limits, Trial
from pellux.engine.processes import prepare
from pellux.engine.proposer import NoProposals, Strategist, StrategyProposer
from pellux.engine.runners.outside import OutsideRunner
from pellux.engine.states import SearchState
from pellux.service.decisions.analysis_kinds import KINDS, MODEL
from pellux.service.engine.analyses import Analyst, newest_analysis
from pellux.service.engine.mending import Mender, pause
from pellux.service.engine.recorder import SearchRecorder, Whose, Work
from pellux.service.engine.restoring import restored
from pellux.service.engine.runners import RunnerFactory, Runners
from pellux.service.planning.prior_knowledge import observations, starts
from pellux.service.planning.remembering import taught
from pellux.service.planning.requests import SettingsRequest, kept_settings
from pellux.service.planning.resolving import Resolved
from pellux.service.problems.framing import bring_back_folds
from pellux.service.searches.lookups import learner_of
from pellux.service.trust import require_trust
from pellux.service.trusting import NotTrusted
from pellux.service.workspace import Workspace
from pellux.store import fits, problems, runs, trials
from pellux.store.decisions import decisions_of
from pellux.store.lessons import lessons_of
from pellux.store.records import Problem, Search


class Engine:
    """Owns the drivers. One lives as long as the process that serves or runs."""

    def __init__(self, workspace: Workspace, make_runner: RunnerFactory | None = None) -> None:
        self.workspace = workspace
        self._drivers: dict[int, Driver] = {}
        self.runners = Runners(workspace, self.post, make_runner)
        self._lock = threading.Lock()
        self.analyst = Analyst(workspace, KINDS)
        self._mender = Mender(workspace, self._go_on)
        self.closing = threading.Event()

    def take_up(self) -> list[int]:
        """Go on with every search and analysis that was running when the last engine ended, however it ended."""
        self._mender.begin()  # also when nothing runs: what is paused may wait for something
        self.analyst.take_up()
        self._fit_missing_models()
        with self.workspace.database.read() as session:
            running = runs.running(session)
        for search in running:
            self.begin(search.id)
        return [search.id for search in running]

    def _forget_ended(self) -> None:
        """What has ended is in the store; only errors are asked for later."""
        for number, driver in list(self._drivers.items()):
            if not driver.is_alive() and driver.error is None:
                del self._drivers[number]
                self.runners.forget(number)

    def _go_on(self, search_id: int) -> None:
        """What a search waited for is there again."""
        with contextlib.suppress(Conflict):  # it is not, after all
            self.start(search_id)
            self.post(search_id, Resume(self.workspace.steady()))

    def _fit_missing_models(self) -> None:
        """A decision that was signed just before the engine died still gets its model."""
        with self.workspace.database.read() as session:
            signed = decisions_of(session)
        for decision in reversed(signed):
            asked = {"trial": decision.trial_id, "decision": decision.id}
            if newest_analysis(self.workspace, decision.problem_id, MODEL, asked) is None:
                self.analyst.ask(decision.problem_id, MODEL, asked)

    def begin(self, search_id: int) -> None:
        """Start a search; one that cannot begin now is paused, and says why."""
        with contextlib.suppress(FileGone, NotTrusted, Unreachable):
            self.start(search_id)

    def start(self, search_id: int) -> None:
        """FileGone, NotTrusted or Unreachable where it cannot begin; it is paused then, and says why."""
        with self._lock:
            self._mender.begin()
            driver = self._drivers.get(search_id)
            if driver is None or not driver.is_alive():
                self._forget_ended()
                driver = self._driver_or_pause(search_id)
                driver.start()
                self._drivers[search_id] = driver  # only now: whoever finds it may join it
                self.runners.started(search_id)

    def let_go(self, address: str) -> None:
        """A cluster is not to be used any more: searches on it pause, and so say. First of all it is forbidden, so that none goes on
        by itself meanwhile."""
        self.workspace.clusters.forbid(address)
        for search_id in self.runners.on_cluster(address):
            with self._lock:
                driver = self._drivers.get(search_id)
                if driver is None or not driver.is_alive():
                    continue
                driver.leave()
                driver.join(10)
                with self.workspace.database.read() as session:
                    search = runs.get_search(session, search_id)
                if search.state == SearchState.RUNNING.value:
                    pause(self.workspace, search, because("cluster gone", cluster=address))
        self.workspace.clusters.disconnect(address)

    def post(self, search_id: int, event: Event) -> bool:
        """Pass an event to a running search; False when no driver runs it."""
        driver = self._drivers.get(search_id)
        if driver is None or not driver.is_alive():
            return False
        driver.post(event)
        return True

    def outside(self, search_id: int) -> OutsideRunner | None:
        """Where the fits of a running search of an outside loop are taken; None when it does not run."""
        driver = self._drivers.get(search_id)
        return self.runners.outside(search_id) if driver is not None and driver.is_alive() else None

    def hands_out(self, search_id: int) -> bool:
        """Whether further fits of a search may begin: it runs, and is not paused."""
        driver = self._drivers.get(search_id)
        return driver is not None and driver.is_alive() and driver.state is SearchState.RUNNING

    def waits_for(self, search_id: int) -> str:
        """What keeps a running search from writing down its results; empty when nothing does."""
        driver = self._drivers.get(search_id)
        return driver.waits_for if driver is not None and driver.is_alive() else ""

    def idle(self, search_id: int) -> str:
        """Why workers of a running search have nothing to do, if they have not: a code of the coordinator's."""
        driver = self._drivers.get(search_id)
        return driver.idle if driver is not None and driver.is_alive() else ""

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
        self.closing.set()
        self.analyst.close()
        self._mender.close()
        drivers = [driver for driver in self._drivers.values() if driver.is_alive()]
        for driver in drivers:
            driver.leave()
        for driver in drivers:
            driver.join(10)
        self.workspace.clusters.close()

    def _driver_or_pause(self, search_id: int) -> Driver:
        """Its driver; where it cannot begin now, the search is paused, says why, and so does the error."""
        try:
            return self._driver(search_id)
        except FileGone as gone:
            reason, error = because("file gone", file=gone.path, why=gone.message), gone
        except NotTrusted as refusal:
            reason, error = because("not trusted", why=refusal.message), refusal  # type: ignore[assignment]
        except Unreachable as nobody:
            reason, error = because("cluster gone", cluster=nobody.address), nobody  # type: ignore[assignment]
        with self.workspace.database.read() as session:
            search = runs.get_search(session, search_id)
        if not SearchState(search.state).ended:
            pause(self.workspace, search, reason)
        raise error

    def _driver(self, search_id: int) -> Driver:
        with self.workspace.database.read() as session:
            search = runs.get_search(session, search_id)
            problem = problems.get_problem(session, search.problem_id)
            known, curves = restored(session, search_id), fits.curves_of(session, search_id)
        require_trust(self.workspace, problem, search.learner)
        bring_back_folds(self.workspace, problem)
        return self._proposing(search, problem, known, curves) if search.kind in (runs.SEARCH, runs.FACE_OFF) else self._given(
            search, problem, known, curves
        )  # fmt: skip

    def _proposing(self, search: Search, problem: Problem, known: list[Trial], curves: Any) -> Driver:
        """A search: its strategy is asked for trials."""
        objective, resolved = self.workspace.objective(problem), Resolved.from_json(search.stopping)
        plan = SettingsRequest.model_validate(search.plan)
        space, chosen = parse(search.space), objective.configurable(search.learner)
        artifacts = self.workspace.artifacts(search.id)
        if not strategy(search.strategy).continues:  # else trials that have ended are still gone on from
            artifacts.keep_only([t.number for t in known if not t.state.ended], len(known))
        limits = _limits(plan, search.workers, objective)
        with self.workspace.database.read() as session:
            earlier = observations(session, objective, problem.id, search.learner, space, plan, before=search.id)
            lessons = taught(lessons_of(session, search.id))
        baselines = self._baselines(search, objective)
        coordinator = Coordinator(
            limits, baselines, known, search.active_seconds, SearchState(search.state), resolved.stopping(),
            curves, artifacts.sizes(CHECKPOINT), len(earlier),
        )  # fmt: skip
        who = Strategist(
            space,
            search.strategy,
            plan.seed,
            limits.sign,
            chosen.defaults,
            _strategy_settings(search, objective),
            [start for start in starts(space, plan.starts) if start not in baselines],
            lessons,
        )
        recorder = SearchRecorder(
            self.workspace, Whose(search_id=search.id, problem_id=problem.id, run=search.kind, frozen=problem.frozen, keep_predictions=search.kind == runs.SEARCH, limits=limits.keep, measures=limits.measures), objective,  # type: ignore[arg-type]
            Work(resolved.ladder, limits.folds, curves, objective.judging.folds),
        )  # fmt: skip
        runner = self.runners.of(search, objective, plan, limits.measures)
        return Driver(coordinator, runner, recorder, StrategyProposer(who, earlier), self.workspace.steady)

    def _given(self, search: Search, problem: Problem, known: list[Trial], curves: Any) -> Driver:
        """Finalists on fresh folds, pruned trials in full, or baselines: they are there from the start, and nothing is proposed."""
        fresh = search.kind == runs.REJUDGE
        objective = self.workspace.objective(problem, self.workspace.fresh_folds_file(search.id) if fresh else None)
        resolved, plan = Resolved.from_json(search.stopping), SettingsRequest.model_validate(search.plan)
        limits = _limits(plan, search.workers, objective)
        if fresh:
            limits = replace(limits, folds=self.workspace.fresh_repeats(search.id) * objective.judging.folds)
        coordinator = Coordinator(
            limits, (), known, search.active_seconds, SearchState(search.state), resolved.stopping(), curves
        )  # fmt: skip
        # Nothing is computed from what finalists predict on fresh folds; it is not kept. Baselines freeze no brief.
        first = search.kind == runs.BASELINES
        whose = Whose(
            search_id=search.id, problem_id=problem.id, run=search.kind, frozen=problem.frozen or first, keep_predictions=first, limits=limits.keep, measures=limits.measures,  # type: ignore[arg-type]
        )  # fmt: skip
        recorder = SearchRecorder(
            self.workspace, whose, objective, Work(resolved.ladder, limits.folds, curves, objective.judging.folds)
        )
        return Driver(
            coordinator, self.runners.of(search, objective, plan, limits.measures), recorder, NoProposals(), self.workspace.steady
        )

    def _baselines(self, search: Search, objective: Objective) -> list[dict[str, Any]]:
        """The defaults of what the search configures, but for those that were scored before and tell all that it needs."""
        if search.kind == runs.FACE_OFF:
            return []  # nothing but what its strategy proposes counts there
        chosen = objective.configurable(search.learner)
        aims = objective.judging.weighed(kept_settings(search.plan).against)
        with self.workspace.database.read() as session:
            scored = trials.baselines(session, search.problem_id)
            known = {
                learner_of(objective, runs.get_search(session, trial.search_id), trial)
                for trial, _, _ in scored
                # Who was not measured for what the score is weighed against is fitted once more, to stand beside the front.
                if trial.search_id != search.id and all(aim.measure in (trial.measured or {}) for aim in aims)
            }
        return [dict(config) for config in chosen.baselines(parse(search.space)) if chosen.settle(config)[0].key not in known]


def _strategy_settings(search: Search, objective: Objective) -> Any:
    """The strategy's settings as they were resolved; what follows from the learner is looked up again."""
    kept = dict(search.strategy_settings)
    growth = objective.configurable(search.learner).growth
    if "steerable" in kept:
        kept["steerable"] = growth.steerable if growth else ()
    return strategy(search.strategy).settings(**kept)


def _limits(plan: SettingsRequest, workers: int, objective: Objective) -> Limits:
    return Limits(
        trials=plan.trials,
        workers=workers,
        folds=objective.judging.fits,
        minutes=plan.minutes,
        fit_seconds=plan.fit_seconds,
        trial_seconds=plan.trial_seconds,
        checkpoint_bytes=plan.checkpoint_mb * 2**20,
        target_score=plan.target_score,
        no_gain_in=plan.no_gain_in,
        sign=objective.judging.sign,
        keep=objective.judging.limited(plan.limits),
        against=objective.judging.weighed(plan.against),
    )


__all__ = ["Engine", "prepare"]
