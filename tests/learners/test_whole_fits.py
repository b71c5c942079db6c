"""Fits outside the folds: holdout, importance, trees and source code, against scikit-learn used directly."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from sklearn.compose import ColumnTransformer
from sklearn.ensemble import HistGradientBoostingClassifier, RandomForestClassifier
from sklearn.impute import SimpleImputer
from sklearn.inspection import permutation_importance
from sklearn.linear_model import LogisticRegression
from sklearn.metrics import average_precision_score
from sklearn.pipeline import Pipeline
from sklearn.preprocessing import OneHotEncoder, StandardScaler

from pellux.core.judging.overfitting import verdict
from pellux.objectives.tabular.column_importance import column_importance
from pellux.objectives.tabular.drawn_tree import drawn_tree
from pellux.objectives.tabular.export.source_code import expression
from pellux.objectives.tabular.holdout_judgement import judge_on_holdout
from pellux.objectives.tabular.whole_fit import Ground, fitted
from pellux.service.decisions.grounds import ground_of
from pellux.service.planning.requests import BriefRequest
from pellux.service.problems.problems import create_problem
from pellux.service.workspace import Workspace
from tests.making import imported


@pytest.fixture
def ground(workspace: Workspace, tmp_path: Path) -> Ground:
    table = imported(workspace, tmp_path)
    brief = BriefRequest(data=table.hash, target="label", metric="average precision", ignore=["amount"], seed=4)
    return ground_of(workspace, create_problem(workspace, brief))


def test_the_holdout_is_judged_as_scikit_learn_judges_it(ground: Ground) -> None:
    [found, other] = judge_on_holdout(ground, [("boosting", {"rounds": 20}), ("logistic", {})])
    train, held = ground.assigned >= 0, ground.assigned == -1
    categories = [place for place, name in enumerate(ground.columns) if name in ground.labels]
    model = HistGradientBoostingClassifier(max_iter=20, categorical_features=categories, early_stopping=False, random_state=4)
    model.fit(ground.matrix[train], ground.target[train])

    def scored(rows: np.ndarray) -> float:
        return float(average_precision_score(ground.target[rows], model.predict_proba(ground.matrix[rows])[:, 1]))

    assert (found.train, found.holdout) == pytest.approx((scored(train), scored(held)))
    assert found.low < found.holdout < found.high
    assert 0 < found.error < 0.2
    assert other.holdout != found.holdout


def test_importance_is_what_shuffling_by_scikit_learn_gives(ground: Ground) -> None:
    found = {c.column: c.drop for c in column_importance(ground, "logistic", {"C": 0.5}, repeats=15, folds=2)}
    expected = np.zeros(len(ground.columns))
    for fold in (0, 1):
        test = ground.assigned == fold
        pipeline = fitted("logistic", {"C": 0.5}, ground, (ground.assigned >= 0) & ~test)
        shuffled = permutation_importance(
            pipeline, ground.matrix[test], ground.target[test], scoring="average_precision", n_repeats=15, random_state=0
        )  # fmt: skip
        expected += shuffled.importances_mean / 2
    assert [found[name] for name in ground.columns] == pytest.approx(expected, abs=0.03)
    assert max(found, key=found.__getitem__) == ground.columns[int(expected.argmax())]


def test_the_drawn_tree_asks_what_the_tree_asks(ground: Ground) -> None:
    """Rows sent down by the words of the questions arrive where the tree's own counts say."""
    drawn = drawn_tree(ground, {"depth": 4, "min_leaf": 10})
    inside = ground.assigned >= 0
    matrix, columns = ground.matrix[inside].copy(), ground.columns
    for place, name in enumerate(columns):
        if name in ground.numbers:
            matrix[np.isnan(matrix[:, place]), place] = np.nanmedian(matrix[:, place])

    def walk(node: dict, rows: np.ndarray) -> None:
        assert node["rows"] == len(rows)
        if node["question"] is None:
            return
        name, sign, value = node["question"].split(" ", 2)
        column = rows[:, columns.index(name)]
        if sign == "is":
            labels = ground.table.column(name).categories
            yes = np.isnan(column) if value == "missing" else column == labels.index(value)
        else:
            yes = column <= float(value.replace(",", "")) + 5e-5 * abs(float(value.replace(",", "")))
        walk(node["yes"], rows[yes])
        walk(node["no"], rows[~yes])

    assert drawn["root"]["question"] is not None
    walk(drawn["root"], matrix)


def test_an_estimator_becomes_the_expression_that_builds_it() -> None:
    pipeline = Pipeline(
        [
            ("prepare", ColumnTransformer([("n", Pipeline([("fill", SimpleImputer()), ("scale", StandardScaler())]), [0]), ("c", OneHotEncoder(max_categories=9), [1])])),
            ("learn", RandomForestClassifier(30, max_features=0.5, class_weight="balanced", random_state=3)),
        ]
    )  # fmt: skip
    imports: dict[str, set[str]] = {}
    text = expression(pipeline, imports)
    scope: dict[str, object] = {}
    exec("\n".join(f"from {module} import {', '.join(sorted(names))}" for module, names in imports.items()), scope)
    built = eval(text, scope)
    assert repr(built) == repr(pipeline)
    assert expression(LogisticRegression(), {}) == "LogisticRegression()"
    assert expression([float("nan"), (1,), "a'b"], {}) == """[float("nan"), (1,), "a'b"]"""


@pytest.mark.parametrize(
    ("scores", "words"),
    [
        ((0.81, 0.80, 0.01, 0.79, 0.02, 0.70), ("what cross-validation promised", "nothing points to overfitting", "beats the baseline")),
        ((0.99, 0.80, 0.01, 0.79, 0.02, 0.785), ("partly by heart", "less than the score's own error")),
        ((0.90, 0.80, 0.01, 0.70, 0.02, 0.72), ("clearly worse", "no better than the baseline")),
        ((0.80, 0.80, 0.01, 0.90, 0.02, None), ("clearly better",)),
    ],
)  # fmt: skip
def test_the_verdict_says_what_the_scores_say(scores: tuple, words: tuple[str, ...]) -> None:
    found = verdict(*scores)
    assert all(word in found for word in words), found
