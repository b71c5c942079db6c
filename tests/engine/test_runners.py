"""The conformance suite on every runner; and a runner that answers out of turn, which a search must survive."""

from __future__ import annotations

import contextlib
import os
import signal
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from pellux.core.errors import Conflict
from pellux.core.objective import FitContext, Terms
from pellux.core.strategies import Suggest
from pellux.engine.artifacts import Artifacts, FileArtifacts, MemoryArtifacts
from pellux.engine.coordinator import Coordinator
from pellux.engine.evaluation import evaluate
from pellux.engine.messages import (
    Ask,
    Begin,
    CutFit,
    Dismiss,
    Event,
    FitEnded,
    FitStarted,
    FitStepped,
    Hire,
    Proposal,
    StartFit,
    WorkerReady,
)
from pellux.engine.model import Limits
from pellux.engine.runners import Report
from pellux.engine.runners.local import LocalRunner
from pellux.engine.runners.outside import Lease, OutsideRunner
from pellux.engine.runners.simulated import SimulatedRunner, SimulatedWorld
from pellux.engine.states import SearchState, TrialState
from pellux.engine.worker import Assignment
from tests.engine.conformance import LONG, Bench, Conformance
from tests.engine.playing import scored
from tests.two_numbers import Source, truth


class TestSimulated(Conformance):
    @pytest.fixture
    def bench(self) -> Bench:
        world = SimulatedWorld(
            lambda c, fold, before, level: 1000.0 if c["x"] == LONG["x"] else 1.0,
            lambda c, fold, level: truth(float(c["x"]), float(c["y"]), fold, level),
        )
        runner = SimulatedRunner(world)
        return Bench(runner, runner.lose)


@pytest.mark.slow
class TestLocal(Conformance):
    @pytest.fixture
    def bench(self, tmp_path: Path) -> Iterator[Bench]:
        assignment = Assignment(
            Source(Terms(grid=(1, 2, 3, 4))), FileArtifacts(tmp_path / "kept", tmp_path / "fits"), tmp_path / "worker"
        )
        runner = LocalRunner(assignment)

        def kill(worker: int) -> None:
            os.kill(runner._workers[worker].process.pid, signal.SIGKILL)

        yield Bench(runner, kill)
        runner.close()


class OutOfTurn(SimulatedRunner):
    """Says everything twice, answers for fits it was never given, for older attempts, and after it was told to end."""

    def wait(self, seconds: float) -> list[Report]:
        found = super().wait(seconds)
        noise: list[Report] = []
        for report in found:
            noise += [report, report]
            if isinstance(report, FitEnded):
                late = report._replace(attempt=report.attempt - 1, outcome=scored(9.9))
                noise += [late, report._replace(worker=report.worker + 50), report._replace(trial=report.trial, fold=report.fold)]
                noise.append(FitStepped(report.worker, report.trial, report.fold, report.attempt, ((1, 9.9),), report.at))
                noise.append(FitStarted(report.worker, report.trial, report.fold, report.attempt, report.at))
            noise.append(WorkerReady(77))
        return noise


def search(runner: SimulatedRunner) -> Coordinator:
    coordinator = Coordinator(Limits(12, 3, 2), ({"x": 0.0, "y": 0.0},))
    waiting: list[Event] = [Begin(0.0)]
    while waiting or (waiting := list(runner.wait(0.0))):
        for command in coordinator.handle(waiting.pop(0)):
            match command:
                case StartFit():
                    runner.start(command)
                case CutFit():
                    runner.cut(command)
                case Hire(worker=worker, lane=lane):
                    runner.hire(worker, lane)
                case Dismiss(worker=worker):
                    runner.dismiss(worker)
                case Ask(number=number):
                    waiting.append(Proposal(number, Suggest(({"x": number / 20, "y": 0.0},)), runner.now))
    return coordinator


def test_a_runner_that_answers_out_of_turn_changes_no_result() -> None:
    world = SimulatedWorld(lambda c, f, b, level: 1.0 + float(c["x"]), lambda c, f, level: truth(float(c["x"]), 0.0, f, 1))
    plain, noisy = search(SimulatedRunner(world)), search(OutOfTurn(world))
    assert noisy.state is plain.state is SearchState.FINISHED
    assert {n: t.scores for n, t in noisy.trials.items()} == {n: t.scores for n, t in plain.trials.items()}
    assert all(t.state is TrialState.SCORED for t in noisy.trials.values())


@pytest.mark.parametrize("kind", ["files", "memory"])
def test_artifacts_are_kept_by_trial_fold_and_name(kind: str, tmp_path: Path) -> None:
    kept: Artifacts = FileArtifacts(tmp_path / "kept", tmp_path / "fits") if kind == "files" else MemoryArtifacts()
    assert kept.get(1, 0, "checkpoint") is None
    for trial, fold in ((1, 0), (1, 1), (12, 0), (2, 0)):
        assert kept.put(trial, fold, "checkpoint", b"x" * (trial + fold)) == trial + fold
    kept.put(1, 0, "predictions", b"many")
    kept.put(1, 0, "checkpoint", b"later")
    assert kept.get(1, 0, "checkpoint") == b"later"
    assert kept.sizes("checkpoint") == {1: {0: 5, 1: 2}, 12: {0: 12}, 2: {0: 2}}
    kept.forget(1)
    assert kept.get(1, 0, "predictions") is None
    assert kept.sizes("checkpoint") == {12: {0: 12}, 2: {0: 2}}
    kept.keep_only([2], 13)
    assert kept.sizes("checkpoint") == {2: {0: 2}}
    kept.forget(None)
    assert kept.sizes("checkpoint") == {}


def test_a_full_disk_leaves_the_checkpoint_that_was_there(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    kept = FileArtifacts(tmp_path, tmp_path / "fits")
    kept.put(1, 0, "checkpoint", b"first")

    def full(self: Path, content: Any) -> int:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(Path, "write_bytes", full)
    with pytest.raises(OSError, match="No space"):
        kept.put(1, 0, "checkpoint", b"second")
    monkeypatch.undo()
    assert kept.get(1, 0, "checkpoint") == b"first"
    assert [p.name for p in tmp_path.iterdir()] == ["1-0.checkpoint"]


class TestOutside(Conformance):
    """A holder that takes whatever there is, does it as it should, and falls silent when it is killed."""

    @pytest.fixture
    def bench(self) -> Iterator[Bench]:
        runner = OutsideRunner()
        silent, ended = set[int](), threading.Event()

        def do(lease: Lease) -> None:
            evaluator, fit = Source(Terms(grid=(1, 2, 3, 4))), lease.fit

            def nobody_waits() -> bool:
                if fit.worker in silent or ended.is_set():
                    return True
                try:
                    return runner.beat(lease.id).cut
                except Conflict:
                    return True

            context = FitContext(lambda level, score: None, nobody_waits, MemoryArtifacts(), time.perf_counter)
            outcome = evaluate(evaluator, fit, context, lambda: "", "")
            if fit.worker not in silent:
                with contextlib.suppress(Conflict):
                    runner.done(lease.id, outcome)

        def hold() -> None:
            while not ended.is_set():
                for lease in runner.take(2, 0.5, "a holder", 0.05):
                    threading.Thread(target=do, args=(lease,), daemon=True).start()

        threading.Thread(target=hold, daemon=True).start()
        yield Bench(runner, silent.add)
        ended.set()
        runner.close()
