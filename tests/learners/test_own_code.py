"""People's own classes and functions: looked at in a process of its own, refused with a reason, run like all others."""

from __future__ import annotations

import hashlib
import importlib.util
import io
import os
import py_compile
import subprocess
import sys
import time
import zipfile
from pathlib import Path

import joblib
import numpy as np
import pytest
from sklearn.metrics import roc_auc_score

from pellux.core.errors import InvalidBrief, InvalidOwnCode
from pellux.objectives.tabular.export.training_script import Origin, training_script
from pellux.objectives.tabular.fitting import fit_fold
from pellux.objectives.tabular.fold_data import FoldData
from pellux.objectives.tabular.learners.catalogue import OURS
from pellux.objectives.tabular.preparation import steps_of
from pellux.objectives.tabular.whole_fit import Ground, fitted
from pellux.service.decisions.candidates import FinalistsQuery
from pellux.service.decisions.decisions import DecisionRequest, decide
from pellux.service.decisions.finalists import finalists
from pellux.service.decisions.grounds import ground_of
from pellux.service.decisions.takeaway import content, write_all
from pellux.service.engine.engine import Engine
from pellux.service.planning.launching import launch
from pellux.service.planning.requests import BriefRequest, SearchRequest, SettingsRequest
from pellux.service.problems import own_code
from pellux.service.problems.own_code import OwnCodeRequest, bring, list_own
from pellux.service.problems.problems import create_problem
from pellux.service.trust import untrusted
from pellux.service.workspace import Workspace
from tests import forking
from tests.making import imported

GOOD = '''
"""Guesses by the nearest class centre."""
import numpy as np
from helper import distance
print("imported")

class Centres:
    """Guesses the class whose centre is nearest.

    Parameters
    ----------
    sharpness : float
        How fast the chance falls off with the distance.
    """

    def __init__(self, sharpness=2.0, power=2, centred=True, scale="none", random_state=0, extra=None):
        self.sharpness, self.power, self.centred, self.scale = sharpness, power, centred, scale
        self.random_state = random_state

    def fit(self, rows, target):
        print("fitting")
        self.classes_ = np.unique(target)
        self.centres_ = np.stack([rows[target == c].mean(axis=0) for c in self.classes_])
        return self

    def predict_proba(self, rows):
        weight = np.exp(-self.sharpness * distance(rows, self.centres_, self.power))
        return weight / weight.sum(axis=1, keepdims=True)

    def predict(self, rows):
        return self.classes_[self.predict_proba(rows).argmax(axis=1)]
'''
HELPER = """
import numpy as np

def distance(rows, centres, power):
    return (np.abs(rows[:, None] - centres[None]) ** power).mean(axis=2)
"""
STARTS = """
import subprocess
from pathlib import Path

left = subprocess.Popen(["sleep", "600"], start_new_session=True)
Path({pid!r}).write_text(str(left.pid))
"""
COSTS = """
import numpy as np

def late_cost(truth, predicted, weight=None):
    '''Euros lost: a miss costs ten, a false alarm one.'''
    return float(np.average(10 * (truth > predicted) + (truth < predicted), weights=weight))
"""


@pytest.fixture
def yard(tmp_path: Path) -> Path:
    folder = tmp_path / "yard"
    folder.mkdir()
    (folder / "centres.py").write_text(GOOD)
    (folder / "helper.py").write_text(HELPER)
    (folder / "costs.py").write_text(COSTS)
    return folder


@pytest.fixture
def bench(tmp_path: Path, yard: Path):  # type: ignore[no-untyped-def]
    workspace = Workspace(tmp_path / "workspace", allowed=[yard])
    yield workspace
    workspace.close()


def test_a_class_of_ones_own_is_read_searched_and_taken_away(bench: Workspace, tmp_path: Path) -> None:
    own = bring(bench, OwnCodeRequest(kind="learner", where="centres.py:Centres"))
    assert own.tasks == ["binary", "multiclass"]
    assert own.settings == ["sharpness", "power", "centred", "scale"]
    found = bench.catalogue.learner(own.key, "binary")
    by_name = {s.name: s for s in found.settings}
    assert by_name["sharpness"].sentence == "How fast the chance falls off with the distance."
    assert (by_name["sharpness"].domain, by_name["power"].domain) == ("0.2 .. 20 log", "1 .. 8 int log")
    assert by_name["scale_"].default == "none"  # `scale` is a step of the preparation
    assert found.weights is False
    table = imported(bench, tmp_path)
    brief = BriefRequest(data=table.hash, target="label", metric="ROC AUC", ignore=["amount"], seed=4)
    ground = ground_of(bench, create_problem(bench, brief))
    data = FoldData(ground.table, ground.brief, ground.folds.kept)
    score = fit_fold(data.prepared(0, steps_of(found, {})), found, {"sharpness": 1.0}, ground.brief, lambda: 0.0).score
    model, test = fitted(own.key, {"sharpness": 1.0}, ground, ground.folds.train(0)), ground.folds.test(0)
    assert score == pytest.approx(roc_auc_score(ground.target[test], model.predict_proba(ground.matrix[test])[:, 1]))
    joblib.dump(model, tmp_path / "model.joblib")
    assert type(model.named_steps["learn"].model_).__module__ == "centres"  # under the file's own name
    again_loaded = joblib.load(tmp_path / "model.joblib")
    assert np.array_equal(again_loaded.predict_proba(ground.matrix), model.predict_proba(ground.matrix))
    again = bring(bench, OwnCodeRequest(kind="learner", where="centres.py:Centres"))
    assert again.key == own.key
    assert [o.key for o in list_own(bench)] == [own.key]


def test_what_is_taken_away_has_its_files_and_loads_beside_them(bench: Workspace, yard: Path, tmp_path: Path) -> None:
    own = bring(bench, OwnCodeRequest(kind="learner", where="centres.py:Centres"))
    table = imported(bench, tmp_path)
    problem = create_problem(bench, BriefRequest(data=table.hash, target="label", metric="ROC AUC", ignore=["amount"], seed=4))
    engine = Engine(bench)
    try:
        search = launch(
            engine, problem, SearchRequest(learner=own.key, space="sharpness: 0.5 .. 2", plan=SettingsRequest(trials=2))
        )
        assert engine.join(search, 90)
        best = finalists(bench, problem, FinalistsQuery()).finalists[0].trial
        made = decide(engine, problem, DecisionRequest(trial_id=best.id, reason="the one there is"))
        engine.analyst.finish(180)
        names = write_all(bench, made, tmp_path / "out")
        why = (tmp_path / "out" / "MISSING.txt").read_text()
        assert {"centres.py", "helper.py", "model.joblib", "train.py"} <= set(names), why
        assert zipfile.ZipFile(io.BytesIO(content(bench, made, "own.zip")[0])).namelist() == [
            "centres.py",
            "helper.py",
            "outsider.py",
        ]
    finally:
        engine.close()
    for path in yard.glob("*.py"):  # nobody needs them any more
        path.unlink()
    loads = "import sys, joblib; sys.path.insert(0, '.'); model = joblib.load('model.joblib'); "
    loads += "print(type(model.named_steps['learn'].model_).__module__, 'pellux' in sys.modules, sys.modules['helper'].__file__)"
    done = forking.run([sys.executable, "-P", "-c", loads], 120, cwd=tmp_path / "out")
    assert done.stdout.split()[-3:-1] == ["centres", "False"], done.stderr
    assert str(tmp_path / "out") in done.stdout
    checked = forking.run([sys.executable, "train.py", tmp_path / "mixed.csv", "--check"], 120, cwd=tmp_path / "out")
    assert checked.returncode == 0, checked.stderr


def test_what_an_interpreter_kept_of_own_code_is_neither_run_nor_written(
    bench: Workspace, yard: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    own = bring(bench, OwnCodeRequest(kind="learner", where="centres.py:Centres"))
    helper = bench.own_folder / own.key / "helper.py"
    ran = tmp_path / "ran"
    for source in (helper, bench.own_folder / f"{own.key}.py"):  # as if somebody had sent the workspace with it
        kept = Path(importlib.util.cache_from_source(str(source)))
        kept.parent.mkdir(exist_ok=True)
        code = compile(f"open({str(ran)!r}, 'w')", str(source), "exec")
        stat = source.stat()
        kept.write_bytes(importlib._bootstrap_external._code_to_timestamp_pyc(code, int(stat.st_mtime), stat.st_size))  # type: ignore[attr-defined]
    before = sorted(str(path) for path in bench.own_folder.rglob("*"))
    loads = f"""
import json, pathlib
from pellux.objectives.tabular.own.declared import load
folder = pathlib.Path({str(bench.own_folder)!r})
print(load(json.loads((folder / '{own.key}.json').read_text()), folder)().fit)
"""
    monkeypatch.delenv("PYTHONDONTWRITEBYTECODE", raising=False)
    done = subprocess.run([sys.executable, "-c", loads], capture_output=True, text=True, cwd=tmp_path)
    assert "Centres.fit" in done.stdout, done.stderr
    assert not ran.exists()
    assert sorted(str(path) for path in bench.own_folder.rglob("*")) == before
    assert untrusted(bench) == {}, "what lies beside it changes nothing of what it is"


def test_what_it_imports_from_its_folder_is_its_code_too(bench: Workspace, yard: Path) -> None:
    before = bring(bench, OwnCodeRequest(kind="learner", where="centres.py:Centres"))
    (yard / "helper.py").write_text(HELPER.replace("mean(axis=2)", "max(axis=2)"))
    after = bring(bench, OwnCodeRequest(kind="learner", where="centres.py:Centres"))
    assert after.key != before.key
    assert (bench.own_folder / before.key / "helper.py").read_text() == HELPER
    (yard / "helper.py").unlink()
    loads = "import sys; sys.path.insert(0, '.'); from pathlib import Path; import json; from pellux.objectives.tabular.own.declared import load; "
    loads += f"folder = Path({str(bench.own_folder)!r}); found = json.loads((folder / '{before.key}.json').read_text()); "
    loads += "kind = load(found, folder); import helper; print(helper.__file__)"
    done = forking.run([sys.executable, "-P", "-c", loads], 120, cwd=bench.folder)
    assert done.stdout.strip().endswith(f"{before.key}/helper.py"), done.stderr


def test_what_a_look_started_ends_with_it(bench: Workspace, yard: Path) -> None:
    (yard / "starts.py").write_text(STARTS.format(pid=str(yard / "pid")))
    with pytest.raises(InvalidOwnCode):
        bring(bench, OwnCodeRequest(kind="learner", where="starts.py:Nothing"))
    pid = int((yard / "pid").read_text())
    assert not Path(f"/proc/{pid}").exists() or "zombie" in Path(f"/proc/{pid}/status").read_text()


def test_changed_code_is_another_learner(bench: Workspace, yard: Path) -> None:
    before = bring(bench, OwnCodeRequest(kind="learner", where="centres.py:Centres"))
    py_compile.compile(str(yard / "centres.py"))  # as an interpreter of theirs keeps it, for the second that it was written in
    stamp = (yard / "centres.py").stat()
    (yard / "centres.py").write_text(GOOD.replace("2.0", "3.0"))
    os.utime(yard / "centres.py", ns=(stamp.st_atime_ns, stamp.st_mtime_ns))
    after = bring(bench, OwnCodeRequest(kind="learner", where="centres.py:Centres"))
    assert after.key != before.key
    assert bench.catalogue.learner(before.key).defaults["sharpness"] == 2.0
    assert bench.catalogue.learner(after.key).defaults["sharpness"] == 3.0


def test_an_installed_class_needs_its_module_to_be_allowed(workspace: Workspace) -> None:
    with pytest.raises(InvalidOwnCode, match="--allow sklearn"):
        bring(workspace, OwnCodeRequest(kind="learner", where="sklearn.linear_model:HuberRegressor"))
    workspace.allowed_modules = frozenset(["sklearn"])
    own = bring(workspace, OwnCodeRequest(kind="learner", where="sklearn.linear_model:HuberRegressor"))
    assert own.tasks == ["regression"]
    found = workspace.catalogue.learner(own.key, "regression")
    assert {"epsilon", "alpha", "max_iter"} <= set(found.defaults)
    assert found.weights


def test_a_metric_of_ones_own_judges_with_its_direction(bench: Workspace, tmp_path: Path) -> None:
    own = bring(bench, OwnCodeRequest(kind="metric", where="costs.py:late_cost", larger_is_better=False, needs="labels"))
    assert own.sentence == "Euros lost: a miss costs ten, a false alarm one."
    found = bench.catalogue.metrics.get(own.key)
    assert found.sign == -1
    assert found.compute(np.array([1, 1, 0, 0]), np.array([0, 1, 1, 0]), 2) == 11 / 4
    table = imported(bench, tmp_path)
    brief = BriefRequest(data=table.hash, target="label", metric=own.key, recorded=["accuracy"], ignore=["amount"])
    ground = ground_of(bench, create_problem(bench, brief))
    forest, data = OURS.learner("forest", "binary"), FoldData(ground.table, ground.brief, ground.folds.kept)
    outcome = fit_fold(data.prepared(0, steps_of(forest, {})), forest, {"trees": 5}, ground.brief, lambda: 0.0)
    assert outcome.score > 0
    assert 0.5 < outcome.recorded["accuracy"] <= 1
    assert isinstance(ground, Ground)
    # Its script is plain scikit-learn, which knows nothing of it: it fits and predicts, and says what it cannot check.
    origin = Origin(
        "a test", "Today.", [1.0] * 5, hashlib.sha256(np.ascontiguousarray(ground.folds.kept, "<i2").tobytes()).hexdigest(), {}
    )
    (tmp_path / "train.py").write_text(training_script(ground, "logistic", {}, origin))
    assert f"The metric {own.key} has no form in plain scikit-learn" in (tmp_path / "train.py").read_text()

    def run(*more: str) -> subprocess.CompletedProcess[str]:
        command = [sys.executable, "train.py", "mixed.csv", *more]
        return forking.run(command, 120, cwd=tmp_path)

    assert run().returncode == 0
    checked = run("--check")
    assert (checked.returncode, "compares the folds and not the scores" in checked.stderr) == (2, True), checked.stderr


METRICS_OF_THREE = """
def plain(truth, predicted):
    return float((truth != predicted).mean())

def needed(truth, predicted, weight):
    return float(((truth != predicted) * weight).sum() / weight.sum())

def optional(truth, predicted, weight=None):
    return 1.0 if weight is None else 2.0
"""


def test_a_metric_is_offered_where_it_fits_and_judges_no_problem_that_does_not_name_it(bench: Workspace, yard: Path) -> None:
    (yard / "two.py").write_text(
        "def binary_only(truth, predicted):\n    assert set(truth) <= {0, 1}, 'two classes only'\n    return float((truth == predicted).mean())\n"
    )
    own = bring(bench, OwnCodeRequest(kind="metric", where="two.py:binary_only"))
    assert own.tasks == ["binary"]
    metrics = bench.catalogue.metrics
    assert own.key in {m.key for m in metrics.of_task("binary")}
    assert own.key not in {m.key for m in metrics.of_task("multiclass")}
    assert own.key not in {m.key for m in metrics.beside("binary", ["accuracy"])}
    assert own.key in {m.key for m in metrics.beside("binary", [own.key])}


def test_a_metric_takes_weights_or_is_refused_where_there_are_some(bench: Workspace, yard: Path, tmp_path: Path) -> None:
    (yard / "three.py").write_text(METRICS_OF_THREE)
    keys = {
        name: bring(bench, OwnCodeRequest(kind="metric", where=f"three.py:{name}", larger_is_better=False, needs="labels")).key
        for name in ("plain", "needed", "optional")
    }
    found = {name: bench.catalogue.metrics.get(key) for name, key in keys.items()}
    truth, said, weight = np.array([1, 1, 0, 0]), np.array([0, 1, 0, 0]), np.array([3.0, 1.0, 1.0, 1.0])
    assert [found[name].compute(truth, said, 2) for name in found] == [0.25, 0.25, 1.0]
    assert [found[name].compute(truth, said, 2, weight) for name in ("needed", "optional")] == [0.5, 2.0]
    table = imported(bench, tmp_path)
    for role in ({"metric": keys["plain"]}, {"recorded": [keys["plain"]]}):
        brief = {"data": table.hash, "target": "label", "weight": "whole", **role}
        with pytest.raises(InvalidBrief, match="cannot weigh rows") as refused:
            create_problem(bench, BriefRequest.model_validate(brief))
        assert refused.value.at == next(iter(role))
    for name in ("needed", "optional"):
        create_problem(bench, BriefRequest(data=table.hash, target="label", weight="whole", metric=keys[name]))


def test_the_first_look_warns_of_what_cannot_be_saved(bench: Workspace, yard: Path) -> None:
    (yard / "held.py").write_text(
        GOOD.replace("class Centres", "class Held").replace("return self", "self.open_ = lambda: 0; return self")
    )
    own = bring(bench, OwnCodeRequest(kind="learner", where="held.py:Held"))
    assert "cannot be pickled" in own.warning
    assert bring(bench, OwnCodeRequest(kind="learner", where="centres.py:Centres")).warning == ""


BROKEN = {
    "imports something missing": ("import nothing_of_the_kind\nclass X: pass", "nothing_of_the_kind"),
    "does not parse": ("class X(:\n    pass", "SyntaxError"),
    "has no fit": ("class X:\n    def predict(self, rows): return rows", "no method fit"),
    "fails in fit": ("class X:\n    def fit(self, rows, target): raise ValueError('too cold')\n    def predict(self, rows): return 0", "too cold"),
    "predicts the wrong shape": (
        "import numpy as np\nclass X:\n    def fit(self, rows, target): return self\n    def predict(self, rows): return np.zeros((len(rows), 2))",
        r"shape \(10, 2\)",
    ),
    "asks for settings": ("class X:\n    def __init__(self, size): pass\n    def fit(self, r, t): pass\n    def predict(self, r): pass", "size have no default"),
    "exits": ("import sys\nprint('leaving')\nsys.exit(3)", "SystemExit"),
    "ends its process": ("import os\nprint('leaving', flush=True)\nos._exit(3)", r"ended the process that looked at it \(exit status 3\)"),
    "is another name": ("class Y: pass", "there is no X in it"),
}  # fmt: skip


@pytest.mark.parametrize("what", list(BROKEN))
def test_broken_code_is_refused_at_once_with_its_traceback(bench: Workspace, yard: Path, what: str) -> None:
    code, words = BROKEN[what]
    (yard / "broken.py").write_text(code)
    with pytest.raises(InvalidOwnCode, match=words) as caught:
        bring(bench, OwnCodeRequest(kind="learner", where="broken.py:X"))
    if what == "ends its process":
        assert "leaving" in caught.value.detail
    else:
        assert "broken.py" in caught.value.detail or "Error" in caught.value.detail
    assert list_own(bench) == []


def test_code_that_hangs_is_ended_with_all_that_it_started(bench: Workspace, yard: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    mark = yard / "child"
    (yard / "broken.py").write_text(
        f"import os, time\nif os.fork() == 0:\n    open({str(mark)!r}, 'w').write(str(os.getpid()))\n    time.sleep(600)\ntime.sleep(600)\n"
    )
    monkeypatch.setattr(own_code.look, "__defaults__", (2.0,))
    with pytest.raises(InvalidOwnCode, match="was not done after 2 s"):
        bring(bench, OwnCodeRequest(kind="learner", where="broken.py:X"))
    child = int(mark.read_text())
    deadline = time.monotonic() + 5
    while Path(f"/proc/{child}").exists() and "Z" not in Path(f"/proc/{child}/stat").read_text().split(")")[1][:3]:
        assert time.monotonic() < deadline, "the child of a hanging probe lives on"
        os.sched_yield()


def test_own_code_runs_only_from_allowed_folders(
    bench: Workspace, workspace: Workspace, yard: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "outside.py").write_text(GOOD)
    (yard / "link.py").symlink_to(tmp_path / "outside.py")
    for where in ("../outside.py:Centres", str(tmp_path / "outside.py") + ":Centres", "link.py:Centres", "nowhere.py:X"):
        with pytest.raises(InvalidOwnCode, match="no file .* in a folder allowed"):
            bring(bench, OwnCodeRequest(kind="learner", where=where))
    monkeypatch.chdir(tmp_path)  # a file that happens to lie where Pellux was started is not an installed module
    with pytest.raises(InvalidOwnCode, match="module outside is not allowed"):
        bring(bench, OwnCodeRequest(kind="learner", where="outside:Centres"))
    with pytest.raises(InvalidOwnCode, match="--allow"):
        bring(workspace, OwnCodeRequest(kind="learner", where="centres.py:Centres"))
    with pytest.raises(InvalidOwnCode, match="is not 'file.py:Name'"):
        bring(bench, OwnCodeRequest(kind="learner", where="centres.py"))
