"""The local runner with real processes: killed, frozen, too greedy, orphaned."""

from __future__ import annotations

import os
import pickle
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
import psutil
import pytest

from pellux.core.objective import FitContext, FitOrder, FitResult, Terms
from pellux.engine.artifacts import FileArtifacts
from pellux.engine.messages import FitEnded, FitStarted, StartFit, WorkerLost, WorkerReady
from pellux.engine.runners import Report, local
from pellux.engine.runners.local import LocalRunner
from pellux.engine.states import FitState
from pellux.engine.worker import Assignment
from pellux.objectives.tabular.evaluator import TabularSource
from pellux.service.planning.requests import BriefRequest
from pellux.service.problems.framing import frame
from pellux.service.workspace import Workspace
from tests.making import imported

pytestmark = pytest.mark.slow
SLOW = {"trees": 5000}
QUICK = {"trees": 3}


@pytest.fixture
def assignment(workspace: Workspace, tmp_path: Path) -> Assignment:
    table = imported(workspace, tmp_path)
    made = frame(table, BriefRequest(data=table.hash, target="label", metric="ROC AUC", ignore=["amount"], seed=2))
    np.save(tmp_path / "folds.npy", made.folds.kept)
    source = TabularSource(table.folder, tmp_path / "folds.npy", made.brief.to_json(), None, Terms(learner="forest"))
    return Assignment(source, FileArtifacts(tmp_path / "kept", tmp_path / "fits"), tmp_path / "worker")


@pytest.fixture
def runner(assignment: Assignment) -> Iterator[LocalRunner]:
    found = LocalRunner(assignment)
    yield found
    found.close()


def until(runner: LocalRunner, wanted: Callable[[Report], bool], seconds: float = 30) -> Report:
    """Wait for a report; everything before it is passed over."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        for report in runner.wait(0.5):
            if wanted(report):
                return report
    raise AssertionError("the report never came")


def ready(runner: LocalRunner, worker: int = 0) -> int:
    """Hire a worker, wait for it, and return its process id."""
    runner.hire(worker, 0)
    until(runner, lambda r: r == WorkerReady(worker))
    return int(runner._workers[worker].process.pid)


def start(runner: LocalRunner, settings: dict[str, int], fold: int = 0) -> None:
    runner.start(StartFit(0, 1, fold, 1, settings))
    until(runner, lambda r: isinstance(r, FitStarted))


def test_a_fit_comes_back_with_its_score(runner: LocalRunner) -> None:
    ready(runner)
    start(runner, QUICK)
    ended = until(runner, lambda r: isinstance(r, FitEnded))
    assert isinstance(ended, FitEnded)
    assert ended.outcome.state is FitState.DONE
    assert 0 <= (ended.outcome.score or -1) <= 1
    assert ended.outcome.seconds > 0


def test_a_killed_worker_is_noticed_at_once_and_replaceable(runner: LocalRunner) -> None:
    pid = ready(runner)
    start(runner, SLOW)
    os.kill(pid, signal.SIGKILL)
    lost = until(runner, lambda r: isinstance(r, WorkerLost))
    assert isinstance(lost, WorkerLost)
    assert "SIGKILL" in lost.reason
    ready(runner, worker=1)


@dataclass(frozen=True)
class Spawning:
    """A fit that starts a program of its own and then dies."""

    told: Path

    def open(self) -> Spawning:
        return self

    def tidy(self) -> None:
        pass

    def evaluate(self, order: FitOrder, context: FitContext) -> FitResult:
        child = subprocess.Popen(["sleep", "600"])
        self.told.write_text(str(child.pid))
        os._exit(3)


def test_what_a_fit_started_ends_with_its_worker(assignment: Assignment, tmp_path: Path) -> None:
    runner = LocalRunner(replace(assignment, evaluators=Spawning(tmp_path / "pid")))
    ready(runner)
    runner.start(StartFit(0, 1, 0, 1, QUICK))
    until(runner, lambda r: isinstance(r, WorkerLost))
    child = int((tmp_path / "pid").read_text())
    if psutil.pid_exists(child):
        psutil.wait_procs([psutil.Process(child)], timeout=5)
    assert not psutil.pid_exists(child) or psutil.Process(child).status() == psutil.STATUS_ZOMBIE
    runner.close()


def test_a_frozen_worker_is_told_from_a_busy_one(runner: LocalRunner, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(local, "FROZEN", 3.0)
    pid = ready(runner)
    start(runner, SLOW)
    assert not [r for _ in range(9) for r in runner.wait(0.5) if isinstance(r, WorkerLost)], "a busy worker was taken for frozen"
    os.kill(pid, signal.SIGSTOP)
    lost = until(runner, lambda r: isinstance(r, WorkerLost))
    assert isinstance(lost, WorkerLost)
    assert "frozen" in lost.reason
    assert not psutil.pid_exists(pid) or psutil.Process(pid).status() == psutil.STATUS_ZOMBIE


def test_dismissing_ends_a_busy_worker(runner: LocalRunner) -> None:
    pid = ready(runner)
    start(runner, SLOW)
    runner.dismiss(0)
    assert not psutil.pid_exists(pid) or psutil.Process(pid).status() == psutil.STATUS_ZOMBIE
    assert runner.wait(0.1) == []


def test_too_much_memory_fails_the_fit_and_keeps_the_worker(assignment: Assignment) -> None:
    runner = LocalRunner(replace(assignment, memory_bytes=10 * 2**20))
    try:
        pid = ready(runner)
        runner.start(StartFit(0, 1, 0, 1, {"trees": 6000}))
        ended = until(runner, lambda r: isinstance(r, FitEnded), 60)
        assert isinstance(ended, FitEnded)
        assert ended.outcome.state is FitState.TOO_LARGE
        runner.start(StartFit(0, 2, 0, 1, QUICK))
        again = until(runner, lambda r: isinstance(r, FitEnded))
        assert isinstance(again, FitEnded)
        assert again.outcome.state is FitState.DONE
        assert runner._workers[0].process.pid == pid
    finally:
        runner.close()


def test_an_error_comes_back_with_message_and_traceback(runner: LocalRunner) -> None:
    ready(runner)
    runner.start(StartFit(0, 1, 0, 1, {"trees": -5}))
    ended = until(runner, lambda r: isinstance(r, FitEnded))
    assert isinstance(ended, FitEnded)
    assert ended.outcome.state is FitState.ERROR
    assert "n_estimators" in ended.outcome.reason.facts["text"]
    assert "Traceback" in ended.outcome.log
    runner.start(StartFit(0, 2, 0, 1, QUICK))
    until(runner, lambda r: isinstance(r, FitEnded) and r.outcome.state is FitState.DONE)


ORPHAN = """
import pickle, sys, time
from pathlib import Path
from pellux.engine.messages import StartFit
from pellux.engine.runners.local import LocalRunner

if __name__ == "__main__":
    runner = LocalRunner(pickle.loads(Path(sys.argv[1]).read_bytes()))
    for worker in (0, 1):
        runner.hire(worker, worker)
    ready = 0
    while ready < 2:
        ready += len(runner.wait(1))
    runner.start(StartFit(0, 1, 0, 1, {"trees": 100000}))
    print(*(held.process.pid for held in runner._workers.values()), flush=True)
    time.sleep(60)
"""


def test_workers_die_with_a_parent_that_is_killed(assignment: Assignment, tmp_path: Path) -> None:
    (tmp_path / "assignment").write_bytes(pickle.dumps(assignment))
    (tmp_path / "orphan.py").write_text(ORPHAN)
    parent = subprocess.Popen([sys.executable, tmp_path / "orphan.py", tmp_path / "assignment"], stdout=subprocess.PIPE, text=True)
    try:
        assert parent.stdout is not None
        workers = [psutil.Process(int(pid)) for pid in parent.stdout.readline().split()]
        assert len(workers) == 2
        parent.kill()
        _, alive = psutil.wait_procs(workers, timeout=3)
        assert not [w for w in alive if w.status() != psutil.STATUS_ZOMBIE]
    finally:
        parent.kill()
        parent.communicate()
