"""Which runner a search gets, and what it is told of the search."""

from __future__ import annotations

import hashlib
import threading
from collections.abc import Callable
from functools import partial

from pellux.core.objective import Objective, Terms
from pellux.core.space import parse
from pellux.core.stopping import ITERATIONS
from pellux.engine.messages import Event, SetWorkers
from pellux.engine.runners import Runner
from pellux.engine.runners.cluster import ClusterRunner, LaneState
from pellux.engine.runners.local import LocalRunner
from pellux.engine.runners.outside import OutsideRunner
from pellux.engine.worker import Assignment
from pellux.objectives.code.brief import OUTSIDE
from pellux.objectives.sealed import key_for_machines
from pellux.service.machine import memory_for
from pellux.service.machines.demands import demand_of
from pellux.service.planning.requests import SettingsRequest
from pellux.service.planning.resolving import Resolved
from pellux.service.workspace import Workspace
from pellux.store.records import Search

RunnerFactory = Callable[[Assignment], Runner]
Post = Callable[[int, Event], bool]


class Runners:
    """Makes runners, and remembers those that more is asked of than the contract has."""

    def __init__(self, workspace: Workspace, post: Post, make: RunnerFactory | None) -> None:
        self._workspace, self._post = workspace, post
        self._make = make or partial(LocalRunner, clock=workspace.steady, devices=workspace.devices)
        self._outside: dict[int, OutsideRunner] = {}
        self._on_clusters: dict[int, ClusterRunner] = {}
        self._following: dict[int, Callable[[], None]] = {}

    def of(self, search: Search, objective: Objective, plan: SettingsRequest, measures: tuple[str, ...]) -> Runner:
        """Unreachable or NotTrusted where its cluster cannot be had."""
        self.forget(search.id)
        if objective.kind == OUTSIDE:
            grows = Resolved.from_json(search.stopping).resource == ITERATIONS
            found = self._outside[search.id] = OutsideRunner(steady=self._workspace.steady, grows=grows, about=objective)
            return found
        if plan.runner.cluster:
            return self._on_cluster(search, objective, plan, measures)
        holds = objective.holds
        memory = memory_for(search.workers, plan.memory_mb or holds.memory_mb)
        return self._make(self._assignment(search, objective, plan, measures, memory))

    def outside(self, search_id: int) -> OutsideRunner | None:
        return self._outside.get(search_id)

    def lanes(self, search_id: int) -> dict[int, LaneState]:
        """Where the lanes of a search on a cluster are; none of one that runs here."""
        runner = self._on_clusters.get(search_id)
        return {} if runner is None else runner.lanes()

    def free_places(self, search_id: int) -> int:
        """For how many more fits of a search its cluster has room."""
        runner = self._on_clusters.get(search_id)
        return 0 if runner is None else max(runner.cluster.capacity(runner.demand) - len(runner.lanes()), 0)

    def leave_alone(self, search_id: int) -> None:
        """A person has said how many workers it gets: it follows its cluster no longer."""
        changed, runner = self._following.pop(search_id, None), self._on_clusters.get(search_id)
        if changed is not None and runner is not None:
            runner.cluster.unlisten(changed)

    def started(self, search_id: int) -> None:
        """Its driver runs: one that follows its cluster gets what there is room for now."""
        if search_id in self._following:
            self._following[search_id]()

    def on_cluster(self, address: str) -> list[int]:
        """Searches whose runners are on a cluster."""
        return [search_id for search_id, runner in self._on_clusters.items() if runner.cluster.address == address]

    def forget(self, search_id: int) -> None:
        self.leave_alone(search_id)
        self._outside.pop(search_id, None)
        self._on_clusters.pop(search_id, None)

    def _on_cluster(self, search: Search, objective: Objective, plan: SettingsRequest, measures: tuple[str, ...]) -> ClusterRunner:
        cluster, holds = self._workspace.clusters.get(plan.runner.cluster), objective.holds
        asked = plan.memory_mb or holds.memory_mb
        assignment = self._assignment(search, objective, plan, measures, None)
        name = hashlib.sha256(f"{self._workspace.folder} {search.created_at}".encode()).hexdigest()[:16]
        runner = ClusterRunner(
            assignment, cluster, f"{name}-{search.id}", demand_of(objective, plan.memory_mb), None if asked is None else asked * 2**20,
            holds.elsewhere, self._workspace.steady,
        )  # fmt: skip
        self._on_clusters[search.id] = runner
        if plan.workers == "all":
            self._follow(search.id, runner)
        return runner

    def _follow(self, search_id: int, runner: ClusterRunner) -> None:
        """As many workers as its cluster has room for, from now on."""
        had, lock = [0], threading.Lock()

        def changed() -> None:
            with lock:
                room = runner.cluster.capacity(runner.demand)
                if room and room != had[0] and self._post(search_id, SetWorkers(room, self._workspace.steady())):
                    had[0] = room

        self._following[search_id] = changed
        runner.cluster.listen(changed)

    def _assignment(
        self, search: Search, objective: Objective, plan: SettingsRequest, measures: tuple[str, ...], memory: int | None
    ) -> Assignment:
        resolved, holds = Resolved.from_json(search.stopping), objective.holds
        terms = Terms(
            learner=search.learner, resource=resolved.resource, most=resolved.levels[-1], grid=resolved.grid,
            shared=str(self._workspace.prefixes_folder(search.id)), shared_bytes=plan.prefix_mb * 2**20,
            settings=tuple(parse(search.space).by_name) if search.space else (), memory_bytes=memory if holds.elsewhere else None,
            limited=measures,
        )  # fmt: skip
        return Assignment(
            evaluators=objective.evaluators(terms),
            artifacts=self._workspace.artifacts(search.id),
            log=self._workspace.log_file(search.id),
            memory_bytes=None if holds.elsewhere else memory,
            each=holds.devices,
            seal=key_for_machines() if plan.runner.cluster else "",
        )
