"""A workspace from elsewhere: it opens, and nothing that stands in it runs before a person says so."""

from __future__ import annotations

import pickle
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from click.testing import CliRunner

from pellux.cli.trust import command
from pellux.engine.artifacts import FileArtifacts
from pellux.objectives import sealed
from pellux.objectives.tabular import checkpoints
from pellux.objectives.tabular.growing import Progress
from pellux.service.engine.engine import Engine
from pellux.service.planning import launching
from pellux.service.planning.code_requests import CodeBriefRequest
from pellux.service.planning.requests import SearchRequest, SettingsRequest
from pellux.service.problems.code_problems import create_code_problem
from pellux.service.problems.own_code import OwnCodeRequest, bring
from pellux.service.searches.searches import search_view
from pellux.service.trust import untrusted
from pellux.service.trusting import NotTrusted
from pellux.service.workspace import Workspace
from pellux.store import models, runs
from pellux.web.app import create_app
from tests.service.test_searches import launch, problem

TOUCHES = """
from pathlib import Path
from sklearn.tree import DecisionTreeClassifier

class Touches(DecisionTreeClassifier):
    def __init__(self, max_depth=3, random_state=0):
        super().__init__(max_depth=max_depth, random_state=random_state)

    def fit(self, rows, target):
        Path({mark!r}).touch()
        return super().fit(rows, target)
"""
PROGRAM = "import sys, pathlib\npathlib.Path({mark!r}).touch()\nprint('{{\"score\": 0.5}}')\n"


@pytest.fixture
def someone_else(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Callable[[], None]]:
    """Become another user: one with another key."""

    def become() -> None:
        monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "elsewhere"))
        sealed._key.cache_clear()

    yield become
    monkeypatch.undo()
    sealed._key.cache_clear()


@pytest.fixture
def bench(tmp_path: Path) -> Iterator[Workspace]:
    mark = str(tmp_path / "ran")
    (tmp_path / "touches.py").write_text(TOUCHES.format(mark=mark))
    (tmp_path / "program.py").write_text(PROGRAM.format(mark=mark))
    workspace = Workspace(tmp_path / "w", allowed=[tmp_path])
    yield workspace
    workspace.close()


def test_a_learner_from_elsewhere_waits_for_a_word(bench: Workspace, tmp_path: Path, someone_else: Callable[[], None]) -> None:
    own = bring(bench, OwnCodeRequest(kind="learner", where="touches.py:Touches"))
    engine = Engine(bench)
    problem_id = problem(engine, tmp_path)
    search = launch(engine, problem_id, key=own.key, space="max_depth: 1 .. 4 int", trials=2, workers=1)
    assert engine.join(search, 60)
    (tmp_path / "ran").unlink()

    someone_else()
    app = create_app(engine).test_client()
    home = {"Host": "127.0.0.1"}
    assert app.get("/api/v1/workspace", headers=home).get_json()["not_trusted"] == [own.key]
    with pytest.raises(NotTrusted, match=rf"not brought here by you \({own.key}\).*pellux trust"):
        launch(engine, problem_id, key=own.key, space="max_depth: 1 .. 4 int", trials=2, workers=1)
    tree = launch(engine, problem_id, trials=1, workers=1)
    assert engine.join(tree, 60)
    with bench.database.write() as session:  # as if it had been running when the workspace was sent here
        runs.put_search(session, search, state="running")
    engine.close()
    again = Engine(bench)
    again.take_up()
    assert "does not run yet" in search_view(again, search).reason
    again.analyst.finish(60)
    assert not (tmp_path / "ran").exists()

    client = create_app(again).test_client()
    assert client.post("/api/v1/workspace/trust", headers=home).get_json() == {"allowed": [own.key]}
    search = launch(again, problem_id, key=own.key, space="max_depth: 1 .. 4 int", trials=2, workers=1)
    assert again.join(search, 60)
    assert (tmp_path / "ran").exists()
    (bench.own_folder / f"{own.key}.py").write_text("print('another')")
    assert list(untrusted(bench)) == [own.key], "what changed since is not what was allowed"
    again.close()


def test_a_command_that_was_put_into_a_workspace_does_not_run(bench: Workspace, tmp_path: Path) -> None:
    brief = CodeBriefRequest.model_validate({"runs": ["python", "program.py", "{x}"], "judged by": {"score": "score"}})
    problem_id = create_code_problem(bench, brief, "x: 0 .. 1")
    engine = Engine(bench)
    wanted = SearchRequest(space="x: 0 .. 1", plan=SettingsRequest(trials=1, workers=1))
    with bench.database.write() as session:
        row = session.get(models.Problem, problem_id)
        assert row is not None
        row.brief = {**row.brief, "runs": ["python", "other.py", "{x}"]}
    with pytest.raises(NotTrusted, match="the code of 'score of"):
        launching.launch(engine, problem_id, wanted)
    assert not (tmp_path / "ran").exists()
    engine.close()
    said = CliRunner().invoke(command, ["--workspace", str(bench.folder)])
    assert (said.exit_code, said.output) == (0, "May run: the code of 'score of program.py'\n")
    assert "might not run already" in CliRunner().invoke(command, ["--workspace", str(bench.folder)]).output
    assert CliRunner().invoke(command, ["--workspace", str(tmp_path / "nowhere")]).exit_code == 2
    assert not untrusted(bench)
    (tmp_path / "other.py").write_text((tmp_path / "program.py").read_text())
    again = Engine(bench)
    search = launching.launch(again, problem_id, wanted)
    assert again.join(search, 60)
    assert (tmp_path / "ran").exists()
    again.close()


class Bomb:
    def __reduce__(self) -> Any:
        return (Path.touch, (Path(BOMB[0]),))


BOMB: list[str] = []


def test_checkpoints_of_others_are_not_read(tmp_path: Path, someone_else: Callable[[], None]) -> None:
    BOMB[:] = [str(tmp_path / "ran")]
    kept = FileArtifacts(tmp_path / "c", tmp_path / "f")
    checkpoints.write(kept, 1, 0, Progress(3, "model"))
    checkpoints.write_left(kept, 1, 1, Progress(3, Bomb()))
    kept.put(2, 0, "checkpoint", sealed.seal(pickle.dumps(Bomb()), "something else"))
    assert checkpoints.read(kept, 1, 0)[0] is not None
    found, complaint = checkpoints.read(kept, 2, 0)
    assert (found, "written elsewhere" in complaint) == (None, True)
    someone_else()
    assert checkpoints.read(kept, 1, 0)[0] is None
    assert checkpoints.read_left(kept, 1, 1, 3) is None
    assert not (tmp_path / "ran").exists()


def test_a_key_that_cannot_be_kept_lasts_as_long_as_the_server(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "file").touch()
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "file"))
    monkeypatch.delenv(sealed.VARIABLE, raising=False)
    sealed._key.cache_clear()
    try:
        made = sealed.seal(b"content", "test")
        sealed._key.cache_clear()  # a worker, which gets the server's environment
        assert sealed.opened(made, "test") == b"content"
        assert sealed.opened(made[:-1] + b"x", "test") is None
    finally:
        monkeypatch.undo()
        sealed._key.cache_clear()
