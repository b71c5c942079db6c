"""The exported script is the same program whatever columns, classes, files and people are called."""

from __future__ import annotations

import ast
import csv
import hashlib
import json
import sys
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pellux.core.judging import fingerprint
from pellux.objectives.tabular.export.training_script import Origin, training_script
from pellux.objectives.tabular.whole_fit import Ground, score, unfitted
from pellux.service.decisions.grounds import ground_of
from pellux.service.planning.requests import BriefRequest
from pellux.service.problems.datasets import import_file
from pellux.service.problems.problems import create_problem
from pellux.service.workspace import Workspace
from tests import forking

HARMLESS = ("width", "height", "kind", "label")
FRAGMENTS = (
    '"""', "'''", '"', "'", "\\", "\\N{DASH}", "\n", "\r", "{", "}", "%s", "#", "]", ")", "<<OWN>>", "<<PIPELINE>>", "<<TITLE>>",
    "__import__('os').system('touch stolen')", "\nimport os; os.system('touch stolen')\n", "coding: utf-7", "\u2028", "\u202e", "é", "🎯",
)  # fmt: skip
hostile = st.lists(st.sampled_from(FRAGMENTS) | st.text(max_size=3), min_size=1, max_size=4).map("".join)


def script_of(
    workspace: Workspace, folder: Path, names: tuple[str, ...], classes: tuple[str, str], origin: Origin, metric: str = "ROC AUC"
) -> tuple[str, Ground, Path]:
    """The script of a problem whose four columns are called so, its ground, and its data file."""
    path = folder / f"{hashlib.sha256(repr((names, classes)).encode()).hexdigest()[:12]}.csv"
    with path.open("w", newline="", encoding="utf-8") as file:
        writer = csv.writer(file)
        writer.writerow(names)
        for row in range(40):
            label = classes[row % 3 == 0]
            writer.writerow([row * 7 % 11 + 0.5, row % 5 + 0.25, classes[row % 2], label])
    table = import_file(workspace, path)
    target = table.columns[-1].name
    problem_id = create_problem(workspace, BriefRequest(data=table.hash, target=target, metric=metric, folds=3, seed=1))
    ground = ground_of(workspace, problem_id)
    scores = []
    for fold in range(3):
        model = unfitted("logistic", {}, ground, ground.folds.train(fold)).fit(
            *(part[ground.folds.train(fold)] for part in (ground.matrix, ground.target))
        )
        scores.append(score(model, ground, ground.folds.test(fold))[0])
    whole = Origin(origin.title, origin.made, scores, fingerprint(ground.folds.kept), origin.versions)
    return training_script(ground, "logistic", {}, whole), ground, path


def shape(script: str) -> str:
    """The syntax tree without what text it holds."""
    tree = ast.parse(script)
    for node in ast.walk(tree):
        if isinstance(node, ast.Constant) and isinstance(node.value, (str, float)):
            node.value = type(node.value)()
    return ast.dump(tree)


@pytest.fixture(scope="module")
def harmless(tmp_path_factory: pytest.TempPathFactory) -> str:
    folder = tmp_path_factory.mktemp("harmless")
    workspace = Workspace(folder / "workspace")
    script, _, _ = script_of(workspace, folder, HARMLESS, ("a", "b"), Origin("A title", "By hand", (), "", {}))
    workspace.close()
    return script


@pytest.mark.slow
@settings(max_examples=15)
@given(
    names=st.tuples(*(hostile.map(lambda text, end=end: text + end) for end in "abcd")),
    classes=st.tuples(*(hostile.map(lambda text, end=end: text + end) for end in "xy")),
    title=hostile,
    made=hostile,
)
def test_text_from_outside_never_becomes_code(
    tmp_path_factory: pytest.TempPathFactory, harmless: str, names: tuple[str, ...], classes: tuple[str, str], title: str, made: str
) -> None:
    folder = tmp_path_factory.mktemp("script")
    workspace = Workspace(folder / "workspace")
    try:
        try:
            script, ground, _ = script_of(workspace, folder, names, classes, Origin(title, made, (), "", {}))
        except Exception as refusal:  # what the import does not take has no script
            assert hasattr(refusal, "message"), refusal
            return
        if ground.brief.task == "binary" and len(ground.labels) == 1 and len(ground.numbers) == 2:
            assert shape(script) == shape(harmless)
        space: dict[str, Any] = {"__name__": "script"}
        exec(compile(script, "train.py", "exec"), space)
        assert (space["TITLE"], space["MADE"]) == (title, made)
        assert space["CLASSES"] == list(ground.brief.classes)
        assert [*space["NUMBERS"], *space["CATEGORIES"]] == ground.columns
        assert repr(space["pipeline"]()) == repr(unfitted("logistic", {}, ground, ground.known))
    finally:
        workspace.close()


@pytest.mark.slow
def test_a_script_with_hostile_names_runs_and_checks_its_scores(workspace: Workspace, tmp_path: Path) -> None:
    names = (
        "<<OWN>>import os; os.system('touch stolen')#", '"""\nimport os; os.system("touch stolen")\n"""',
        "'\\", "<<PIPELINE>>%(x)s{}",
    )  # fmt: skip
    classes = ('yes""")', "no\\'\n__import__('os').system('touch stolen')")
    origin = Origin('"""%s<<CONSTANTS>>', "signed \\", (), "", {"numpy": '"\n'})
    script, _, path = script_of(workspace, tmp_path, names, classes, origin)
    (tmp_path / "train.py").write_text(script, "utf-8")
    run = [sys.executable, "-I", "train.py", path.name]
    done = forking.run([*run, "--check"], 120, cwd=tmp_path)
    assert done.returncode == 0, done.stderr + done.stdout
    assert json.loads(done.stdout)["difference"] == 0.0
    assert forking.run([*run, "--help"], 120, cwd=tmp_path).returncode == 0
    assert not (tmp_path / "stolen").exists()
