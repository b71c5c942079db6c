"""The numbers behind a decision, each against an independent computation."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats
from sklearn import metrics as reference
from sklearn.calibration import calibration_curve

from pellux.core.errors import Conflict, InvalidPlan
from pellux.core.judging import BINARY, METRICS, MULTICLASS, REGRESSION
from pellux.core.judging.comparisons import compare, holm, lower_bound
from pellux.core.judging.diagnostics import Cuts, calibration, confusion, most_confused, per_class
from pellux.core.judging.honest_score import honest_score
from pellux.core.judging.predictions import as_needed, assemble_repeats, decode, encode
from pellux.core.judging.selection import Candidate, one_standard_error, select
from pellux.core.judging.weighted import weighted_scores

CASES = [(key, task) for key, metric in METRICS.items() for task in metric.tasks]


def made_up(task: str, rng: np.random.Generator, rows: int = 60):
    """Truth and predictions in the form a learner gives them, with ties."""
    if task == REGRESSION:
        truth = rng.normal(1e3, 5, rows)
        return truth, truth + rng.normal(0, 3, rows).round(1), 0
    classes = 2 if task == BINARY else 4
    truth = np.r_[np.arange(classes), np.arange(classes), rng.integers(0, classes, rows - 2 * classes)]
    raw = (rng.random((rows, classes)) + 0.7 * np.eye(classes)[truth]).round(1) + 0.05
    return truth, raw / raw.sum(axis=1, keepdims=True), classes


@pytest.mark.parametrize(("key", "task"), CASES)
@settings(max_examples=12, deadline=None)
@given(seed=st.integers(0, 10_000))
def test_weighted_scores_are_those_of_the_repeated_rows(key: str, task: str, seed: int) -> None:
    rng = np.random.default_rng(seed)
    truth, given_by_learner, classes = made_up(task, rng)
    metric = METRICS[key]
    predicted = as_needed(given_by_learner, metric.needs)
    group = np.sort(
        np.r_[np.zeros(2 * classes, dtype=int), np.ones(2 * classes, dtype=int), rng.integers(0, 2, len(truth) - 4 * classes)]
    )
    both = np.r_[np.arange(classes), np.arange(classes)].astype(truth.dtype)
    for g in range(2 if classes else 0):
        truth[np.flatnonzero(group == g)[: 2 * classes]] = both  # every class is there
    weights = rng.integers(0, 3, (len(truth), 3)).astype(np.float32)
    for g in range(2):
        weights[np.flatnonzero(group == g)[: max(2 * classes, 2)]] = 1
    found = weighted_scores(metric, truth, predicted, classes, weights, group)
    for g in range(2):
        for column, score in zip(weights.T, found[g], strict=True):
            rows = np.repeat(np.flatnonzero(group == g), column[group == g].astype(int))
            assert score == pytest.approx(metric.compute(truth[rows], predicted[rows], classes), rel=1e-5, abs=1e-6)


def test_a_metric_without_a_weighted_form_is_computed_on_repeated_rows() -> None:
    class Odd:
        key, sign = "somebody's own", 1

        @staticmethod
        def compute(truth, predicted, classes, weight=None):
            return float(np.sum(predicted)) - len(truth)

    found = weighted_scores(
        Odd, np.zeros(3), np.array([1.0, 2.0, 4.0]), 0, np.array([[1, 0], [0, 3], [1, 0]]), np.zeros(3, dtype=int)
    )
    assert found.tolist() == [[5 - 2, 6 - 3]]


def test_the_corrected_t_test_by_hand() -> None:
    """Ten folds of 90/10 rows: the variance of the mean is (1/10 + 1/9) times that of the differences."""
    gaps = np.array([2, 1, 3, 2, 0, 4, 2, 3, 1, 2]) / 100
    variance = sum((Fraction(g) - 2) ** 2 for g in (2, 1, 3, 2, 0, 4, 2, 3, 1, 2)) / 9
    t = 2 / float((Fraction(1, 10) + Fraction(1, 9)) * variance) ** 0.5
    found = compare(0.8 + gaps, np.full(10, 0.8), 1 / 9, 0.01)
    assert found.p_value == pytest.approx(2 * stats.t.sf(t, 9), rel=1e-9)
    posterior = stats.t(9, loc=0.02, scale=0.02 / t)
    assert (found.better, found.same, found.worse) == pytest.approx(
        (posterior.sf(0.01), posterior.cdf(0.01) - posterior.cdf(-0.01), posterior.cdf(-0.01)), rel=1e-9
    )


@settings(max_examples=50, deadline=None)
@given(st.lists(st.floats(-1, 1), min_size=2, max_size=12), st.floats(0, 0.2))
def test_comparisons_are_probabilities_and_turn_round(gaps: list[float], region: float) -> None:
    nothing = [0.0] * len(gaps)
    one, other = compare(gaps, nothing, 0.25, region), compare(nothing, gaps, 0.25, region)
    assert one.better + one.same + one.worse == pytest.approx(1, abs=1e-9)
    assert (one.better, one.p_value) == pytest.approx((other.worse, other.p_value), abs=1e-9)


def test_equal_scores_are_the_same_and_one_fold_decides_nothing() -> None:
    same = compare([0.7, 0.7], [0.7, 0.7], 1.0, 0.0)
    assert (same.p_value, same.same) == (1.0, 1.0)
    always = compare([0.75, 0.85, 0.65], [0.7, 0.8, 0.6], 0.5, 0.01)
    assert (always.better, always.p_value) == (1.0, 0.0)
    assert lower_bound([0.5], 0.25) == -np.inf
    with pytest.raises(ValueError, match="pairs"):
        compare([1.0], [1.0, 2.0], 0.25, 0.0)


def test_holm_as_in_the_textbook() -> None:
    assert holm([0.01, 0.04, 0.03, 0.005]) == pytest.approx([0.03, 0.06, 0.06, 0.02])
    assert holm([]) == []
    assert holm([0.9, 0.8]) == [1.0, 1.0]


def test_one_standard_error_takes_the_cheapest_that_is_near_enough() -> None:
    means, errors = [0.80, 0.79, 0.70, 0.785], [0.02, 0.01, 0.01, 0.01]
    assert one_standard_error(means, errors, [9.0, 3.0, 0.1, 1.0]) == 3
    assert one_standard_error(means, [0.0] * 4, [9.0, 3.0, 0.1, 1.0]) == 0
    assert one_standard_error(means, [None] * 4, [9.0, 3.0, 0.1, 1.0]) == 0
    assert one_standard_error(means, errors, [9.0, 1.0, 0.1, 0.9], noise=1.25) == 1, "as cheap, and better"
    assert one_standard_error(means, errors, [1.0, 0.9, 0.1, 0.95], noise=1.25) == 0, "hardly cheaper than the best"
    assert one_standard_error(means, errors, [1.2, 1.1, 0.1, 0.9], noise=1.25) == 0, "hardly cheaper than the best either"
    assert one_standard_error(means, errors, [np.inf] * 4, noise=1.25) == 0


def test_the_lower_bound_prefers_a_steady_trial() -> None:
    steady = Candidate((0.79, 0.80, 0.81), 0.80, 0.006, 1.0)
    wild = Candidate((0.60, 0.90, 0.93), 0.81, 0.105, 1.0)
    assert select("highest mean", [steady, wild], 0.5) == 1
    assert select("best lower bound", [wild, steady], 0.5) == 1
    half = np.sqrt((1 / 3 + 0.5) * 0.0001) * stats.t.ppf(0.95, 2)
    assert lower_bound(steady.scores, 0.5) == pytest.approx(0.8 - half)
    with pytest.raises(InvalidPlan, match="Allowed: highest mean"):
        select("lucky dip", [steady], 0.5)
    with pytest.raises(InvalidPlan, match="nothing"):
        select("highest mean", [], 0.5)


@pytest.mark.parametrize("task", [BINARY, MULTICLASS, REGRESSION])
def test_predictions_come_back_as_they_went_in(task: str) -> None:
    _, predicted, classes = made_up(task, np.random.default_rng(1))
    needs = "values" if task == REGRESSION else "probabilities"
    back = decode(encode(predicted, needs), classes)
    assert back == pytest.approx(predicted, abs=1e-7 if task == MULTICLASS else 1e-15)
    if task != REGRESSION:
        labels = predicted.argmax(axis=1)
        assert decode(encode(labels, "labels"), classes).tolist() == labels.tolist()
        assert as_needed(labels, "probabilities") is None


def test_probabilities_are_kept_in_the_shortest_faithful_form_and_sameness_compresses() -> None:
    many = np.random.default_rng(0).dirichlet(np.ones(200), 50)
    assert len(encode(many, "probabilities")) <= 1 + 50 * 200 * 4
    assert decode(encode(many, "probabilities"), 200) == pytest.approx(many, rel=1e-6)
    assert np.array_equal(decode(encode(many, "probabilities", lambda back: np.array_equal(back, many)), 200), many)
    half = b"h" + many.astype("<f2").tobytes()
    assert decode(half, 200) == pytest.approx(many, rel=2e-3, abs=1e-6), "what earlier versions kept"
    surer = np.array([[1e-20, 1.0], [0.25, 0.75]])  # 1 - 1.0 is not 1e-20
    assert np.array_equal(decode(encode(surer, "probabilities", lambda back: False), 2), surer)
    assert len(encode(np.tile([0.25, 0.75], (1000, 1)), "probabilities")) < 100
    with pytest.raises(Conflict, match="kind"):
        decode(b"?abc", 2)


def test_curves_and_tables_agree_with_the_reference() -> None:
    rng = np.random.default_rng(4)
    truth, probabilities, _ = made_up(BINARY, rng, 500)
    score = probabilities[:, 1]
    cuts = Cuts.of(truth == 1, score)
    false_alarms, recall, thresholds = reference.roc_curve(truth, score, drop_intermediate=False)
    assert cuts.recall == pytest.approx(recall)
    assert cuts.false_alarm_rate == pytest.approx(false_alarms)
    assert cuts.threshold[1:] == pytest.approx(thresholds[1:])
    precision, recall, _ = reference.precision_recall_curve(truth, score)
    assert cuts.precision[1:] == pytest.approx(precision[:-1][::-1])
    thin = Cuts.of(rng.random(5000) < 0.3, rng.random(5000)).thinned(50)
    assert len(thin.threshold) <= 50
    assert (thin.recall[0], thin.recall[-1], thin.false_alarm_rate[-1]) == (0, 1, 1)

    truth, probabilities, classes = made_up(MULTICLASS, rng, 300)
    said = probabilities.argmax(axis=1)
    matrix = confusion(truth, said, classes)
    assert matrix.tolist() == reference.confusion_matrix(truth, said).tolist()
    expected = reference.precision_recall_fscore_support(truth, said)
    for code, line in enumerate(per_class(matrix)):
        assert (line.precision, line.recall, line.f1, line.rows) == pytest.approx([column[code] for column in expected])
    assert most_confused(matrix)[0][2] == (matrix - np.diag(np.diag(matrix))).max()
    assert most_confused(np.eye(3, dtype=int)) == []


def test_calibration_bins_hold_all_rows_once() -> None:
    rng = np.random.default_rng(3)
    score = rng.random(2000)
    came = rng.random(2000) < score
    bins = calibration(came, score)
    expected = calibration_curve(came, score, n_bins=10, strategy="quantile")
    assert np.array([(b.came, b.said) for b in bins]) == pytest.approx(np.column_stack(expected))
    assert sum(b.rows for b in bins) == 2000
    assert all(abs(b.said - b.came) < 0.1 for b in bins)
    assert [b.rows for b in calibration(np.array([0, 1, 1]), np.array([0.5, 0.5, 0.5]))] == [3]


def luck_of_equals(rng: np.random.Generator, rows: int, trials: int):
    """Trials that are all right with chance 0.7, whatever they seem to be."""
    truth = rng.integers(0, 2, rows)
    right = rng.random((trials, rows)) < 0.7
    return truth, np.where(right, truth, 1 - truth), np.arange(rows) % 5


def test_the_honest_score_takes_the_luck_out() -> None:
    """Equal trials: the best of forty seems better than 0.7; the honest score does not. The same holds place by place."""
    raw, honest, places, inside = [], [], [], 0
    for seed in range(30):
        rng = np.random.default_rng(seed)
        truth, said, fold = luck_of_equals(rng, 200, 40)
        found = honest_score(METRICS["accuracy"], truth, fold, 2, lambda chosen, said=said: (said[i] for i in chosen), 40, rng)
        raw.append(found.raw - 0.7)
        honest.append(found.score - 0.7)
        inside += found.low <= 0.7 <= found.high
        assert sum(found.wins) == pytest.approx(1)
        assert (found.places[0].raw, found.places[0].score) == pytest.approx((found.raw, found.score))
        assert len({place.trial for place in found.places}) == 20
        places.append([(place.raw - 0.7, place.score - 0.7) for place in found.places])
    seemed, expected = np.mean(places, axis=0).T
    assert list(seemed) == sorted(seemed, reverse=True)
    assert np.abs(expected).max() < 0.02 < seemed[2]
    assert np.mean(raw) > 0.05
    assert abs(np.mean(honest)) < np.mean(raw) / 4
    assert inside >= 26


def test_the_honest_score_is_that_of_plain_loops() -> None:
    """The paper's algorithm once more, row list by row list, with draws of its own."""
    rng = np.random.default_rng(8)
    truth, said, fold = luck_of_equals(rng, 150, 12)
    ours = honest_score(METRICS["accuracy"], truth, fold, 2, lambda chosen: (said[i] for i in chosen), 12, rng)
    judged = []
    for _ in range(400):
        drawn = [rng.choice(np.flatnonzero(fold == k), 30) for k in range(5)]
        left = [np.setdiff1d(np.flatnonzero(fold == k), rows) for k, rows in enumerate(drawn)]

        def mean(p: np.ndarray, parts: list[np.ndarray]) -> float:
            return float(np.mean([np.mean(truth[rows] == p[rows]) for rows in parts]))

        judged.append(mean(said[int(np.argmax([mean(p, drawn) for p in said]))], left))
    assert ours.score == pytest.approx(np.mean(judged), abs=0.012)
    assert (ours.low, ours.high) == pytest.approx(np.quantile(judged, (0.025, 0.975)), abs=0.03)


def test_the_honest_score_of_one_trial_is_its_own_and_a_clear_winner_keeps_its_lead() -> None:
    rng = np.random.default_rng(0)
    truth, said, fold = luck_of_equals(rng, 300, 3)
    alone = honest_score(METRICS["accuracy"], truth, fold, 2, lambda chosen: (said[i] for i in chosen), 1, rng)
    assert alone.score == pytest.approx(alone.raw, abs=1e-9)
    best = np.vstack([said, truth])
    clear = honest_score(METRICS["accuracy"], truth, fold, 2, lambda chosen: (best[i] for i in chosen), 4, rng)
    assert (clear.contenders, clear.wins[3], clear.score) == (1, 1.0, 1.0)


def test_the_honest_score_refuses_what_it_cannot_say() -> None:
    rng = np.random.default_rng(0)
    with pytest.raises(Conflict, match="kept"):
        honest_score(METRICS["accuracy"], np.zeros(0), np.zeros(0), 2, lambda chosen: [], 0, rng)
    with pytest.raises(Conflict, match="too few rows"):
        only = np.array([[0.5, 0.5]] * 4)
        honest_score(
            METRICS["ROC AUC"], np.array([0, 1, 0, 1]), np.array([0, 0, 1, 1]), 2, lambda chosen: [only for _ in chosen], 1, rng
        )


def test_repeats_all_count_in_the_raw_and_the_honest_score() -> None:
    rng = np.random.default_rng(8)
    rows, trials, metric = 200, 6, METRICS["log loss"]
    truth = rng.integers(0, 2, rows)
    lines = np.stack([rng.permutation(rows) % 5 for _ in range(3)])
    said = [np.clip(0.5 + 0.3 * (np.tile(truth, 3) - 0.5) + rng.normal(0, 0.2, 3 * rows), 0.02, 0.98) for _ in range(trials)]
    predicted = [np.column_stack([1 - p, p]) for p in said]
    found = honest_score(metric, truth, lines, 2, lambda chosen: (predicted[i] for i in chosen), trials, rng)
    means = [
        np.mean(
            [
                reference.log_loss(truth[lines[r] == f], p[r * rows :][:rows][lines[r] == f], labels=[0, 1])
                for r in range(3)
                for f in range(5)
            ]
        )
        for p in predicted
    ]
    assert found.raw == pytest.approx(min(means), abs=1e-12)
    assert found.low < found.score < found.high
    assert found.score > found.raw, "the best of many is too good"
    parts = {r * 5 + f: encode(predicted[0][r * rows :][:rows][lines[r] == f], "probabilities") for r in range(3) for f in range(5)}
    assert assemble_repeats(parts, lines, 5, 2) == pytest.approx(predicted[0])
    assert assemble_repeats({f: parts[f] for f in list(parts)[:-1]}, lines, 5, 2) is None
