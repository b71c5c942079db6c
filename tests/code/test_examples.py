"""The examples of own code do what they say: shell, Node where it is there, a function, a notebook; and the two commands around plans."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
from contextlib import closing
from pathlib import Path
from typing import Any

import nbformat
import pytest
from nbclient import NotebookClient

from pellux.core.errors import PelluxError
from pellux.service.decisions.candidates import FinalistsQuery
from pellux.service.decisions.decisions import DecisionRequest, decide
from pellux.service.decisions.finalists import finalists
from pellux.service.decisions.takeaway import write_all
from pellux.service.engine.engine import Engine
from pellux.service.planning.plan_files import own_folders, read_plan
from pellux.service.problems.problems import list_problems
from pellux.service.searches.plans import begin, check_code, keep_code
from pellux.service.searches.searches import summary
from pellux.service.workspace import Workspace
from tests.forking import run

pytestmark = pytest.mark.slow
EXAMPLES = Path(__file__).parents[2] / "examples" / "own_code"


def pellux(*arguments: str | Path, cwd: Path | None = None, status: int = 0) -> subprocess.CompletedProcess[str]:
    done = run([sys.executable, "-m", "pellux", *arguments], timeout=120, cwd=cwd)
    assert done.returncode == status, done.stdout + done.stderr
    return done


@pytest.mark.parametrize("name", ["cooling", "packing"])
def test_an_example_beats_its_start(tmp_path: Path, name: str) -> None:
    if name == "packing" and shutil.which("node") is None:
        pytest.skip("Node is not here")
    plan = read_plan(EXAMPLES / f"{name}.yaml", ["plan.trials=8"])
    workspace = Workspace(tmp_path / "w", allowed=[EXAMPLES])
    with closing(workspace), closing(Engine(workspace)) as engine:
        search = begin(engine, plan)
        assert engine.join(search, 60)
        found = summary(engine, search)
    assert (found["state"], found["trials"]["failed"]) == ("finished", 0)
    better = (
        found["best"]["score"] <= found["baseline"]["score"]
        if name == "cooling"
        else found["best"]["score"] >= found["baseline"]["score"]
    )
    assert better


def test_the_notebook_runs_from_top_to_bottom(tmp_path: Path) -> None:
    notebook = nbformat.read(EXAMPLES / "door_seals.ipynb", as_version=4)
    NotebookClient(notebook, timeout=120, resources={"metadata": {"path": str(tmp_path)}}).execute()
    told = [output for cell in notebook.cells if cell.cell_type == "code" for output in cell.outputs]
    assert "finished" in "".join(output.get("text", "") for output in told)
    assert any("text/html" in output.get("data", {}) for output in told), "a search shows itself"
    assert (tmp_path / "door-seals" / "report.html").exists()


def test_check_marks_what_it_read_and_run_goes_on_from_checkpoints(tmp_path: Path) -> None:
    plan = EXAMPLES / "route_planner.yaml"
    told = pellux("check", plan).stdout
    assert '0.42477 │ {"in_time": 0.424769' in told
    assert "Read by a line of JSON: 0.424769, 1 point" in told
    assert "left keep/route.png" in told
    read = read_plan(plan, ["plan.trials=3", "brief.grows.most=3"])
    workspace = Workspace(tmp_path / "w", allowed=own_folders(plan, read))
    with closing(workspace), closing(Engine(workspace)) as engine:
        search = begin(engine, read)
        assert engine.join(search, 90)
        found = summary(engine, search)
        assert found["best"]["score"] >= found["baseline"]["score"]
        best = finalists(workspace, 1, FinalistsQuery()).finalists[0].trial
        made = decide(engine, 1, DecisionRequest(trial_id=best.id))
        engine.analyst.finish(60)
        assert "kept.zip" in write_all(workspace, made, tmp_path / "out")
    command = (tmp_path / "out" / "command.txt").read_text()
    assert "--fold all" in command
    ran = subprocess.run(
        ["sh", "-c", command.replace("--out out", f"--out {tmp_path / 'again'}")], capture_output=True, text=True, env=with_ours()
    )
    assert ran.returncode == 0, ran.stderr
    assert (tmp_path / "again" / "keep" / "route.png").read_bytes()[:4] == b"\x89PNG"


def with_ours() -> dict[str, str]:
    return {**os.environ, "PATH": f"{Path(sys.executable).parent}{os.pathsep}{os.environ['PATH']}"}


def test_init_writes_a_plan_that_runs(tmp_path: Path) -> None:
    (tmp_path / "train.py").write_text(
        "import argparse\n"
        "p = argparse.ArgumentParser()\n"
        "p.add_argument('--rate', type=float, default=0.1, help='step size (default: 0.1)')\n"
        "p.add_argument('--epochs', type=int, default=4, help='passes (default: 4)')\n"
        "a = p.parse_args()\n"
        "for e in range(a.epochs): print(f'epoch {e + 1}: loss={abs(a.rate - 0.3) + 1 / (e + 1):.4f}')\n"
    )
    told = pellux("init", "--", sys.executable, "train.py", cwd=tmp_path).stdout
    assert "1 settings in its --help: rate" in told
    written = (tmp_path / "plan.yaml").read_text()
    assert 'score: "loss", larger is better: no' in written
    assert "grows: {what: epochs, most: 4}" in written
    assert "plan.yaml is there already" in pellux("init", "--", sys.executable, "train.py", cwd=tmp_path, status=2).stderr
    workspace = Workspace(tmp_path / "w", allowed=[tmp_path])
    with closing(workspace), closing(Engine(workspace)) as engine:
        search = begin(engine, read_plan(tmp_path / "plan.yaml", ["plan.trials=4"]))
        assert engine.join(search, 60)
        assert summary(engine, search)["best"]["score"] < 0.5


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"brief": {"runs": ["python", "gone.py"]}}, "is given gone.py, which is no file of"),
        ({"brief": {"runs": ["bash", "-c", "ls"]}}, "is given -c"),
        ({"brief": {"runs": ["python", "t.py", "{speed}"]}}, "has no setting 'speed'"),
        ({"brief": {"runs": "python 't.py"}}, "cannot be split into arguments"),
        ({"brief": {"judged by": {"score": "s", "pick out": "s=.*"}}}, "no group"),
        ({"brief": {"judged by": {"score": "s", "larger is": "no"}}}, "Did you mean 'larger is better'"),
        ({"brief": {"grows": {"what": "x", "most": 5}}}, "it is what grows"),
        ({"brief": {"function": "t.py:train"}}, "has one of: runs"),
        ({"brief": {"holds": {"devices": 1}}}, "none is known here"),
        ({"brief": {"outside": True, "runs": None}}, "takes its fits from a server"),
        ({"brief": {"target": "y"}}, "unknown key 'brief.target'"),
        ({"space": "fold: 0 .. 1"}, "cannot be called 'fold'"),
        ({"space": "x: 0 .. 1\ny: 0 .. 1"}, "y stands nowhere in the command"),
        ({"space": None}, "is yours to write"),
        ({"learner": "boosting"}, "is your own code, not a learner"),
        ({"plan": {"early stopping": "asynchronous halving"}}, "one fold and is not trained in steps"),
        (
            {"plan": {"early stopping": "asynchronous halving", "stopping": {"resource": "rows"}}, "brief": {"folds": 3}},
            "has no rows",
        ),
        ({"plan": {"strategy": "population training"}}, "no setting that may change while it is trained"),
    ],
)
def test_a_plan_that_cannot_be_is_one_clear_line(tmp_path: Path, change: dict[str, Any], words: str) -> None:
    (tmp_path / "t.py").write_text("import sys\nprint(sys.argv[1])\n")
    plan: dict[str, Any] = {
        "pellux": 1, "brief": {"runs": ["python", "t.py", "{x}"], "judged by": {"score": "s"}}, "space": "x: 0 .. 1", "plan": {"trials": 3}
    }  # fmt: skip
    for key, value in change.items():
        plan[key] = {**plan[key], **value} if isinstance(value, dict) else value
    plan["brief"] = {key: value for key, value in plan["brief"].items() if value is not None}
    (tmp_path / "plan.yaml").write_text(json.dumps(plan))
    workspace = Workspace(tmp_path / "w", allowed=[tmp_path])
    with closing(workspace), pytest.raises(PelluxError) as refused:
        read = read_plan(tmp_path / "plan.yaml")
        keep_code(workspace, read)
        check_code(workspace, read, looked=False)
    assert words in refused.value.message
    assert problems_of(workspace) == []


def problems_of(workspace: Workspace) -> list[Any]:
    reopened = Workspace(workspace.folder)
    with closing(reopened):
        return list_problems(reopened)
