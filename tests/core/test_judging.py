"""Folds, metrics and summaries against independent computations."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from sklearn import metrics as sk

from pellux.core.errors import InvalidBrief
from pellux.core.judging import (
    HOLDOUT,
    METRICS,
    ONLY_LEARNT,
    OURS,
    UNUSED,
    Brief,
    Folds,
    Rows,
    SplitPlan,
    assign_folds,
    default_metric,
    fingerprint,
    mean,
    standard_error,
)


@given(
    st.integers(30, 400), st.integers(2, 8), st.sampled_from([0.0, 0.1, 0.2, 0.5]), st.sampled_from(["stratified", "shuffled"]),
    st.integers(0, 2**31 - 1),
)  # fmt: skip
def test_every_usable_row_has_exactly_one_place(rows: int, folds: int, holdout: float, kind: str, seed: int) -> None:
    rng = np.random.default_rng(rows)
    target = rng.integers(0, 2, rows)
    usable = rng.random(rows) > 0.05
    plan = SplitPlan(kind, folds, holdout, seed)
    try:
        assigned = assign_folds(plan, Rows(target, usable)).first
    except InvalidBrief as refusal:
        assert refusal.at == "folds"
        return
    assert ((assigned == UNUSED) == ~usable).all()
    kept = assigned[assigned >= 0]
    assert set(kept) == set(range(folds))
    sizes = np.bincount(kept)
    assert sizes.max() - sizes.min() <= (2 if kind == "stratified" else 1)
    assert abs((assigned == HOLDOUT).sum() - holdout * usable.sum()) <= 1
    assert (assign_folds(plan, Rows(target, usable)).first == assigned).all()
    if kind == "stratified":
        for label in (0, 1):
            of_label = np.bincount(assigned[(target == label) & (assigned >= 0)], minlength=folds)
            assert of_label.max() - of_label.min() <= 1


def test_a_split_is_recognised_by_its_content() -> None:
    rows = Rows(np.arange(100) % 2, np.ones(100, bool))
    first = assign_folds(SplitPlan("stratified", 5, 0.2, 1), rows).kept
    assert fingerprint(first) == fingerprint(first.astype(np.int64))  # type: ignore[arg-type]
    assert fingerprint(first) != fingerprint(assign_folds(SplitPlan("stratified", 5, 0.2, 2), rows).kept)


def _some_rows(n: int = 300, groups: int = 24) -> Rows:
    rng = np.random.default_rng(3)
    group = rng.integers(-1, groups, n)  # -1: of no known group
    time = np.round(rng.uniform(0, 100, n), 0)
    time[::50] = np.nan
    return Rows(rng.integers(0, 2, n), rng.random(n) > 0.03, group, time)


@pytest.mark.parametrize("kind", ["grouped", "stratified grouped"])
@pytest.mark.parametrize("holdout", [0.0, 0.25])
def test_a_group_stays_together_in_every_repeat(kind: str, holdout: float) -> None:
    rows = _some_rows()
    folds = assign_folds(SplitPlan(kind, 4, holdout, 5, repeats=3), rows)
    assert folds.lines.shape == (3, 300)
    for line in folds.lines:
        assert set(line[rows.group == -1]) == {UNUSED}
        for group in range(24):
            assert len(set(line[(rows.group == group) & rows.usable])) == 1
    assert (folds.lines[0] != folds.lines[1]).any()
    assert folds.held.any() == (holdout > 0)
    for fold in range(12):
        assert not (folds.train(fold) & folds.test(fold)).any()
        assert (folds.train(fold) | folds.test(fold) == folds.outside).all()
    assert (Folds.of(folds.kept, SplitPlan(kind, 4, holdout, 5, repeats=3)).lines == folds.lines).all()


@pytest.mark.parametrize("gap", [0.0, 7.0])
def test_ordered_folds_learn_from_the_past_only(gap: float) -> None:
    rows, plan = _some_rows(), SplitPlan("ordered", 5, 0.2, 5, gap=gap)
    folds = Folds.of(assign_folds(plan, rows).kept, plan)
    time = rows.time
    assert time is not None
    assert time[folds.held].min() > time[folds.outside].max() + (gap - 1e-9 if gap else -1e-9)
    reached = 0
    for fold in range(5):
        train, test = folds.train(fold), folds.test(fold)
        assert time[train].max() < time[test].min() - (gap if gap else 0)
        assert train.sum() > reached  # every fold learns from more
        reached = int(train.sum())
        # Nothing is left out that lies far enough before.
        early = folds.outside & (time < time[test].min() - gap)
        assert (train == early).all()
    assert (folds.first == ONLY_LEARNT).any()


def test_a_fold_column_is_taken_at_its_word() -> None:
    own = np.array([0, 1, 2] * 20 + [UNUSED] * 5 + [HOLDOUT] * 10, dtype=np.int16)
    rows = Rows(np.arange(75) % 2, np.ones(75, bool), own=own)
    folds = assign_folds(SplitPlan("column", 3, 0.2, 0), rows)
    assert (folds.first[:60] == own[:60]).all()
    assert (folds.first[60:65] == ONLY_LEARNT).all()
    assert folds.held.sum() == 10  # theirs, not another draw
    assert folds.train(1)[60:65].all()


@pytest.mark.parametrize(
    ("plan", "rows", "at", "words"),
    [
        (SplitPlan("grouped", 5, 0.0, 0), Rows(np.arange(50), np.ones(50, bool)), "group", "role group"),
        (SplitPlan("grouped", 5, 0.0, 0), Rows(np.arange(50), np.ones(50, bool), np.arange(50) % 3), "folds", "3 groups"),
        (SplitPlan("shuffled", 5, 0.2, 0, holdout_by="time"), Rows(np.arange(50), np.ones(50, bool)), "time", "role time"),
        (SplitPlan("ordered", 5, 0.0, 0), Rows(np.arange(50), np.ones(50, bool), time=np.arange(50) % 3.0), "folds", "too few different"),
        (SplitPlan("ordered", 5, 0.0, 0, gap=40), Rows(np.arange(50), np.ones(50, bool), time=np.arange(50.0)), "gap", "nothing to learn"),
    ],
)  # fmt: skip
def test_rows_that_cannot_be_cut_so_name_what_is_missing(plan: SplitPlan, rows: Rows, at: str, words: str) -> None:
    with pytest.raises(InvalidBrief, match=words) as caught:
        assign_folds(plan, rows)
    assert caught.value.at == at


@pytest.mark.parametrize(
    ("arguments", "at", "words"),
    [
        (("random", 5, 0.2, 0), "folds", "unknown"),
        (("shuffled", 1, 0.2, 0), "folds", "2 to 50"),
        (("shuffled", 51, 0.2, 0), "folds", "2 to 50"),
        (("shuffled", 5, 0.9, 0), "holdout", "0 % to 50 %"),
        (("shuffled", 5, -0.1, 0), "holdout", "0 % to 50 %"),
        (("shuffled", 5, 0.2, -1), "seed", "whole number"),
    ],
)
def test_a_wrong_split_plan_names_its_field(arguments: tuple, at: str, words: str) -> None:  # type: ignore[type-arg]
    with pytest.raises(InvalidBrief, match=words) as caught:
        SplitPlan(*arguments)
    assert caught.value.at == at


def test_a_class_rarer_than_the_folds_is_refused() -> None:
    target = np.array([0] * 60 + [1] * 3)
    with pytest.raises(InvalidBrief, match="rarest class has 3 rows"):
        assign_folds(SplitPlan("stratified", 5, 0.0, 0), Rows(target, np.ones(63, bool)))
    assign_folds(SplitPlan("shuffled", 5, 0.0, 0), Rows(target, np.ones(63, bool)))


def independent(key: str, truth: np.ndarray, probabilities: np.ndarray, labels: np.ndarray) -> float:
    """Written out from the definitions, not through the functions the registry calls."""
    positive, hit = truth == 1, labels == truth
    match key:
        case "accuracy":
            return float(hit.mean())
        case "balanced accuracy":
            return float(np.mean([hit[truth == c].mean() for c in np.unique(truth)]))
        case "F1":
            return float(2 * (positive & (labels == 1)).sum() / (positive.sum() + (labels == 1).sum()))
        case "macro F1":
            each = [2 * ((truth == c) & (labels == c)).sum() / ((truth == c).sum() + (labels == c).sum()) for c in np.unique(truth)]
            return float(np.mean(each))
        case "log loss":
            return float(-np.mean(np.log(probabilities[np.arange(len(truth)), truth])))
        case "Brier score":
            return float(np.mean((probabilities[:, 1] - positive) ** 2))
        case "ROC AUC":
            pairs = probabilities[positive, 1][:, None] - probabilities[~positive, 1][None, :]
            return float((pairs > 0).mean() + 0.5 * (pairs == 0).mean())
        case "average precision":
            order = np.argsort(-probabilities[:, 1])
            found = np.cumsum(positive[order])
            return float(np.sum((found / np.arange(1, len(truth) + 1))[positive[order]]) / positive.sum())
        case "Matthews correlation":
            return float(np.corrcoef(truth, labels)[0, 1])
    said = labels == 1
    precision, recall = (positive & said).sum() / said.sum(), (positive & said).sum() / positive.sum()
    by_class = {c: 2 * ((truth == c) & (labels == c)).sum() / ((truth == c).sum() + (labels == c).sum()) for c in (0, 1)}
    by_chance = (truth == 1).mean() * said.mean() + (truth == 0).mean() * (~said).mean()
    return float({
        "precision": precision,
        "recall": recall,
        "specificity": (~positive & ~said).sum() / (~positive).sum(),
        "F2": 5 * precision * recall / (4 * precision + recall),
        "weighted F1": positive.mean() * by_class[1] + (~positive).mean() * by_class[0],
        "macro precision": (precision + (~positive & ~said).sum() / (~said).sum()) / 2,
        "Cohen's kappa": (hit.mean() - by_chance) / (1 - by_chance),
    }[key])  # fmt: skip


@pytest.mark.parametrize("key", [m.key for m in OURS.of_task("binary")])
def test_metrics_of_two_classes_equal_their_definitions(key: str) -> None:
    rng = np.random.default_rng(11)
    truth = (rng.random(500) < 0.3).astype(int)
    chance = 1 / (1 + np.exp(-(truth + rng.normal(0, 1.2, 500) - 0.5)))
    probabilities = np.column_stack([1 - chance, chance])
    labels = (chance > 0.5).astype(int)
    metric = METRICS[key]
    predicted = probabilities if metric.needs == "probabilities" else labels
    assert metric.compute(truth, predicted, 2) == pytest.approx(independent(key, truth, probabilities, labels), abs=1e-12)


@pytest.mark.parametrize("key", [m.key for m in OURS.of_task("multiclass")])
def test_metrics_of_several_classes_say_one_for_perfection_and_less_for_noise(key: str) -> None:
    rng = np.random.default_rng(2)
    truth = rng.integers(0, 4, 300)
    sure = np.eye(4)[truth] * 0.999 + 0.00025
    vague = rng.dirichlet(np.ones(4), 300)
    metric = METRICS[key]
    best, worse = (
        metric.compute(truth, p if metric.needs == "probabilities" else p.argmax(1), 4) * metric.sign for p in (sure, vague)
    )
    assert best > worse
    assert best == pytest.approx(1 if metric.larger_is_better else 0, abs=2e-3)


@pytest.mark.parametrize(
    ("key", "formula"),
    [
        ("RMSE", lambda t, p: np.sqrt(np.mean((t - p) ** 2))),
        ("MAE", lambda t, p: np.mean(np.abs(t - p))),
        ("median absolute error", lambda t, p: np.median(np.abs(t - p))),
        ("R2", lambda t, p: 1 - np.sum((t - p) ** 2) / np.sum((t - t.mean()) ** 2)),
        ("MAPE", lambda t, p: np.mean(np.abs((t - p) / t))),
        ("RMSLE", lambda t, p: np.sqrt(np.mean((np.log(1 + t) - np.log(1 + p)) ** 2))),
        ("largest error", lambda t, p: np.max(np.abs(t - p))),
        ("pinball 0.1", lambda t, p: np.mean(np.where(t > p, 0.1 * (t - p), 0.9 * (p - t)))),
        ("pinball 0.9", lambda t, p: np.mean(np.where(t > p, 0.9 * (t - p), 0.1 * (p - t)))),
        ("explained variance", lambda t, p: 1 - np.var(t - p) / np.var(t)),
        ("Spearman correlation", lambda t, p: np.corrcoef(np.argsort(np.argsort(t)), np.argsort(np.argsort(p)))[0, 1]),
    ],
)
def test_metrics_of_numbers_equal_their_definitions(key: str, formula) -> None:  # type: ignore[no-untyped-def]
    rng = np.random.default_rng(4)
    truth, predicted = rng.gamma(3.0, size=(2, 200))
    assert METRICS[key].compute(truth, predicted, 0) == pytest.approx(formula(truth, predicted), abs=1e-12)


def test_the_registry_is_complete_and_consistent() -> None:
    assert len(METRICS) >= 20
    for key, metric in METRICS.items():
        assert metric.key == key
        assert metric.sentence.endswith(".")
        assert metric.label.endswith("↑" if metric.larger_is_better else "↓")
        assert metric.needs in ("labels", "probabilities", "values")
    assert {default_metric(task) for task in ("binary", "multiclass", "regression")} <= set(METRICS)
    assert default_metric("binary", 0.1) == "average precision"


def test_a_metric_that_does_not_suit_is_refused_with_those_that_do() -> None:
    with pytest.raises(InvalidBrief, match="RMSE does not suit a binary target") as caught:
        OURS.suiting("RMSE", "binary")
    assert "ROC AUC" in caught.value.message
    with pytest.raises(InvalidBrief, match="unknown"):
        OURS.suiting("glory", "binary")


@given(st.lists(st.floats(-100, 100), min_size=2, max_size=30))
def test_mean_and_standard_error(scores: list[float]) -> None:
    assert mean(scores) == pytest.approx(np.mean(scores), abs=1e-12)
    assert standard_error(scores) == pytest.approx(np.std(scores, ddof=1) / np.sqrt(len(scores)), abs=1e-12)
    assert standard_error(scores[:1]) is None


def brief(**changes: object) -> Brief:
    given = {
        "data": "d" * 64, "target": "y", "features": ("a", "b"), "task": "binary", "classes": ("no", "yes"),
        "metric": "ROC AUC", "split": SplitPlan("stratified", 5, 0.2, 7), "seed": 7,
    }  # fmt: skip
    return Brief(**{**given, **changes})  # type: ignore[arg-type]


def test_a_brief_is_its_content() -> None:
    assert Brief.from_json(brief().to_json()) == brief()
    assert brief().fingerprint == brief().fingerprint
    assert brief().fingerprint != brief(seed=8).fingerprint
    assert brief().positive == "yes"


@pytest.mark.parametrize(
    ("changes", "at"),
    [
        ({"features": ()}, "features"),
        ({"features": ("a", "y")}, "features"),
        ({"metric": "RMSE"}, "metric"),
        ({"task": "regression", "metric": "RMSE"}, "folds"),
        ({"task": "astrology"}, "task"),
    ],
)
def test_a_brief_that_cannot_be_judged_names_its_field(changes: dict[str, object], at: str) -> None:
    with pytest.raises(InvalidBrief) as caught:
        brief(**changes)
    assert caught.value.at == at


def test_fold_scores_are_judged_by_scikit_learn_where_it_defines_them() -> None:
    rng = np.random.default_rng(0)
    truth = rng.integers(0, 3, 200)
    probabilities = rng.dirichlet(np.ones(3), 200)
    expected = sk.roc_auc_score(truth, probabilities, multi_class="ovr", average="macro")
    assert METRICS["ROC AUC"].compute(truth, probabilities, 3) == pytest.approx(expected, abs=1e-12)


@pytest.mark.parametrize(("key", "task"), [(m.key, task) for m in METRICS.values() for task in m.tasks])
def test_a_weight_of_two_is_the_row_twice(key: str, task: str) -> None:
    rng = np.random.default_rng(8)
    classes = {"binary": 2, "multiclass": 3, "regression": 0}[task]
    truth = rng.integers(0, classes, 60) if classes else rng.gamma(3.0, size=60)
    given = rng.dirichlet(np.ones(classes), 60) if classes else rng.gamma(3.0, size=60)
    predicted = given.argmax(axis=1) if METRICS[key].needs == "labels" else given
    times = rng.integers(1, 3, 60)
    rows = np.repeat(np.arange(60), times)
    twice = METRICS[key].compute(truth[rows], predicted[rows], classes)
    slack = 0.1 if key in ("median absolute error", "Spearman correlation") else 1e-9  # ranks are of rows, not of weights
    assert METRICS[key].compute(truth, predicted, classes, times.astype(float)) == pytest.approx(twice, abs=slack)


@given(
    st.integers(1, 400),
    st.sampled_from([1, 2, 5, 40, 10**6]),
    st.sampled_from(["none", "some", "zeros"]),
    st.integers(0, 2**31 - 1),
)
def test_ranking_is_scikit_learns_to_the_last_bit(rows: int, values: int, weighing: str, seed: int) -> None:
    rng = np.random.default_rng(seed)
    truth = rng.integers(0, 2, rows)
    score = rng.integers(0, values, rows) / values  # with ties
    weight = {"none": None, "some": rng.random(rows) + 0.1, "zeros": rng.integers(0, 3, rows).astype(float)}[weighing]
    counted = np.ones(rows) if weight is None else weight
    predicted = np.stack([1 - score, score], axis=1)
    found = {key: METRICS[key].compute(truth, predicted, 2, weight) for key in ("average precision", "ROC AUC")}
    if not (truth * counted).any():
        assert np.isnan(found["average precision"])
    else:
        assert found["average precision"] == pytest.approx(
            sk.average_precision_score(truth, score, sample_weight=weight), abs=1e-12
        )
    if not (truth * counted).any() or not ((1 - truth) * counted).any():
        assert np.isnan(found["ROC AUC"])
    else:
        assert found["ROC AUC"] == sk.roc_auc_score(truth, score, sample_weight=weight)


def test_what_is_no_number_ranks_nothing() -> None:
    for key in ("average precision", "ROC AUC"):
        with pytest.raises(ValueError, match="NaN or infinity"):
            METRICS[key].compute(np.array([0, 1]), np.array([[0.5, 0.5], [0.1, np.nan]]), 2)


def test_top_two_ranks_equals_as_scikit_learn_does() -> None:
    rng = np.random.default_rng(3)
    for _ in range(50):
        predicted = rng.integers(0, 3, (40, 4)) / 4  # ties everywhere
        truth = rng.integers(0, 4, 40)
        wanted = sk.top_k_accuracy_score(truth, predicted, k=2, labels=np.arange(4))
        assert METRICS["top-2 accuracy"].compute(truth, predicted, 4) == pytest.approx(wanted)


def test_how_much_is_tested_and_learnt_from_is_counted() -> None:
    time = np.arange(100, dtype=float)
    rows = Rows(np.zeros(100), np.ones(100, dtype=bool), time=time)
    ordered = assign_folds(SplitPlan("ordered", 4, 0.0, 1), rows).tested
    assert ordered.rows == 80
    assert ordered.to_train == pytest.approx((1 + 1 / 2 + 1 / 3 + 1 / 4) / 4)
    repeated = assign_folds(SplitPlan("shuffled", 5, 0.0, 1, repeats=3), rows).tested
    assert repeated.rows == 300
    assert repeated.to_train == pytest.approx(1 / 4)


def test_a_gap_beside_a_holdout_that_is_not_by_time_is_refused_with_the_reason() -> None:
    rows = Rows(np.zeros(100), np.ones(100, dtype=bool), time=np.arange(100, dtype=float))
    with pytest.raises(InvalidBrief, match="A gap needs a holdout by time") as refused:
        assign_folds(SplitPlan("ordered", 4, 0.2, 1, gap=3, holdout_by="random"), rows)
    assert refused.value.at == "holdout"
