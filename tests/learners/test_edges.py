"""Where numbers were found wrong: recorded metrics, kept predictions, empty columns, encodings, and what is taken away."""

from __future__ import annotations

import sys
import warnings
from collections.abc import Callable, Iterator
from functools import cache, partial
from pathlib import Path
from typing import Any

import joblib
import numpy as np
import pytest
from sklearn import metrics as reference

from pellux.core.judging.predictions import as_needed, decode
from pellux.core.space import Choice
from pellux.objectives.tabular.export.training_script import Origin, training_script
from pellux.objectives.tabular.fitting import Fitted, fit_fold, model_bytes
from pellux.objectives.tabular.fold_data import FoldData
from pellux.objectives.tabular.learners.catalogue import OURS
from pellux.objectives.tabular.preparation import Steps, steps_of
from pellux.objectives.tabular.whole_fit import Ground, fitted
from pellux.service.decisions.grounds import ground_of
from pellux.service.planning.requests import BriefRequest
from pellux.service.problems.problems import create_problem
from pellux.service.workspace import Workspace
from tests import forking
from tests.making import imported

PAIRS = [(learner.key, task) for learner in OURS.every() if learner.installed for task in learner.tasks]


def columns(classes: int, rows: int = 300, seed: int = 3) -> dict[str, list[Any]]:
    """Two numbers, one that repeats, a label of so many classes, and a whole number to predict."""
    rng = np.random.default_rng(seed)
    a, b = rng.normal(size=rows), rng.normal(size=rows)
    place = np.clip(((a + 0.5 * rng.normal(size=rows) + 2) / 4 * classes).astype(int), 0, classes - 1)
    place[: 4 * classes] = np.tile(np.arange(classes), 4)
    return {
        "a": [f"{v:.6f}" for v in a], "b": [f"{v:.6f}" for v in b], "again": [round(v) for v in a],
        "kind": [f"k{v}" for v in rng.integers(0, 3, rows)], "label": [f"c{v:02d}" for v in place],
        "amount": [int(v) for v in 100 * a + 40 * b + 500],
    }  # fmt: skip


Framing = Callable[..., Ground]


@pytest.fixture(scope="module")
def bench(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Workspace]:
    opened = Workspace(tmp_path_factory.mktemp("edges") / "workspace")
    yield opened
    opened.close()


def framing(bench: Workspace, folder: Path, found: dict[str, list[Any]], **brief: Any) -> Ground:
    table = imported(bench, folder, found, name=f"{len(list(folder.iterdir()))}.csv")
    wanted = {"folds": 3, "seed": 2, "holdout": 0, **brief, "data": table.hash}
    return ground_of(bench, create_problem(bench, BriefRequest.model_validate(wanted)))


@pytest.fixture
def framed(bench: Workspace, tmp_path: Path) -> Framing:
    return partial(framing, bench, tmp_path)


Odd = Callable[[str], tuple[Ground, Ground]]


@pytest.fixture(scope="module")
def odd(bench: Workspace, tmp_path_factory: pytest.TempPathFactory) -> Odd:
    """By task: a problem with a column that is known in the rows of the first fold only, so in none that this fold learns from; and without it."""
    framed = partial(framing, bench, tmp_path_factory.mktemp("odd"))

    @cache
    def made(task: str) -> tuple[Ground, Ground]:
        target, other, classes = (
            ("amount", "label", 3) if task == "regression" else ("label", "amount", 2 if task == "binary" else 3)
        )
        brief = {"target": target, "metric": "RMSE" if task == "regression" else "log loss", "ignore": [other]}
        plain = columns(classes, rows=150)
        without = framed(plain, **brief)
        return framed({**plain, "odd": ["7.5" if known else "" for known in without.folds.test(0)]}, **brief), without

    return made


def fit(ground: Ground, key: str, settings: dict[str, Any] | None = None, fold: int = 0) -> Fitted:
    learner = OURS.learner(key, ground.brief.task)
    data = FoldData(ground.table, ground.brief, ground.folds.kept)
    return fit_fold(data.prepared(fold, steps_of(learner, settings or {})), learner, settings or {}, ground.brief, lambda: 0.0)


def small(key: str, task: str) -> dict[str, Any]:
    """Settings with which a fit takes no longer than it must."""
    return {one.name: 10 for one in OURS.learner(key, task).settings if one.name in ("trees", "rounds", "epochs")}


@pytest.mark.parametrize("classes", [3, 25])
@pytest.mark.parametrize("key", ["bayes", "tree"])  # over-sure, and full of ties
def test_recorded_scores_are_those_of_the_predictions_as_they_were(framed: Framing, classes: int, key: str) -> None:
    ground = framed(
        columns(classes), target="label", metric="macro F1", recorded=["log loss", "ROC AUC", "Brier score"], ignore=["amount"]
    )
    found, test = fit(ground, key), ground.folds.test(0)
    predicted = fitted(key, {}, ground, ground.folds.train(0)).predict_proba(ground.matrix[test])
    truth, codes = ground.target[test], np.arange(classes)
    assert found.recorded["log loss"] == pytest.approx(reference.log_loss(truth, predicted, labels=codes), abs=1e-12)
    area = reference.roc_auc_score(truth, predicted, multi_class="ovr", average="macro", labels=codes)
    assert found.recorded["ROC AUC"] == pytest.approx(area, abs=1e-12)
    brier = np.mean(((predicted - (truth[:, None] == codes)) ** 2).sum(axis=1))
    assert found.recorded["Brier score"] == pytest.approx(brier, abs=1e-12)


@pytest.mark.parametrize("classes", [2, 3, 25])
@pytest.mark.parametrize("key", ["bayes", "tree", "logistic"])
def test_scores_from_kept_predictions_are_the_search_s_own(framed: Framing, classes: int, key: str) -> None:
    found = columns(classes)
    for metric in OURS.metrics.of_task("binary" if classes == 2 else "multiclass"):
        ground = framed(found, target="label", metric=metric.key, ignore=["amount"])
        result = fit(ground, key)
        given = as_needed(decode(result.predictions, classes), metric.needs)
        assert given is not None
        with warnings.catch_warnings(action="ignore"):  # single precision sums to 1 but nearly
            again = metric.compute(ground.target[ground.folds.test(0)], given, classes)
        assert again == pytest.approx(result.score, abs=1e-7), metric.key


def test_a_recorded_metric_that_fails_costs_its_value_and_not_the_trial(framed: Framing) -> None:
    ground = framed({**columns(2), "amount": [-3 - i for i in range(300)]}, target="amount", metric="MAE", recorded=["RMSLE", "R2"])
    assert set(fit(ground, "ridge").recorded) == {"R2"}


def test_target_encoding_of_whole_numbers_makes_one_column_a_category(framed: Framing) -> None:
    ground = framed(columns(2), target="amount", metric="RMSE", features=["a", "kind"])
    data = FoldData(ground.table, ground.brief, ground.folds.kept)
    assert data.prepared(0, Steps(encode="target")).train.shape[1] == 2
    many = framed(columns(4), target="label", metric="log loss", features=["a", "kind"])
    data = FoldData(many.table, many.brief, many.folds.kept)
    assert data.prepared(0, Steps(encode="target")).train.shape[1] == 1 + 4


@pytest.mark.filterwarnings("ignore::sklearn.exceptions.ConvergenceWarning")
@pytest.mark.parametrize(("key", "task"), PAIRS)
def test_a_column_that_is_empty_in_a_fold_tells_nothing_and_fails_nothing(odd: Odd, key: str, task: str) -> None:
    ground, without = odd(task)
    assert np.array_equal(ground.folds.kept, without.folds.kept)
    few = small(key, task)
    found = fit(ground, key, few)
    assert np.isfinite(found.score)
    steady = key not in ("tree", "forest", "extra", "network")  # whose draws depend on how many columns there are
    assert not steady or found.score == pytest.approx(fit(without, key, few).score, rel=1e-3)
    assert np.isfinite(fit(ground, key, {**few, "mark": True}).score)
    model = fitted(key, few, ground, ground.folds.train(0))  # and as a pipeline that is taken away
    assert np.isfinite(np.asarray(model.predict(ground.matrix), dtype=float)).all()


def test_every_pair_of_learners_can_be_searched_together() -> None:
    tried = 0
    for one in OURS.every():
        for other in OURS.every():
            for task in ("binary", "multiclass", "regression"):
                if one.key == other.key or task not in one.tasks or task not in other.tasks:
                    continue
                both = OURS.learner(f"{one.key} | {other.key}", task)
                space = both.default_space()
                both.check(space)
                model = space.by_name["model"]
                assert isinstance(model, Choice)
                assert set(model.options) == {one.key, other.key}
                drawn = space.decode(np.full(space.dimension, 0.01))
                assert both.settle(drawn)[0].key == one.key
                tried += 1
    assert tried > 300


LOADING = """
import sys, warnings
class Blocked:
    def find_spec(self, name, path=None, target=None):
        if name.split(".")[0] == "pellux":
            raise ImportError("Pellux is not here")
sys.meta_path.insert(0, Blocked())
warnings.simplefilter("ignore")
import joblib, numpy as np
for name in sys.argv[1:]:
    model, rows, wanted = joblib.load(name + ".joblib"), np.load(name + ".rows.npy"), np.load(name + ".said.npy")
    assert np.array_equal(model.predict(rows), wanted), name
print(len(sys.argv) - 1)
"""


@pytest.mark.slow
@pytest.mark.filterwarnings("ignore::sklearn.exceptions.ConvergenceWarning")
def test_a_model_that_is_taken_away_loads_without_pellux(framed: Framing, tmp_path: Path) -> None:
    grounds = {
        task: framed(columns(classes, rows=120), target=target, metric=metric, ignore=[other])
        for task, classes, target, metric, other in (
            ("binary", 2, "label", "log loss", "amount"), ("multiclass", 3, "label", "log loss", "amount"),
            ("regression", 3, "amount", "RMSE", "label"),
        )
    }  # fmt: skip
    names = []
    for key, task in PAIRS:
        ground = grounds[task]
        model = fitted(key, small(key, task), ground, ground.known)
        names.append(str(tmp_path / f"{key}-{task}"))
        joblib.dump(model, names[-1] + ".joblib")
        np.save(names[-1] + ".rows.npy", ground.matrix)
        np.save(names[-1] + ".said.npy", model.predict(ground.matrix))
    done = forking.run([sys.executable, "-P", "-c", LOADING, *names], 120, cwd=tmp_path)
    assert done.returncode == 0, done.stderr
    assert int(done.stdout) == len(PAIRS)


@pytest.mark.slow
def test_script_and_model_are_fitted_on_the_same_rows(framed: Framing, tmp_path: Path) -> None:
    """Rows in the gap before a holdout in time are in no fold, and known all the same."""
    found = {**columns(2), "day": [f"2025-{1 + i // 28 % 10:02d}-{1 + i % 28:02d}" for i in range(300)]}
    ground = framed(
        found, target="label", metric="log loss", ignore=["amount"], time="day", folds="3 ordered", gap=5, holdout="20 %"
    )
    assert ground.folds.outside.sum() + ground.folds.held.sum() < ground.known.sum() == 300
    script = training_script(ground, "logistic", {}, Origin("a test", "today", [0.5] * 3, "", {}))
    (tmp_path / "train.py").write_text(script, "utf-8")
    data = next(path for path in tmp_path.glob("*.csv") if "day" in path.read_text("utf-8").splitlines()[0])
    done = forking.run([sys.executable, "train.py", data.name], 120, cwd=tmp_path)
    assert done.stdout.startswith("Fitted on 300 rows, all whose target is known"), done.stderr


def test_the_largest_error_of_weighted_rows_has_a_script(framed: Framing) -> None:
    ground = framed(
        {**columns(2), "w": [i % 3 for i in range(300)]}, target="amount", metric="largest error", weight="w", ignore=["label"]
    )
    space: dict[str, Any] = {"__name__": "script"}
    exec(training_script(ground, "ridge", {}, Origin("a test", "today", [0.5] * 3, "", {})), space)
    truth, said, weight = np.array([1.0, 2.0, 3.0]), np.array([1.5, 9.0, 3.0]), np.array([1.0, 0.0, 2.0])
    assert space["score"](truth, said, weight) == 0.5 == ground.brief.judged_by.compute(truth, said, 0, weight)


def test_what_cannot_be_pickled_has_no_size_and_lightgbm_no_false_warning(framed: Framing) -> None:
    assert model_bytes([lambda: 1]) is None
    assert (model_bytes([1, 2]) or 0) > 5
    ground = framed(columns(2), target="label", metric="log loss", ignore=["amount"])
    if OURS.learner("lightgbm").installed:
        assert fit(ground, "lightgbm").warnings == ()
