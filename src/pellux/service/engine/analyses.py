"""Longer computations on a problem's trials: each in a process of its own, kept with its result, taken up after a crash."""

from __future__ import annotations

import hashlib
import json
import logging
import threading
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from pellux.engine.background_process import BackgroundFailed, BackgroundProcess
from pellux.service.trust import require_trust
from pellux.service.workspace import Workspace
from pellux.store import decisions, problems
from pellux.store.decisions import DONE, FAILED, RUNNING
from pellux.store.records import Analysis

log = logging.getLogger("pellux.analyses")


@dataclass(frozen=True)
class Job:
    """What to compute: a function that stands in a module, and its arguments; both go to another process."""

    function: Callable[..., dict[str, Any]]
    arguments: tuple[Any, ...]


Prepare = Callable[[Workspace, int, Mapping[str, Any]], Job]


class Analyst:
    """Starts analyses and keeps their results. `kinds` says how each kind is prepared."""

    def __init__(self, workspace: Workspace, kinds: Mapping[str, Prepare]) -> None:
        self.workspace = workspace
        self._kinds = kinds
        self._lock = threading.Lock()
        self._threads: dict[int, threading.Thread] = {}
        self._processes: dict[int, BackgroundProcess] = {}
        self._closed = False

    def ask(self, problem_id: int, kind: str, request: Mapping[str, Any], *, anew: bool = False) -> int:
        """Start an analysis unless the same was asked before (and did not fail); returns its id."""
        key = _key(request)
        with self._lock, self.workspace.database.write() as session:
            known = None if anew else decisions.newest_analysis(session, problem_id, kind, key=key, but_state=FAILED)
            if known is not None:
                return known.id
            made = decisions.add_analysis(
                session, problem_id=problem_id, kind=kind, key=key, request=request, created_at=self.workspace.clock()
            )
        self._start(made)
        return made

    def take_up(self) -> None:
        """Do again what was under way when the last engine ended."""
        with self.workspace.database.read() as session:
            unfinished = decisions.running_analyses(session, list(self._kinds))
        for analysis_id in unfinished:
            self._start(analysis_id)

    def wait(self, analysis_id: int, seconds: float | None = None) -> Analysis:
        """The analysis once it has ended, or as it is when the time is over."""
        thread = self._threads.get(analysis_id)
        if thread is not None:
            thread.join(seconds)
        return get_analysis(self.workspace, analysis_id)

    def finish(self, seconds: float | None = None) -> None:
        """Wait for all that runs."""
        for thread in list(self._threads.values()):
            thread.join(seconds)

    def close(self) -> None:
        """End what runs; it is done again when the workspace is next opened."""
        self._closed = True
        for background in list(self._processes.values()):
            background.end()
        for thread in list(self._threads.values()):
            thread.join(5)

    def _start(self, analysis_id: int) -> None:
        thread = threading.Thread(target=self._run, args=(analysis_id,), name=f"analysis-{analysis_id}", daemon=True)
        self._threads[analysis_id] = thread
        thread.start()

    def _run(self, analysis_id: int) -> None:
        row = get_analysis(self.workspace, analysis_id)
        result, message = None, ""
        try:
            with self.workspace.database.read() as session:
                require_trust(self.workspace, problems.get_problem(session, row.problem_id))
            job = self._kinds[row.kind](self.workspace, row.problem_id, row.request)
            background = self._processes[analysis_id] = BackgroundProcess(job.function, *job.arguments)
            result = background.result()
        except BackgroundFailed as failure:
            message = str(failure)
            if failure.trace:
                log.error("Analysis %s failed\n%s", row.kind, failure.trace)
        except Exception as error:
            message = getattr(error, "message", None) or f"{type(error).__name__}: {error}"
            if not hasattr(error, "message"):
                log.exception("Analysis %s could not be prepared", row.kind)
        finally:
            self._processes.pop(analysis_id, None)
        if not self._closed or result is not None:
            self._end(row, result, message)

    def _end(self, row: Analysis, result: dict[str, Any] | None, message: str) -> None:
        with self.workspace.database.write() as session:
            decisions.end_analysis(session, row, self.workspace.clock(), result, message)
        self._threads.pop(row.id, None)


def get_analysis(workspace: Workspace, analysis_id: int) -> Analysis:
    with workspace.database.read() as session:
        return decisions.get_analysis(session, analysis_id)


def newest_analysis(
    workspace: Workspace, problem_id: int, kind: str, request: Mapping[str, Any] | None = None, state: str | None = None
) -> Analysis | None:
    """The newest of its kind, or of exactly this request, or in this state."""
    key = None if request is None else _key(request)
    with workspace.database.read() as session:
        return decisions.newest_analysis(session, problem_id, kind, key=key, state=state)


def _key(request: Mapping[str, Any]) -> str:
    return hashlib.sha256(json.dumps(request, sort_keys=True).encode()).hexdigest()


__all__ = ["DONE", "FAILED", "RUNNING", "Analyst", "Job", "Prepare", "get_analysis", "newest_analysis"]
