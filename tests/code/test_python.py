"""The Python interface: in this process and over HTTP, tables, functions, programs, outside loops; its examples in docstrings."""

from __future__ import annotations

import doctest
import importlib
import json
import subprocess
import sys
import textwrap
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pytest

import pellux
from pellux.api.data import as_file
from pellux.core.errors import Conflict, InvalidData, InvalidOwnCode, InvalidPlan, InvalidSpace, NotFound, WorkspaceError
from tests.serving import Server

pytestmark = pytest.mark.slow


def parabola(settings: dict[str, Any], fit: pellux.Fit) -> float:
    return -((settings["x"] - 0.3) ** 2) - 0.01 * float(fit.fold)


def growing(settings: dict[str, Any], fit: pellux.Fit) -> Iterator[dict[str, float]]:
    """Yields an epoch at a time, and goes on from its folder."""
    state = fit.folder / "state.json"
    total = json.loads(state.read_text()) if fit.start else 0.0
    for _ in range(fit.start, fit.level):
        total += settings["x"]
        with (fit.folder.parent / "done.txt").open("a") as file:
            file.write("x")
        yield {"sum": total, "half": total / 2}
    state.write_text(json.dumps(total))


@pytest.fixture(scope="module")
def bench(tmp_path_factory: pytest.TempPathFactory) -> Iterator[pellux.Bench]:
    with pellux.open(tmp_path_factory.mktemp("bench") / "w", allow=[Path(__file__).parent / "functions"]) as found:
        yield found


def test_examples_in_docstrings_are_true(tmp_path: Path) -> None:
    for name in ("", ".bench", ".problem", ".search", ".decision", ".leased", ".transport", ".data"):
        found = doctest.testmod(
            importlib.import_module(f"pellux.api{name}"),
            extraglobs={"folder": tmp_path / "w"},
            optionflags=doctest.NORMALIZE_WHITESPACE,
        )
        assert found.failed == 0
        assert found.attempted > 5 or name


def test_a_function_by_value_is_searched_decided_and_taken_away(bench: pellux.Bench, tmp_path: Path) -> None:
    problem = bench.problem(parabola, judged_by="closeness", folds=2)
    assert bench.problem(parabola, judged_by="closeness", folds=2).id == problem.id, "the same again"
    search = problem.search("x: -1 .. 1", trials=8, workers=2, seed=3).wait(60)
    assert (search.state, search.trials().num_rows) == ("finished", 9)
    best = search.best
    assert best.score == pytest.approx(parabola(best.settings, type("Fit", (), {"fold": 0})()) - 0.005)
    assert search.top(3)[0] == best
    assert "<table>" in search._repr_html_()
    assert problem.name in problem._repr_html_()
    decision = problem.decide(signer="Ann")
    assert decision.settings == best.settings
    assert decision.score == best.score
    written = {path.name for path in decision.save(tmp_path / "out")}
    assert {"settings.json", "report.html", "record.json", "trials.parquet"} <= written
    assert json.loads((tmp_path / "out" / "settings.json").read_text()) == best.settings
    assert problem.decisions[0].id == decision.id
    assert "x" in (tmp_path / "out" / "report.html").read_text()


def test_what_trials_say_and_whether_a_strategy_is_worth_it(bench: pellux.Bench) -> None:
    problem = bench.problem(parabola, judged_by="closeness", folds=2, name="Said of in Python")
    search = problem.search(
        "x: -1 .. 1\nidle: 0 .. 1", trials=30, workers=2, seed=3, strategy="even spread", limits=["fit seconds <= 60"]
    ).wait(90)
    assert search.best.score == search.top(1)[0].score
    sentences = search.findings()
    assert any("idle" in sentence for sentence in sentences), sentences
    found = search.face_off("random", "gaussian process", trials=8, repeats=6, replayed=True, seconds=120)
    assert (found["state"], found["done"], found["mode"]) == ("done", 12, "replayed")
    by_name = {one["strategy"]: one["mean"] for one in found["standings"]}
    assert by_name["Gaussian process"] > by_name["Random"]
    with pytest.raises(InvalidPlan):
        search.face_off("random")
    with pytest.raises(Conflict, match="No scored trial keeps fit seconds <= 1e-09 yet"):
        _ = problem.search("x: -1 .. 1", trials=2, limits=["fit seconds <= 1e-9"]).wait(60).best


def test_a_generator_goes_on_and_is_ended_early(bench: pellux.Bench) -> None:
    grows = {"what": "epochs", "most": 9, "goes on": True}
    problem = bench.problem(growing, judged_by="sum", recorded=["half"], grows=grows)
    plan = {"early_stopping": "asynchronous halving", "stopping": {"least": 1}, "strategy": "random"}
    search = problem.search("x: 0 .. 1", trials=9, workers=1, **plan).wait(60)
    view = search.view
    assert view["trials"]["ended_early"] > 0
    assert search.best.score == pytest.approx(9 * search.best.settings["x"])
    assert view["stopping"]["levels"] == [1, 3, 9]
    detail = bench.call("GET", f"/trials/{search.best.id}")
    assert detail["fits"][-1]["recorded"] == {"half": pytest.approx(search.best.score / 2)}


def test_a_function_of_a_file_and_a_program_run_from_an_allowed_folder(bench: pellux.Bench) -> None:
    problem = bench.problem("trains.py:train", judged_by="score")
    assert problem.search("x: -1 .. 1", trials=3, workers=1).wait(60).best.settings.keys() == {"x"}
    program = bench.problem(runs=[sys.executable, "program.py", "{x}"], judged_by="score")
    assert program.view["code"]["label"] == "program.py"
    assert program.search("x: -1 .. 1", trials=3, workers=1).wait(60).view["trials"]["scored"] == 4


@pytest.mark.parametrize(
    ("make", "error", "words"),
    [
        (lambda b: b.problem("trains.py:missing", judged_by="s").search("x: 0 .. 1", trials=1).wait(60).best, Conflict, "No trial is scored"),
        (lambda b: b.problem("gone.py:train", judged_by="s"), InvalidOwnCode, "of a file in"),
        (lambda b: b.problem("../test_python.py:growing", judged_by="s"), InvalidOwnCode, "of a file in"),
        (lambda b: b.problem(parabola), InvalidPlan, "judged by a score"),
        (lambda b: b.problem(judged_by="s"), InvalidPlan, "has one of"),
        (lambda b: b.problem(runs="python -c 1", judged_by="s"), InvalidOwnCode, "is given -c"),
        (lambda b: b.problem(lambda s, f: 1 if bench else 0, judged_by="s", folds=0), InvalidPlan, "greater than or equal to 1"),
        (lambda b: b.problem(data=[1, 2, 3], target="x"), InvalidData, "an array of rows and columns"),
        (lambda b: b.problem(99), NotFound, "no problem 99"),
        (lambda b: b.problem(parabola, judged_by="s").search("x: 1 .. -1"), InvalidSpace, "below the upper end"),
        (lambda b: b.problem(parabola, judged_by="s").search("x: 0 .. 1", early_stoping="none"), InvalidPlan, "Did you mean"),
        (lambda b: b.problem(parabola, judged_by="s").search("fold: 0 .. 1"), InvalidSpace, "means something else"),
        (lambda b: b.problem(outside=True, judged_by="s").decide(), InvalidPlan, "nothing is scored"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_refused_as_the_error_that_it_is(
    bench: pellux.Bench, make: Any, error: type[Exception], words: str
) -> None:
    with pytest.raises(error, match=words):
        make(bench)


def test_what_a_function_does_wrong_is_told(bench: pellux.Bench) -> None:
    for function, words in (
        (lambda settings, fit: {"other": 1.0}, "gave other, but no score"),
        (lambda settings, fit: "high", "which is no score"),
        (lambda settings, fit: float("nan"), "Its score is nan"),
        (lambda settings, fit: 1 / 0, "ZeroDivisionError"),
        (lambda settings, fit: None, "before it gave a score"),
    ):
        search = bench.problem(function, judged_by="score").search("x: 0 .. 1", trials=1, workers=1).wait(60)
        assert search.state == "failed"
        assert words in search.reason


def test_tables_of_every_kind_become_problems(bench: pellux.Bench) -> None:
    rows = np.random.default_rng(0).normal(size=(120, 2))
    target = rows[:, 0] * 2 + rows[:, 1]
    as_array = bench.problem(data=rows, target=target, metric="RMSE", folds=3, holdout=0, name="array")
    search = as_array.search("alpha: 0.01 .. 10 log", learner="ridge", trials=3, workers=1).wait(60)
    assert search.best.score < 0.2
    table = pa.table({"x0": rows[:, 0], "x1": rows[:, 1], "target": target})
    assert bench.problem(data=table, target="target", metric="RMSE", folds=3, holdout=0).id == as_array.id
    columns = {"a": rows[:, 0], "word": ["yes", "no"] * 60, "y": target}
    assert bench.problem(data=columns, target="y").view["rows"] == 120
    with pytest.raises(InvalidData, match="3 values for 120 rows"):
        as_file(rows, [1, 2, 3])


def test_a_server_is_reached_and_its_outside_loops_run_here(tmp_path: Path) -> None:
    with Server(tmp_path / "w") as server, pellux.open(server.url) as far:
        problem = far.problem(outside=True, judged_by="closeness", folds=2, name="far away")
        search = problem.search("x: -1 .. 1", trials=4, strategy="random")
        for fit in search.fits(holder="this test"):
            assert fit.folds == 2
            if fit.trial == 2:
                continue  # passed over: no answer
            fit.done(parabola(fit.settings, fit))  # type: ignore[arg-type]
        assert search.state == "finished"
        assert search.view["trials"]["failed"] == 1
        with pytest.raises(InvalidPlan, match="never sent over HTTP"):
            far.problem(parabola, judged_by="x")
        assert pellux.open(tmp_path / "w").problems[0].name == "far away", "whoever holds the workspace is asked"
    with pytest.raises(WorkspaceError, match="does not answer"):
        far.call("GET", "/problems")


def test_a_script_without_a_guard_runs_once_and_ctrl_c_pauses(tmp_path: Path) -> None:
    script = tmp_path / "script.py"
    script.write_text(
        textwrap.dedent("""
        import os, signal, threading, time, pellux
        signal.signal(signal.SIGINT, signal.default_int_handler)  # a job in the background of a shell ignores it
        print("begun")
        def train(settings, fit):
            time.sleep(0.05)
            return settings["x"]
        bench = pellux.open("w")
        search = bench.problem(train, judged_by="score").search("x: 0 .. 1", trials=200, workers=1, strategy="random")
        threading.Timer(1.5, os.kill, (os.getpid(), signal.SIGINT)).start()
        search.follow()
        print(search.state)
        search.resume()
        search.stop()
        print(search.wait(20).state)
        bench.close()
        """)
    )
    done = subprocess.run([sys.executable, script], cwd=tmp_path, capture_output=True, text=True, timeout=90)
    assert (done.stdout.split(), done.returncode) == (["begun", "paused", "stopped"], 0), done.stderr
    assert "resume() goes on with it" in done.stderr
