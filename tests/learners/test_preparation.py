"""Pipelines whose steps are settings, prefixes that trials share, several learners in one search."""

from __future__ import annotations

import multiprocessing
from pathlib import Path

import numpy as np
import pytest
from sklearn.compose import ColumnTransformer
from sklearn.decomposition import PCA
from sklearn.ensemble import RandomForestClassifier
from sklearn.feature_selection import SelectPercentile, f_classif
from sklearn.impute import SimpleImputer
from sklearn.linear_model import LogisticRegression
from sklearn.metrics import roc_auc_score
from sklearn.model_selection import KFold
from sklearn.pipeline import Pipeline, make_pipeline
from sklearn.preprocessing import OneHotEncoder, RobustScaler, StandardScaler, TargetEncoder

from pellux.core.errors import InvalidPlan, InvalidSpace
from pellux.core.space import parse, write
from pellux.objectives.tabular.fitting import fit_fold
from pellux.objectives.tabular.fold_data import FoldData
from pellux.objectives.tabular.learners.catalogue import OURS
from pellux.objectives.tabular.learners.several import split_key
from pellux.objectives.tabular.prefixes import Prefixes
from pellux.objectives.tabular.preparation import steps_of
from pellux.objectives.tabular.whole_fit import Ground, fitted
from pellux.service.decisions.grounds import ground_of
from pellux.service.planning.requests import BriefRequest
from pellux.service.problems.problems import create_problem
from pellux.service.workspace import Workspace
from tests.making import imported, mixed_columns

SEED = 4
LOGISTIC = LogisticRegression(C=0.3, max_iter=500)


@pytest.fixture
def ground(workspace: Workspace, tmp_path: Path) -> Ground:
    table = imported(workspace, tmp_path)
    brief = BriefRequest(data=table.hash, target="label", metric="ROC AUC", ignore=["amount"], seed=SEED)
    return ground_of(workspace, create_problem(workspace, brief))


def columns(numbers: object, labels: object) -> ColumnTransformer:
    gaps = SimpleImputer(strategy="constant", fill_value=-1.0)
    return ColumnTransformer([("n", numbers, [0, 1, 2]), ("c", make_pipeline(gaps, labels), [3])])


CASES = [
    (
        {"fill": "mean", "scale": "robust", "mark": True},
        make_pipeline(
            columns(make_pipeline(SimpleImputer(strategy="mean", add_indicator=True), RobustScaler()), OneHotEncoder(handle_unknown="ignore")),
            LOGISTIC,
        ),
    ),
    (
        {"encode": "target"},
        make_pipeline(
            columns(make_pipeline(SimpleImputer(strategy="median"), StandardScaler()), TargetEncoder(cv=KFold(5, shuffle=True, random_state=SEED))), LOGISTIC
        ),
    ),
    (
        {"encode": "ordinal", "reduce": "pca", "keep": 0.8},
        make_pipeline(
            columns(make_pipeline(SimpleImputer(strategy="median"), StandardScaler()), SimpleImputer()), PCA(0.8, svd_solver="full"), LOGISTIC
        ),
    ),
    (
        {"reduce": "best", "keep": 0.5, "scale": "none"},
        make_pipeline(
            columns(SimpleImputer(strategy="median"), OneHotEncoder(sparse_output=False)), SelectPercentile(f_classif, percentile=50), LOGISTIC
        ),
    ),
]  # fmt: skip


@pytest.mark.parametrize(("settings", "pipeline"), CASES, ids=["robust", "target", "pca", "best"])
def test_searched_steps_equal_a_pipeline_by_hand(ground: Ground, settings: dict[str, object], pipeline: Pipeline) -> None:
    chosen = OURS.learner("logistic", "binary")
    data = FoldData(ground.table, ground.brief, ground.folds.kept)
    for fold in range(5):
        train, test = ground.folds.train(fold), ground.folds.test(fold)
        ours = fit_fold(data.prepared(fold, steps_of(chosen, settings)), chosen, {"C": 0.3, **settings}, ground.brief, lambda: 0.0)
        theirs = pipeline.fit(ground.matrix[train], ground.target[train]).predict_proba(ground.matrix[test])[:, 1]
        assert ours.score == pytest.approx(roc_auc_score(ground.target[test], theirs), abs=1e-9)
        whole = fitted("logistic", {"C": 0.3, **settings}, ground, train)
        np.testing.assert_allclose(whole.predict_proba(ground.matrix[test])[:, 1], theirs, atol=1e-6)


def test_weights_of_the_data_count_in_learning_and_in_judging(workspace: Workspace, tmp_path: Path) -> None:
    made = mixed_columns()
    weights = np.random.default_rng(1).integers(0, 4, 240)
    table = imported(workspace, tmp_path, {**made, "weight": weights.tolist()}, "weighted.csv")
    request = BriefRequest(
        data=table.hash, target="label", metric="ROC AUC", ignore=["amount"], weight="weight", recorded=["accuracy"]
    )
    ground = ground_of(workspace, create_problem(workspace, request))
    assert "weight" not in ground.columns
    assert (ground.assigned[weights == 0] == -2).all()
    forest, data = OURS.learner("forest", "binary"), FoldData(ground.table, ground.brief, ground.folds.kept)
    ours = fit_fold(data.prepared(0, steps_of(forest, {})), forest, {"trees": 10, "depth": 4}, ground.brief, lambda: 0.0)
    train, test = ground.folds.train(0), ground.folds.test(0)
    pipeline = Pipeline([
        ("columns", ColumnTransformer([
            ("n", SimpleImputer(strategy="median"), [0, 1, 2]),
            ("c", make_pipeline(SimpleImputer(strategy="constant", fill_value=-1.0), OneHotEncoder(handle_unknown="ignore")), [3]),
        ])),
        ("forest", RandomForestClassifier(10, max_depth=4, max_features=0.4, random_state=0)),
    ])  # fmt: skip
    pipeline.fit(ground.matrix[train], ground.target[train], forest__sample_weight=weights[train])
    said = pipeline.predict_proba(ground.matrix[test])[:, 1]
    assert ours.score == pytest.approx(roc_auc_score(ground.target[test], said, sample_weight=weights[test]))
    right = (said > 0.5) == ground.target[test]
    assert ours.recorded["accuracy"] == pytest.approx(np.average(right, weights=weights[test]))


# Shared prefixes


def scores_of(ground: Ground, prefixes: Prefixes) -> list[float]:
    data, chosen = FoldData(ground.table, ground.brief, ground.folds.kept, prefixes), OURS.learner("logistic", "binary")
    found = []
    for keep in (0.5, 0.8):
        for c in (0.1, 10.0):
            settings = {"reduce": "pca", "keep": keep, "C": c}
            for fold in range(5):
                found.append(fit_fold(data.prepared(fold, steps_of(chosen, settings)), chosen, settings, ground.brief, lambda: 0.0).score)  # fmt: skip
    return found


def _in_another_process(ground: Ground, folder: Path, send: object) -> None:
    prefixes = Prefixes(folder=folder)
    send.send((scores_of(ground, prefixes), prefixes.computed))  # type: ignore[attr-defined]


def test_prefixes_are_made_once_by_all_workers_and_change_no_bit(ground: Ground, tmp_path: Path) -> None:
    alone = scores_of(ground, Prefixes(budget=0))
    context = multiprocessing.get_context("fork")
    pipes = [context.Pipe(duplex=False) for _ in range(2)]
    workers = [context.Process(target=_in_another_process, args=(ground, tmp_path / "shared", mine)) for _, mine in pipes]
    for worker, (_, mine) in zip(workers, pipes, strict=True):
        worker.start()
        mine.close()  # so that a worker's end is heard
    answers = [theirs.recv() for theirs, _ in pipes]
    for worker in workers:
        worker.join(30)
    assert [scores for scores, _ in answers] == [alone, alone]
    assert sum(computed for _, computed in answers) == 15  # five folds: the columns, and two reductions of them


def test_a_full_or_damaged_cache_costs_time_only(ground: Ground, tmp_path: Path) -> None:
    alone = scores_of(ground, Prefixes(budget=0))
    assert scores_of(ground, Prefixes(budget=20_000, folder=tmp_path / "small")) == alone
    assert sum(f.stat().st_size for f in (tmp_path / "small").glob("*.npy")) <= 20_000
    folder = tmp_path / "whole"
    scores_of(ground, Prefixes(folder=folder))
    for file in sorted(folder.glob("*.npy"))[::3]:
        file.write_bytes(b"nonsense")
    assert scores_of(ground, Prefixes(folder=folder)) == alone
    (tmp_path / "file").write_text("not a folder")
    assert scores_of(ground, Prefixes(folder=tmp_path / "file" / "below")) == alone


# Several learners


def test_each_of_several_learners_brings_its_own_parameters() -> None:
    mixed = OURS.learner("logistic | forest *2 | boosting", "binary")
    space = mixed.default_space()
    mixed.check(space)
    assert write(parse(write(space))) == write(space)
    rng, seen = np.random.default_rng(0), set()
    for _ in range(60):
        drawn = space.decode(rng.random(space.dimension))
        member, settings = mixed.settle(drawn)
        member.check(parse("".join(f"{n}: {str(v).replace('True', 'yes').replace('False', 'no')}\n" for n, v in settings.items())))
        assert set(settings) <= {s.name for s in member.settings}
        seen.add(member.key)
    assert seen == {"logistic", "forest", "boosting"}
    assert [config["model"] for config in mixed.baselines(mixed.default_space())] == ["logistic", "forest", "boosting"]
    for config, alone in zip(mixed.baselines(mixed.default_space()), ("logistic", "forest", "boosting"), strict=True):
        assert mixed.settle(config)[1] == OURS.learner(alone, "binary").defaults
        assert mixed.whole({"model": alone}) == config


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("C: 0.1 .. 1", "must say which 'model'"),
        ("model: logistic | tree\nC: 0.1 .. 1", "'tree' is not among"),
        ("model: logistic | forest\ntrees: 10 .. 50 int", "Write 'if model == forest'"),
        ("model: logistic | forest\nspeed: 1 .. 2", "none of logistic, forest has such a setting"),
        ("model: logistic | forest\nforest_min_leaf: 0 .. 5 int if model == forest", "0 is not accepted"),
    ],
)
def test_a_space_of_several_learners_that_cannot_be_used(text: str, words: str) -> None:
    with pytest.raises(InvalidSpace, match=words):
        OURS.learner("logistic | forest", "binary").check(parse(text))


@pytest.mark.parametrize("key", ["", "forest |", "forest *0", "forest | forest", "forest *x"])
def test_learners_that_are_not_named_rightly(key: str) -> None:
    with pytest.raises(InvalidPlan):
        split_key(key)
