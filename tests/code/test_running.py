"""Somebody's programs in real workers: what they may do wrong, how they are ended, how they go on."""

from __future__ import annotations

import errno
import json
import os
import signal
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import psutil
import pytest

from pellux.core.objective import Ancestor, FitFailed, Holds, Terms, Unavailable
from pellux.core.objective import FitContext as Context
from pellux.engine.artifacts import FileArtifacts
from pellux.engine.evaluation import evaluate
from pellux.engine.messages import CutFit, FitEnded, FitStarted, StartFit, WorkerLost, WorkerReady
from pellux.engine.runners import Report
from pellux.engine.runners.local import LocalRunner
from pellux.engine.states import FitState
from pellux.engine.worker import Assignment
from pellux.objectives.code import process, program, stages
from pellux.objectives.code.brief import CodeBrief, Growing
from pellux.objectives.code.fingerprint import fingerprint
from pellux.objectives.code.folders import HEARD, MARK, Mark, read_mark, write_mark
from pellux.objectives.code.heard import Heard
from pellux.objectives.code.program import ProgramEvaluator, ProgramSource
from pellux.objectives.code.scores import Said
from pellux.service.wording import sentence
from tests.waiting import until

LAST = "print('{\"score\": 0.5}')"
# A program that trains in steps, writes down each one it does, and goes on from its folder.
STEPS = """
import json, os, sys, time
folder, begun, level, x, wait = sys.argv[1], int(sys.argv[2]), int(sys.argv[3]), float(sys.argv[4]), float(sys.argv[5])
kept = os.path.join(folder, "state.json")
state = json.load(open(kept)) if os.path.exists(kept) else {"at": 0, "sum": 0}
for step in range(state["at"] + 1, level + 1):
    time.sleep(wait)
    state = {"at": step, "sum": state["sum"] + x}
    json.dump(state, open(kept + ".half", "w")); os.replace(kept + ".half", kept)
    print(step, file=open("done.txt", "a"))
    print(json.dumps({"score": state["sum"] + step / 1000, "step": step}), flush=True)
open(os.path.join(folder, "keep", "note.txt"), "w").write(f"{x}")
"""


def brief_of(folder: Path, code: str, *arguments: str, name: str = "train.py", **more: Any) -> CodeBrief:
    (folder / name).write_text(code)
    runs = (sys.executable if name.endswith(".py") else "sh", name, *arguments)
    return CodeBrief(
        **{"kind": "program", "metric": "score", "larger_is_better": True, "runs": runs, "folder": str(folder), "files": (name,),
           "fingerprint": fingerprint(folder, [name]), **more}
    )  # fmt: skip


def context_of(tmp_path: Path, told: list[tuple[int, float]] | None = None, ends: Callable[[], bool] = lambda: False) -> Context:
    kept = FileArtifacts(tmp_path / "checkpoints", tmp_path / "fits")
    return Context(lambda level, score: told.append((level, score)) if told is not None else None, ends, kept, time.perf_counter)


@pytest.fixture
def evaluators() -> Iterator[Callable[..., ProgramEvaluator]]:
    opened: list[ProgramEvaluator] = []

    def opened_for(brief: CodeBrief, **terms: Any) -> ProgramEvaluator:
        opened.append(ProgramEvaluator(ProgramSource(brief, Terms(**terms))))
        return opened[-1]

    yield opened_for
    for one in opened:
        one.close()


Open = Callable[..., ProgramEvaluator]
FIT = StartFit(0, 1, 0, 1, {"x": 1.0})


@pytest.mark.parametrize(
    ("code", "words"),
    [
        ("import sys; sys.exit(3)", "It ended with exit status 3, and printed nothing"),
        ("print('so far so good'); raise ValueError('no such depth')", "exit status 1: .*no such depth"),
        ("import os; os.kill(os.getpid(), 9)", "ended by signal 9"),
        ("print('all is well')", "gave no score: .*all is well"),
        ("pass", "gave no score: .*it printed nothing"),
        ("print('{\"score\": NaN}')", "Its score is nan, which is no score"),
        ("print('{\"score\": 0.5}'); print('{\"score\": Infinity}')", "Its score is inf"),
        ("print('the loss is nan')", "Its score is nan"),
    ],
)
def test_what_a_program_does_wrong_is_told_in_its_own_words(tmp_path: Path, evaluators: Open, code: str, words: str) -> None:
    with pytest.raises(FitFailed) as failed:
        evaluators(brief_of(tmp_path, code)).evaluate(FIT, context_of(tmp_path))
    assert __import__("re").search(words, sentence(failed.value.reason), __import__("re").DOTALL), sentence(failed.value.reason)


def test_a_program_that_is_not_there_or_not_executable_is_told(tmp_path: Path, evaluators: Open) -> None:
    brief = brief_of(tmp_path, LAST)
    for runs, words in ((("./gone",), "There is no program './gone'"), (("./train.py",), "may not be executed")):
        with pytest.raises(FitFailed) as failed:
            evaluators(CodeBrief.from_json({**brief.to_json(), "runs": runs})).evaluate(FIT, context_of(tmp_path))
        assert words in sentence(failed.value.reason)


def test_facts_stand_in_arguments_environment_and_files(tmp_path: Path, evaluators: Open) -> None:
    code = """
import json, os, sys
told = json.load(open(os.environ["PELLUX_FOLDER"] + "/fit.json"))
typed = json.load(open(sys.argv[1]))
assert typed == told["settings"] == {"x": 1.5, "on": True, "kind": "a b", "n": 3}, typed
assert (told["fold"], told["folds"], told["seed"], told["level"], told["from"]) == (2, 5, 9, 1, 0)
assert os.environ["PELLUX_SET_X"] == "1.5" and os.environ["PELLUX_SET_ON"] == "true" and os.environ["PELLUX_FOLD"] == "2"
assert os.environ["CUDA_VISIBLE_DEVICES"] == "" and os.environ["OMP_NUM_THREADS"] == "2"
assert sys.argv[2:] == ["a b", "true", "3"], sys.argv
print(json.dumps({"score": 1, "loss": 0.25}))
"""
    brief = brief_of(
        tmp_path, code, "{settings}", "{kind}", "{on}", "{n}", folds=5, seed=9, recorded=("loss",), holds=Holds(cores=2)
    )  # fmt: skip
    order = StartFit(0, 1, 2, 1, {"x": 1.5, "on": True, "kind": "a b", "n": 3})
    found = evaluators(brief, settings=("x", "on", "kind", "n")).evaluate(order, context_of(tmp_path))
    assert (found.score, dict(found.recorded)) == (1.0, {"loss": 0.25})


def test_a_hundred_megabytes_without_a_line_end_take_little_memory(tmp_path: Path, evaluators: Open) -> None:
    code = "import sys\nfor _ in range(100): sys.stdout.write('x' * 2**20)\nprint()\n" + LAST
    before = psutil.Process().memory_info().rss
    assert evaluators(brief_of(tmp_path, code)).evaluate(FIT, context_of(tmp_path)).score == 0.5
    assert psutil.Process().memory_info().rss - before < 30 * 2**20


def test_scores_come_from_a_file_and_from_a_shell_script(tmp_path: Path, evaluators: Open) -> None:
    script = 'for i in 1 2 3; do echo "{\\"score\\": 0.$i}" >> "$PELLUX_FOLDER/scores.jsonl"; done; echo ended'
    told: list[tuple[int, float]] = []
    brief = brief_of(tmp_path, script, name="train.sh", grows=Growing("epochs", 3))
    found = evaluators(brief, resource="iterations", most=3).evaluate(FIT._replace(level=3), context_of(tmp_path, told))
    assert found.curve == ((1, 0.1), (2, 0.2), (3, 0.3))
    assert told[-1] == (3, 0.3) or told == [], "a file is looked at now and then"


def test_a_program_that_ignores_being_told_to_end_is_ended(
    tmp_path: Path, evaluators: Open, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(process.run_program, "__defaults__", (None, 0.3))
    code = "import signal, time\nsignal.signal(signal.SIGTERM, signal.SIG_IGN)\nprint('{\"score\": 0.25}', flush=True)\ntime.sleep(600)"
    told: list[tuple[int, float]] = []
    context = context_of(tmp_path, told, lambda: bool(told))
    brief = brief_of(tmp_path, code, grows=Growing("epochs", 9))
    found = evaluators(brief, resource="iterations", most=9).evaluate(FIT._replace(level=9), context)
    assert found.score == 0.25, "what it said before it was told counts; it sleeps for ten minutes"


def test_what_it_started_ends_with_it_also_what_left_its_group(tmp_path: Path, evaluators: Open) -> None:
    code = f"""
import subprocess, sys
one = subprocess.Popen(["sleep", "600"])
two = subprocess.Popen(["sleep", "600"], start_new_session=True)
print(one.pid, two.pid, file=open({str(tmp_path / "pids")!r}, "w"))
{LAST}
"""
    evaluators(brief_of(tmp_path, code)).evaluate(FIT, context_of(tmp_path))
    for pid in map(int, (tmp_path / "pids").read_text().split()):
        assert not psutil.pid_exists(pid)


def test_too_much_memory_ends_it_with_the_reason(tmp_path: Path, evaluators: Open) -> None:
    code = "import time\nheld = bytearray(300 * 2**20)\nheld[::4096] = b'x' * len(held[::4096])\ntime.sleep(60)"
    brief = brief_of(tmp_path, code, holds=Holds(memory_mb=100))
    with pytest.raises(FitFailed) as failed:
        evaluators(brief, memory_bytes=100 * 2**20).evaluate(FIT, context_of(tmp_path))
    assert sentence(failed.value.reason) == "It and what it started took more than their 100 MB of memory."


def test_code_that_changes_or_goes_is_no_failure_of_a_trial(tmp_path: Path, evaluators: Open) -> None:
    evaluator = evaluators(brief_of(tmp_path, LAST))
    evaluator.evaluate(FIT, context_of(tmp_path))
    (tmp_path / "train.py").write_text("print(1)")
    with pytest.raises(Unavailable) as missing:
        evaluator.evaluate(FIT, context_of(tmp_path))
    assert "Its code changed while it ran (train.py)" in sentence(missing.value.reason)
    (tmp_path / "train.py").unlink()
    with pytest.raises(Unavailable):
        evaluator.evaluate(FIT, context_of(tmp_path))


def steps_brief(folder: Path, *, goes_on: bool = True, wait: float = 0.0) -> CodeBrief:
    growing = Growing("steps", 9, goes_on, ("x",))
    return brief_of(folder, STEPS, "{folder}", "{from}", "{level}", "{x}", str(wait), grows=growing)


def done(folder: Path) -> list[int]:
    return [int(line) for line in (folder / "done.txt").read_text().split()] if (folder / "done.txt").exists() else []


def test_it_goes_on_from_what_it_left_and_nothing_is_trained_twice(tmp_path: Path, evaluators: Open) -> None:
    evaluator = evaluators(steps_brief(tmp_path), resource="iterations", most=9)
    told: list[tuple[int, float]] = []
    for level in (1, 3, 9):
        found = evaluator.evaluate(FIT._replace(level=level), context_of(tmp_path, told))
        assert [at for at, _ in found.curve] == list(range(1, level + 1)), "from the fit's very start"
        assert found.score == pytest.approx(level + level / 1000)
        assert found.checkpoint_bytes > 0
    assert done(tmp_path) == list(range(1, 10))
    assert [at for at, _ in told] == list(range(1, 10))
    kept = FileArtifacts(tmp_path / "checkpoints", tmp_path / "fits")
    assert kept.sizes("checkpoint")[1][0] > 0
    kept.forget(1)
    assert [p.name for p in (tmp_path / "fits" / "1-0").rglob("*")] == ["keep", "note.txt"], "what is kept stays"
    evaluator.evaluate(FIT._replace(level=3), context_of(tmp_path))
    assert done(tmp_path)[9:] == [1, 2, 3], "without its folder it begins anew"


@pytest.mark.parametrize(
    ("gone", "steps"),
    [
        ((), [1, 2, 3]),  # the server died before it had written down what the fit came to
        ((MARK,), [1, 2, 3]),  # the worker died after the code's last word
        ((MARK, HEARD), [1, 2, 3, 1, 2, 3]),  # the code had laid down its end and died before it said so
    ],
)
def test_what_a_fit_came_to_outlives_its_worker_and_the_server(
    tmp_path: Path, evaluators: Open, gone: tuple[str, ...], steps: list[int]
) -> None:
    evaluator = evaluators(steps_brief(tmp_path), resource="iterations", most=9)
    whole = evaluator.evaluate(FIT._replace(level=3), context_of(tmp_path))
    folder = tmp_path / "fits" / "1-0"
    (folder / "predictions.csv").write_text("row,truth,predicted\n1,0.5,0.25\n")
    for name in gone:
        (folder / name).unlink()
    again = evaluator.evaluate(FIT._replace(level=3, attempt=2), context_of(tmp_path))
    assert (again.score, again.curve, again.recorded) == (whole.score, whole.curve, whole.recorded)
    assert done(tmp_path) == steps
    assert (folder / "predictions.csv").exists() == (len(steps) == 3)
    assert ["trained anew" in text for text in again.warnings] == [True] * (len(steps) > 3)
    if not gone:
        assert again.seconds == whole.seconds
    other = evaluator.evaluate(FIT._replace(level=3, configuration={"x": 5.0}), context_of(tmp_path))
    assert other.score == pytest.approx(15.003), "a folder that another configuration left is none to go on from"


def test_an_attempt_that_died_on_its_way_has_said_its_part(tmp_path: Path, evaluators: Open) -> None:
    brief = steps_brief(tmp_path)
    evaluator = evaluators(brief, resource="iterations", most=9)
    evaluator.evaluate(FIT._replace(level=1), context_of(tmp_path))
    with Heard(tmp_path / "fits" / "1-0", FIT.configuration, 1, 9) as first:
        first.note(2, Said("", 2, 0.5))
    with (tmp_path / "fits" / "1-0" / HEARD).open("a") as file:
        file.write("[3, 0.7")  # cut off by the end of the worker
    found = evaluator.evaluate(FIT._replace(level=9, attempt=2), context_of(tmp_path))
    assert [at for at, _ in found.curve] == list(range(1, 10))
    assert dict(found.curve)[2] == pytest.approx(2.002), "what was said later counts"


def test_one_that_cannot_go_on_begins_anew_in_an_empty_folder(tmp_path: Path, evaluators: Open) -> None:
    evaluator = evaluators(steps_brief(tmp_path, goes_on=False), resource="iterations", most=9)
    for level in (1, 3):
        assert evaluator.evaluate(FIT._replace(level=level), context_of(tmp_path)).checkpoint_bytes == 0
    assert done(tmp_path) == [1, 1, 2, 3]


def test_it_goes_on_from_another_trial_by_its_folder_or_by_its_way(tmp_path: Path, evaluators: Open) -> None:
    evaluator = evaluators(steps_brief(tmp_path), resource="iterations", most=9)
    evaluator.evaluate(FIT._replace(level=3), context_of(tmp_path))
    child = StartFit(0, 2, 0, 1, {"x": 2.0}, level=6, ancestors=(Ancestor(1, {"x": 1.0}, 3),))
    found = evaluator.evaluate(child, context_of(tmp_path))
    assert found.score == pytest.approx(3 * 1 + 3 * 2 + 0.006)
    assert [at for at, _ in found.curve] == [4, 5, 6], "of this trial alone"
    assert done(tmp_path) == [1, 2, 3, 4, 5, 6]
    (tmp_path / "fits" / "2-0" / MARK).unlink()
    write_mark(tmp_path / "fits" / "2-0", Mark(3))  # as it is while the stage of its own runs
    (tmp_path / "fits" / "2-0" / "state.json").write_text(json.dumps({"at": 4, "sum": 5.0}))
    retried = evaluator.evaluate(child._replace(attempt=2), context_of(tmp_path))
    assert (retried.score, retried.curve) == (found.score, found.curve), "nothing of the other trial is taken for its own"
    assert done(tmp_path)[6:] == [5, 6]
    (tmp_path / "done.txt").write_text("".join(f"{step}\n" for step in range(1, 7)))
    FileArtifacts(tmp_path / "checkpoints", tmp_path / "fits").forget(None)
    again = evaluator.evaluate(child, context_of(tmp_path))
    assert (again.score, again.curve) == (found.score, found.curve), "the whole way once more"
    assert done(tmp_path)[6:] == [1, 2, 3, 4, 5, 6]


def report(runner: LocalRunner, wanted: Callable[[Report], bool], seconds: float = 30) -> Report:
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        for one in runner.wait(0.2):
            if wanted(one):
                return one
    raise AssertionError("the report never came")


@pytest.fixture
def runner(tmp_path: Path) -> Iterator[LocalRunner]:
    source = ProgramSource(steps_brief(tmp_path, wait=0.05), Terms(resource="iterations", most=200))
    found = LocalRunner(Assignment(source, FileArtifacts(tmp_path / "checkpoints", tmp_path / "fits"), tmp_path / "worker"))
    yield found
    found.close()


def test_a_full_disk_is_no_failure_of_a_trial(tmp_path: Path, evaluators: Open, monkeypatch: pytest.MonkeyPatch) -> None:
    def full(*arguments: object) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    evaluator = evaluators(steps_brief(tmp_path), resource="iterations", most=9)
    monkeypatch.setattr(stages, "write_mark", full)
    found = evaluator.evaluate(FIT._replace(level=3), context_of(tmp_path))
    assert found.score == pytest.approx(3.003)
    assert "it starts anew" in found.warnings[0]
    monkeypatch.setattr(program, "prepare_folder", full)
    lost = evaluate(evaluator, FIT, context_of(tmp_path), lambda: "", str(tmp_path))
    assert lost.state is FitState.LOST
    assert f"{tmp_path} is full. Free some space, and the search goes on by itself." in sentence(lost.reason)


def test_a_program_that_finds_no_space_left_is_no_failure_of_a_trial(tmp_path: Path, evaluators: Open) -> None:
    brief = brief_of(tmp_path, "raise OSError(28, 'No space left on device')")
    with pytest.raises(Unavailable) as told:
        evaluators(brief).evaluate(FIT, context_of(tmp_path))
    assert told.value.reason.code == "no space said"
    assert "No space left" in sentence(told.value.reason)


@pytest.mark.slow
def test_a_cut_fit_ends_soon_with_its_program(runner: LocalRunner, tmp_path: Path) -> None:
    runner.hire(0, 0)
    report(runner, lambda r: r == WorkerReady(0))
    runner.start(FIT._replace(level=200))
    report(runner, lambda r: isinstance(r, FitStarted))
    until(lambda: len(done(tmp_path)) > 2)
    runner.cut(CutFit(0, 1, 0, 1))
    ended = report(runner, lambda r: isinstance(r, FitEnded))
    assert isinstance(ended, FitEnded)
    assert ended.outcome.state is FitState.DONE
    assert len(done(tmp_path)) < 200


@pytest.mark.slow
def test_killing_the_worker_ends_its_program_and_the_next_goes_on_from_its_checkpoint(runner: LocalRunner, tmp_path: Path) -> None:
    runner.hire(0, 0)
    report(runner, lambda r: r == WorkerReady(0))
    runner.start(FIT._replace(level=30))
    until(lambda: len(done(tmp_path)) > 3)
    [program] = [p for p in psutil.process_iter(["cmdline"]) if str(tmp_path) in " ".join(p.info["cmdline"] or [])]
    os.kill(runner._workers[0].process.pid, signal.SIGKILL)
    report(runner, lambda r: isinstance(r, WorkerLost))
    program.wait(5)
    reached = max(done(tmp_path))
    assert read_mark(tmp_path / "fits" / "1-0").level == 0
    runner.hire(1, 1)
    report(runner, lambda r: r == WorkerReady(1))
    runner.start(FIT._replace(worker=1, level=30, attempt=2))
    ended = report(runner, lambda r: isinstance(r, FitEnded))
    assert isinstance(ended, FitEnded)
    assert ended.outcome.score == pytest.approx(30 + 0.030)
    again = sorted(step for step in set(done(tmp_path)) if done(tmp_path).count(step) > 1)
    assert again in ([], [reached]), "at most the step that was under way is done twice"
    assert json.loads((tmp_path / "fits" / "1-0" / "state.json").read_text())["at"] == 30
