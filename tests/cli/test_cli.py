"""The command line as a person or a script meets it: output, exit status, Ctrl-C, a server that holds the workspace."""

from __future__ import annotations

import contextlib
import io
import json
import signal
import socket
import sqlite3
import subprocess
import sys
from contextlib import chdir, redirect_stderr, redirect_stdout
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pytest

from pellux.cli import main
from pellux.core.space import parse
from tests import forking
from tests.forking import popen
from tests.making import mixed_columns, write_csv
from tests.serving import Server
from tests.waiting import until

pytestmark = pytest.mark.slow
PLAN = """
pellux: 1
brief: {data: mixed.csv, target: label, ignore: [amount], metric: average precision, seed: 3}
learner: tree
space: "depth: 2 .. 30 int\\nmin_leaf: 1 .. 60 int"
plan: {trials: 5, workers: 2, seed: 1}
"""


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    write_csv(tmp_path / "mixed.csv", mixed_columns())
    (tmp_path / "plan.yaml").write_text(PLAN)
    return tmp_path


@dataclass(frozen=True)
class Done:
    returncode: int
    stdout: str
    stderr: str


def process(folder: Path, *arguments: str) -> Done:
    """The command as a shell runs it."""
    command = [sys.executable, "-m", "pellux", *arguments]
    done = subprocess.run(command, cwd=folder, capture_output=True, text=True, timeout=120)
    return Done(done.returncode, done.stdout, done.stderr)


def pellux(folder: Path, *arguments: str) -> Done:
    """The same in this process, which spares starting an interpreter and loading everything."""
    out, err = (io.TextIOWrapper(io.BytesIO(), "utf-8", write_through=True) for _ in range(2))
    kept, status = {s: signal.getsignal(s) for s in (signal.SIGINT, signal.SIGTERM)}, 0
    with chdir(folder), redirect_stdout(out), redirect_stderr(err), pytest.MonkeyPatch.context() as patch:
        patch.setattr(sys, "argv", ["pellux", *arguments])
        try:
            main()
        except SystemExit as end:
            status = int(end.code or 0)
    for number, handler in kept.items():
        signal.signal(number, handler)
    said = [stream.buffer.getvalue().decode() for stream in (out, err)]  # type: ignore[attr-defined]
    return Done(status, *said)


def outcome(done: Done) -> dict[str, Any]:
    found: dict[str, Any] = json.loads(done.stdout.splitlines()[-1])
    return found


def test_run_ends_with_one_object_and_trials_has_every_row(folder: Path) -> None:
    done = process(folder, "run", "plan.yaml", "--workspace", "w", "--json")
    assert (done.returncode, done.stderr) == (0, "")
    found = outcome(done)
    assert found["state"] == "finished"
    assert found["trials"]["scored"] == 6
    assert found["fits"] == {"run": 30, "spared": 0}
    assert set(found["best"]) == {"trial", "configuration", "score", "standard_error", "folds"}
    assert len(found["baseline"]["folds"]) == 5
    assert set(found) >= {"problem", "search", "state", "trials", "fits", "baseline", "best", "seconds", "busy_seconds", "workers"}
    assert isinstance(found["best"]["configuration"]["depth"], int)

    lines = pellux(folder, "trials", str(found["search"]), "--workspace", "w", "--format", "jsonl").stdout.splitlines()
    best = max((json.loads(line) for line in lines), key=lambda t: t["score"])
    assert (len(lines), best["score"], best["configuration"]) == (6, found["best"]["score"], found["best"]["configuration"])
    assert pellux(folder, "trials", "1", "--workspace", "w", "-o", "out.csv").returncode == 0
    assert len((folder / "out.csv").read_text().splitlines()) == 7


def test_run_shows_progress_and_the_outcome_in_words(folder: Path) -> None:
    done = pellux(folder, "run", "plan.yaml", "--workspace", "w", "--set", "plan.trials=2")
    assert done.returncode == 0
    assert done.stdout == ""
    assert "Search 1 finished: All 2 trials are done." in done.stderr
    assert "Baseline" in done.stderr
    assert "Best" in done.stderr


def test_findings_are_told_in_words_as_json_and_as_a_space(folder: Path) -> None:
    assert pellux(folder, "run", "plan.yaml", "--workspace", "w", "--set", "plan.trials=12").returncode == 0
    done = pellux(folder, "findings", "problem:1", "--workspace", "w")
    assert done.returncode == 0
    assert "From 1" in done.stdout
    assert "depth" in done.stdout
    found = json.loads(pellux(folder, "findings", "1", "--workspace", "w", "--json").stdout)
    assert {single["name"] for single in found["singles"]} == {"depth", "min_leaf"}
    assert parse(pellux(folder, "findings", "1", "--workspace", "w", "--space").stdout) == parse(found["after"])
    for wrong, words in (("99", "no search 99"), ("problem:7", "no problem 7"), ("search:1", "neither the id of a search")):
        done = pellux(folder, "findings", wrong, "--workspace", "w")
        assert done.returncode == 2
        assert words in done.stderr


def test_check_counts_and_keeps_nothing(folder: Path) -> None:
    done = pellux(folder, "check", "plan.yaml")
    assert done.returncode == 0
    assert "5 trials and the baseline × 5 folds = 30 fits on 2 workers" in done.stdout
    assert "1,740 configurations" in done.stdout
    found = json.loads(pellux(folder, "check", "plan.yaml", "--json").stdout)
    assert (found["configurations"], found["fits"], found["metric"]) == (1740, 30, "average precision")
    assert sorted(p.name for p in folder.iterdir()) == ["mixed.csv", "plan.yaml"]


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (["run", "nothing.yaml"], "There is no plan file"),
        (["run", "plan.yaml", "--set", "plan.trails=3"], "Did you mean 'trials'"),
        (["check", "plan.yaml", "--set", "brief.target=lable"], "no column 'lable'"),
        (["check", "plan.yaml", "--set", "space=depth: 9 .. 2 int"], "lower end must be below"),
        (["trials", "1", "--workspace", "nowhere"], "not a workspace"),
        (["serve", "--workspace", "mixed.csv"], "a workspace is a folder"),
        (["dance"], "No such command"),
        (["run"], "Missing argument"),
    ],
)
def test_what_is_wrong_is_told_with_exit_status_2(folder: Path, arguments: list[str], words: str) -> None:
    done = pellux(folder, *arguments)
    assert done.returncode == 2
    assert words in done.stderr
    assert "Traceback" not in done.stderr


def test_a_failed_search_is_exit_status_1(folder: Path) -> None:
    columns = mixed_columns(60)
    columns["label"] = ["yes" if i < 2 else "no" for i in range(60)]
    write_csv(folder / "mixed.csv", columns)
    settings = ["--set", "brief.folds=6 shuffled", "--set", "brief.holdout=0", "--set", "learner=logistic", "--set", "space="]
    done = pellux(folder, "run", "plan.yaml", "--workspace", "w", "--json", *settings)
    assert done.returncode == 1
    assert outcome(done)["state"] == "failed"
    assert "Every trial failed" in outcome(done)["reason"]


def test_ctrl_c_pauses_and_the_same_command_goes_on(folder: Path) -> None:
    arguments = [
        "run",
        "plan.yaml",
        "--workspace",
        "w",
        "--json",
        "--set",
        "learner=forest",
        "--set",
        "space=trees: 40 .. 60 int",
    ]
    running = popen([sys.executable, "-m", "pellux", *arguments], cwd=folder, stdout=subprocess.PIPE, text=True)
    _await_score(folder / "w" / "pellux.db")
    running.send_signal(signal.SIGINT)
    found = json.loads(running.communicate(timeout=30)[0])
    assert (running.returncode, found["state"]) == (130, "paused")
    assert 0 < found["fits"]["run"] < 30
    done = pellux(folder, *arguments)
    assert (done.returncode, outcome(done)["search"]) == (0, found["search"])
    assert outcome(done)["fits"]["run"] == 30


@pytest.mark.parametrize("moment", [0.6, 2.2])
def test_ctrl_c_at_any_moment_is_one_line_and_130(folder: Path, moment: float) -> None:
    arguments = [
        "run",
        "plan.yaml",
        "--workspace",
        "w",
        "--json",
        "--set",
        "learner=forest",
        "--set",
        "space=trees: 300 .. 400 int",
    ]
    running = subprocess.Popen(
        [sys.executable, "-m", "pellux", *arguments], cwd=folder, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True
    )
    with pytest.raises(subprocess.TimeoutExpired):
        running.communicate(timeout=moment)
    running.send_signal(signal.SIGINT)
    said = running.communicate(timeout=60)[1]
    if "runpy" in said:
        pytest.skip("Python itself was still starting: what it says then is not ours")
    assert (running.returncode, said.count("\n")) == (130, 1), said
    assert said.startswith("pellux: interrupted")


def _await_score(database: Path) -> None:
    def scored() -> bool:
        with contextlib.suppress(sqlite3.OperationalError), contextlib.closing(sqlite3.connect(database)) as there:
            return bool(there.execute("SELECT count(*) FROM fit WHERE state = 'done'").fetchone()[0])
        return False

    until(scored, what="a score")


def test_a_plan_is_handed_to_the_server_that_holds_the_workspace(folder: Path) -> None:
    with Server(folder / "w") as server:
        done = pellux(folder, "run", "plan.yaml", "--workspace", "w", "--json")
        assert done.returncode == 0, done.stderr
        assert outcome(done)["trials"]["scored"] == 6
        assert server.get("/searches/1")["state"] == "finished"
        wrong = pellux(folder, "run", "plan.yaml", "--workspace", "w", "--set", "brief.target=nothing")
        assert (wrong.returncode, "no column 'nothing'" in wrong.stderr) == (2, True)
        against = ("--entrants", "random, even spread", "--trials", "3", "--repeats", "1", "--json")
        found = json.loads(pellux(folder, "faceoff", "plan.yaml", "--workspace", "w", *against).stdout)
        assert (found["state"], found["done"], found["problem_id"], found["search_id"]) == ("done", 2, 1, None)
        state = json.loads(pellux(folder, "doctor", "--workspace", "w", "--json").stdout)["workspace_state"]
        assert f"served by process {server.process.pid}" in state


def test_a_port_in_use_is_told(folder: Path) -> None:
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        done = pellux(folder, "serve", "--workspace", "w", "--port", str(port))
    assert done.returncode == 2
    assert f"Cannot listen on 127.0.0.1:{port}" in done.stderr
    assert "--port" in done.stderr


def test_doctor_and_help(folder: Path) -> None:
    done = pellux(folder, "doctor")
    assert done.returncode == 0
    assert "scikit-learn" in done.stdout
    assert "not made yet" in done.stdout
    for command in ("demo", "serve", "run", "check", "trials", "doctor"):
        assert command in pellux(folder, "--help").stdout


def test_a_broken_class_of_ones_own_is_told_with_its_traceback(folder: Path) -> None:
    (folder / "broken.py").write_text("import nothing_of_the_kind")
    done = pellux(folder, "check", "plan.yaml", "--set", "learner=broken.py:X", "--set", "space=")
    assert done.returncode == 2
    assert done.stderr.startswith("pellux: ")
    assert "No module named 'nothing_of_the_kind'" in done.stderr.splitlines()[0]
    assert 'broken.py", line 1' in done.stderr


@pytest.mark.parametrize(("name", "fits"), [("warm_arrivals", 205), ("energy_per_trip", 100)])
def test_the_example_plans_are_valid(name: str, fits: int) -> None:
    root = Path(__file__).parents[2]
    done = pellux(root, "check", f"examples/{name}.yaml", "--json")
    found = json.loads(done.stdout)
    assert found["fits"] == fits
    assert all(fit["state"] == "done" for fit in found["rehearsal"])
    assert found["metric"].startswith("late_charge" if name == "energy_per_trip" else "average precision")


def test_check_rehearses_and_forecasts(folder: Path) -> None:
    done = pellux(folder, "check", "plan.yaml")
    assert done.returncode == 0, done.stderr
    assert "Rehearsal, default configuration: " in done.stdout
    assert "Time: about " in done.stdout
    assert "Strategy: " in done.stdout
    quick = pellux(folder, "check", "plan.yaml", "--quick", "--set", "plan.strategy=random", "--json")
    found = json.loads(quick.stdout)
    assert (found["rehearsal"], found["seconds"], found["fits"], found["strategy"]) == ([], None, 30, "random")
    assert not (folder / "w").exists()


def test_overrides_are_kept_and_past_results_known(folder: Path) -> None:
    first = outcome(pellux(folder, "run", "plan.yaml", "--workspace", "w", "--json", "--set", "plan.trials=2"))
    assert first["trials"]["scored"] == 3
    (folder / "old.csv").write_text("max_depth,min_leaf,ap,who\n4,10,0.91,anna\n7,20,0.5,ben\n")
    arguments = [
        "past-results",
        "1",
        "old.csv",
        "--learner",
        "tree",
        "--score",
        "ap",
        "--map",
        "max_depth=depth",
        "--workspace",
        "w",
    ]
    wrong = pellux(folder, *arguments)
    assert (wrong.returncode, "Column 'who' is no setting" in wrong.stderr) == (2, True)
    done = pellux(folder, *arguments, "--map", "who=-")
    assert (done.returncode, done.stdout.strip()) == (0, "2 past results kept; the best scores 0.91")
    again = pellux(folder, "run", "plan.yaml", "--workspace", "w", "--json", "--set", "plan.warm start=all")
    assert outcome(again)["state"] == "finished"
    with sqlite3.connect(folder / "w" / "pellux.db") as database:
        kept = [json.loads(row) for (row,) in database.execute("SELECT overrides FROM search ORDER BY id")]
    assert kept == [["plan.trials=2"], ["plan.warm start=all"]]


def test_decide_signs_by_a_rule_and_exports_what_works_alone(folder: Path) -> None:
    search = outcome(pellux(folder, "run", "plan.yaml", "--workspace", "w", "--json"))
    # The smallest model within one standard error may be worse than the baseline: which trials there are hangs on who ended first.
    rule = ("--rule", "one standard error", "--cost", "model size", "--signer", "Ada", "--reason", "The smallest that is as good.")
    done = pellux(folder, "decide", str(search["search"]), "--workspace", "w", *rule, "--open-holdout", "--export", "out", "--json")
    assert (done.returncode, done.stderr) == (0, "")
    found = outcome(done)
    assert found["decision"]["rule"] == "one standard error"
    assert found["honest_score"]["low"] <= found["honest_score"]["high"]
    assert [look["nth"] for look in found["holdout"]] == [1]
    assert {"train.py", "model.onnx", "report.html", "record.json", "trials.parquet"} <= set(found["files"])
    check = forking.run([sys.executable, "train.py", "../mixed.csv", "--check"], 120, cwd=folder / "out")
    assert check.returncode == 0, check.stderr

    text = pellux(folder, "decide", f"problem:{search['problem']}", "--workspace", "w").stdout
    assert text.startswith("Decision 2: trial ")
    for wrong, words in (
        (("problem:9",), "no problem 9"),
        (("nine",), "neither a search's id"),
        ((str(search["search"]), "--open-holdout"), "opened before"),
        ((str(search["search"]), "--limit", "log loss <= 0"), "none of 6 trials keeps the limit"),
        ((str(search["search"]), "--limit", "fast"), "not a limit"),
        ((str(search["search"]), "--limit", "prediction seconds >= 0.1"), "smaller is better: a limit on it is written"),
        ((str(search["search"]), "--limit", "accuracy <= 0.9"), "'accuracy >= 0.9'"),
    ):
        refused = pellux(folder, "decide", *wrong, "--workspace", "w")
        assert (refused.returncode, refused.stderr.count("\n")) == (2, 1), refused.stderr
        assert words in refused.stderr


def test_ways_to_search_are_set_against_each_other(folder: Path) -> None:
    (folder / "plan.yaml").write_text(
        PLAN.replace("trials: 5, workers: 2", "trials: 12, strategy: even spread, limits: [model mb <= 100]")
    )
    run = pellux(folder, "run", "plan.yaml", "--workspace", "w")
    assert "Limits   model mb <= 100: 13 of 13 scored trials keep it" in run.stderr + run.stdout
    entrants = ("--entrants", "random, parzen density + fold race", "--workspace", "w", "--repeats", "2", "--trials", "4")
    done = pellux(folder, "faceoff", "problem:1", *entrants, "--replayed", "--json")
    assert done.returncode == 0, done.stderr
    found = json.loads(done.stdout)
    assert [(one["strategy"], one["early_stopping"]) for one in found["standings"]] == [
        ("Random", "none"),
        ("Parzen density", "fold race"),
    ]
    assert (found["state"], found["done"], found["mode"]) == ("done", 4, "replayed")
    told = pellux(folder, "faceoff", "1", *entrants)
    assert (told.returncode, "of 4 runs" in told.stderr) == (0, True)
    lines = told.stdout.splitlines()
    assert [line.split("  ")[0] for line in lines[:2]] == ["Random", "Parzen density + fold race"]
    # Of a plan that was never run, in a workspace that is not there yet: the same runs, and no search.
    planned = pellux(folder, "faceoff", "plan.yaml", *entrants[:2], "--workspace", "fresh", *entrants[4:], "--json")
    assert planned.returncode == 0, planned.stderr
    assert (view := json.loads(planned.stdout))["search_id"] is None
    fitted = json.loads(pellux(folder, "faceoff", "1", *entrants, "--json").stdout)
    assert [one["finals"] for one in view["standings"]] == [one["finals"] for one in fitted["standings"]]
    assert lines[-1], "what may be concluded"
    for wrong, words in (
        (("nine", *entrants), "neither a plan file, nor the id of a search, nor problem:ID"),
        (("none.yaml", *entrants), "none.yaml"),
        (("plan.yaml", *entrants, "--replayed"), "name one that has some"),
        (("1", *entrants, "--fits", "9"), "one budget"),
        (("1", "--entrants", "random", "--workspace", "w"), "at least 2 items"),
        (("1", "--entrants", "random, guessing", "--workspace", "w"), "'guessing' is unknown"),
        (("1", *entrants[:2], "--workspace", "nowhere"), "is not a workspace"),
    ):
        refused = pellux(folder, "faceoff", *wrong)
        assert (refused.returncode, refused.stderr.count("\n")) == (2, 1), refused.stderr
        assert words in refused.stderr
