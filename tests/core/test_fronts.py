"""Fronts: who stands on one, how much it covers, where it is expected to grow, and what is chosen on it."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pellux.core.errors import InvalidPlan
from pellux.core.judging.aims import Aim, read_aims, turned
from pellux.core.judging.fronts import boxes, choose, course, hypervolume, layers, on_front, reference_point, standing
from pellux.core.judging.honest_front import honest_front
from pellux.core.judging.metrics import OURS
from pellux.core.settings import NoSettings
from pellux.core.space import draw, parse
from pellux.core.strategies import STRATEGIES, Observation, SeedStream, Suggest
from pellux.core.strategies.gains import VolumeImprovement
from pellux.core.surrogates.coding import Coding
from pellux.core.surrogates.gaussian_process import Posterior, fit

MEASURED = {"predict ms": False, "model mb": False, "recall": True}


@pytest.mark.parametrize(
    ("names", "words"),
    [
        (["predict ms", "model mb", "recall"], "4 metrics cannot decide together: at most 3"),
        (["predict ms", "model mb", "recall", "a", "b", "c"], "7 metrics"),
        (["average precision"], "decides already"),
        (["recall", "recall"], "named twice"),
        (["latency"], "is not measured"),
    ],
)
def test_what_cannot_be_weighed_is_refused_with_a_reason(names: list[str], words: str) -> None:
    with pytest.raises(InvalidPlan, match=words):
        read_aims(names, MEASURED, "average precision")


def test_aims_are_turned_so_that_larger_is_better() -> None:
    aims = read_aims(["predict ms", "recall"], MEASURED, "average precision")
    assert aims == (Aim("predict ms", False), Aim("recall", True))
    found = turned(aims, {"predict ms": 5.0})
    assert found[0] == -5.0
    assert np.isnan(found[1])


def beaten(values: np.ndarray, i: int) -> bool:
    known = values[np.isfinite(values).all(1)]
    return bool(((known >= values[i]).all(1) & (known > values[i]).any(1)).any())


levels = st.one_of(st.integers(0, 5).map(float), st.just(float("nan")))
tables = st.integers(1, 3).flatmap(
    lambda m: st.lists(st.tuples(*[levels] * m), min_size=1, max_size=18).map(lambda rows: np.array(rows, dtype=float))
)


@settings(max_examples=150, deadline=None)
@given(tables)
def test_layers_are_fronts_taken_away_one_by_one(values: np.ndarray) -> None:
    whole = np.isfinite(values).all(1)
    expected, left, depth = np.full(len(values), -1), whole.copy(), 0
    while left.any():
        now = np.where(left[:, None], values, np.nan)
        front = np.array([left[i] and not beaten(now, i) for i in range(len(values))])
        if depth == 0:
            assert (on_front(values) == front).all()
        expected[front] = depth
        left &= ~front
        depth += 1
    assert (layers(values) == expected).all()
    places = standing(values)
    assert (np.isfinite(places) == whole).all()
    order = np.argsort(-places[whole], kind="stable")
    assert (np.diff(expected[whole][order]) >= 0).all(), "a nearer layer stands before a farther one"


@settings(max_examples=80, deadline=None)
@given(tables, st.integers(0, 10_000))
def test_boxes_hold_what_a_front_does_not_cover_and_each_place_once(values: np.ndarray, seed: int) -> None:
    values = values[np.isfinite(values).all(1)]
    if not len(values):
        return
    metrics, rng = values.shape[1], np.random.default_rng(seed)
    reference = np.full(metrics, -0.5)
    low, high = boxes(values[on_front(values)], reference)
    places = rng.random((500, metrics)) * 7 - 0.5
    times = [int(((p > low) & (p <= high)).all(1).sum()) for p in places]
    covered = [(values >= p).all(1).any() for p in places]
    assert times == [0 if one else 1 for one in covered]
    # Values are whole numbers: cells that end at them make the volume a count.
    cells = np.stack(np.meshgrid(*[np.arange(0.0, 6.0)] * metrics, indexing="ij"), -1).reshape(-1, metrics)
    wide = np.prod(np.where(cells == 0, 0.5, 1.0), axis=1)  # the first ends at the reference point
    inside = np.array([(values >= cell).all(1).any() for cell in cells])
    assert hypervolume(values, reference) == pytest.approx(float(wide[inside].sum()))
    grown = course(values, reference)
    assert (np.diff(grown) >= -1e-12).all()
    assert grown[-1] == pytest.approx(hypervolume(values, reference))


def test_the_knee_lies_furthest_from_the_line_through_the_ends_and_weights_reach_every_point() -> None:
    across = np.linspace(0, 1, 21)
    bulge = np.stack([across, np.sqrt(1 - across**2)], axis=1)
    knee = choose(bulge)
    assert knee is not None
    ends = bulge[[0, -1]]
    normal = np.array([1.0, 1.0]) / np.sqrt(2)
    assert knee == int(np.argmax((bulge - ends[0]) @ normal))
    hollow = np.stack([across, (1 - across) ** 2], axis=1)  # no weighted sum would choose a point between the ends of this one
    chosen = [choose(hollow, (w, 1 - w)) for w in np.linspace(0.02, 0.98, 97)]
    assert len(set(chosen)) > 15
    assert (choose(hollow, (1, 0)), choose(hollow, (0, 1))) == (20, 0)
    assert choose(np.full((3, 2), np.nan)) is None


def test_the_reference_point_lies_beyond_the_front_and_the_baseline() -> None:
    values = np.array([[0.0, 10.0], [1.0, 0.0], [0.5, 5.0], [0.2, 1.0], [np.nan, 99.0]])
    assert reference_point(values) == pytest.approx([-0.1, -1.0])
    assert reference_point(values, np.array([-1.0, 20.0])) == pytest.approx([-1.1, -1.0])
    assert reference_point(np.array([[1.0, 1.0]])) == pytest.approx([0.9, 0.9]), "one point has no extent"


@pytest.mark.parametrize("metrics", [2, 3])
def test_expected_growth_is_the_mean_over_draws_and_its_slopes_are_right(metrics: int) -> None:
    rng, space = np.random.default_rng(metrics), parse("x: 0 .. 1\ny: 0 .. 1")
    coding = Coding.of(space)
    points = rng.random((9, 2))
    features = coding.features(points)
    columns = [np.sin(3 * points[:, 0] + j) + points[:, 1] * (1 - j) for j in range(metrics)]
    posteriors = [Posterior(fit(features, c, np.ones(9), coding.groups), features, c, np.ones(9), coding.groups) for c in columns]
    values = np.stack(columns, axis=1)
    reference = values.min(0) - 0.1
    front = values[on_front(values)]
    gain = VolumeImprovement(posteriors, front, reference)
    asked = coding.features(rng.random((3, 2)))
    told, slopes = gain.with_slopes(asked, 2)
    assert told == pytest.approx(gain.log(asked))
    before = hypervolume(front, reference)
    for place in range(3):
        drawn = np.stack(
            [
                m + d * rng.standard_normal(400)
                for m, d in ((p[0][place], p[1][place]) for p in (q.predict(asked) for q in posteriors))
            ],
            1,
        )
        grown = np.array([hypervolume(np.vstack([front, one]), reference) - before for one in drawn])
        error = 4 * float(grown.std()) / np.sqrt(len(grown))
        assert float(np.exp(told[place])) == pytest.approx(float(grown.mean()), abs=error + 1e-9)
    for column in range(2):
        step = np.zeros_like(asked)
        step[:, column] = 1e-5
        numeric = (gain.log(asked + step) - gain.log(asked - step)) / 2e-5
        assert slopes[:, column] == pytest.approx(numeric, rel=1e-3, abs=1e-4)


# Strategies

SPACE = parse("x: 0 .. 1\ny: 0 .. 1")
REFERENCE = np.array([-18.0, -6.0])


def two(c: dict[str, object]) -> tuple[float, float]:
    """Branin and Currin, both to be small (Belakaria et al. 2019)."""
    a, b = float(c["x"]), float(c["y"])  # type: ignore[arg-type]
    x, y = 15 * a - 5, 15 * b
    branin = (y - 5.1 / (4 * np.pi**2) * x**2 + 5 / np.pi * x - 6) ** 2 + 10 * (1 - 1 / (8 * np.pi)) * np.cos(x) + 10
    damp = 1 - np.exp(-1 / (2 * b)) if b > 0 else 1.0
    currin = damp * (2300 * a**3 + 1900 * a**2 + 2092 * a + 60) / (100 * a**3 + 500 * a**2 + 4 * a + 20)
    return -float(branin), -float(currin)


def searched(way: str, trials: int, seed: int = 1, unit: float = 1.0, limit: float | None = None) -> np.ndarray:
    history: list[Observation] = []
    for number in range(1, trials + 1):
        answer = STRATEGIES[way].ask(SPACE, history, [], 1, SeedStream(seed, number), NoSettings())
        assert isinstance(answer, Suggest)
        [c] = answer.configurations
        first, second = two(c)
        slack = () if limit is None else (limit - float(c["x"]),)  # type: ignore[arg-type]
        history.append(Observation(c, (first,), 1.0, "scored", number=number, slack=slack, beside=(unit * second,)))
    return np.array([(o.mean if o.keeps else np.nan, o.beside[0] / unit) for o in history], dtype=float)


def test_the_gaussian_process_covers_in_two_and_twenty_trials_what_random_draws_do_not_in_ten_times_as_many() -> None:
    rng = np.random.default_rng(5)
    drawn = np.array([two(dict(draw(SPACE, rng))) for _ in range(300)])
    assert hypervolume(searched("gaussian process", 22), REFERENCE) > hypervolume(drawn, REFERENCE)


def test_units_do_not_matter() -> None:
    usual, tiny = searched("gaussian process", 10), searched("gaussian process", 10, unit=1e-12)
    assert usual == pytest.approx(tiny, rel=1e-3)


def test_a_front_within_limits_is_looked_for_inside_them() -> None:
    found = searched("gaussian process", 18, limit=0.5)
    kept = np.isfinite(found[:, 0])
    assert kept[9:].mean() > 0.75
    assert hypervolume(found, REFERENCE) > 25


@pytest.mark.parametrize("way", ["parzen density", "evolution"])
def test_strategies_without_models_are_told_of_fronts_by_an_order(way: str) -> None:
    rng = np.random.default_rng(5)
    drawn = np.median([hypervolume(np.array([two(dict(draw(SPACE, rng))) for _ in range(70)]), REFERENCE) for _ in range(25)])
    assert np.median([hypervolume(searched(way, 70, seed), REFERENCE) for seed in (1, 2, 3)]) > drawn


def test_two_metrics_that_are_one_are_searched_as_one() -> None:
    history: list[Observation] = []
    for number in range(1, 19):
        answer = STRATEGIES["gaussian process"].ask(SPACE, history, [], 1, SeedStream(2, number), NoSettings())
        assert isinstance(answer, Suggest)
        [c] = answer.configurations
        score = two(c)[0]
        history.append(Observation(c, (score,), 1.0, "scored", number=number, beside=(score,)))
    assert max(o.mean or -np.inf for o in history) > -0.5, "near the best of Branin, -0.398"


@pytest.mark.parametrize("way", ["gaussian process", "parzen density", "gain per second"])
def test_a_constant_metric_a_missing_one_and_failures_stop_no_proposal(way: str) -> None:
    rng, history = np.random.default_rng(3), list[Observation]()
    for number in range(1, 15):
        c = draw(SPACE, rng)
        state = "failed" if number % 5 == 0 else "scored"
        beside = (np.nan,) if number % 4 == 0 else (7.0,)
        history.append(Observation(c, (float(c["x"]),) if state == "scored" else (), 1.0, state, number=number, beside=beside))  # type: ignore[arg-type]
    answer = STRATEGIES[way].ask(SPACE, history, [], 1, SeedStream(1, 15), NoSettings())
    assert isinstance(answer, Suggest)


# What to expect


def test_the_knee_of_many_lucky_trials_is_expected_to_be_worse_than_it_looks() -> None:
    rng = np.random.default_rng(1)
    rows, trials = 300, 40
    truth = rng.integers(0, 2, rows)
    fold = np.arange(rows) % 5
    told = np.clip(0.3 + 0.4 * truth + 0.45 * rng.standard_normal((trials, rows)), 0, 1)  # all are equally good
    both = np.stack([1 - told, told], axis=2)
    metric = OURS.get("ROC AUC")
    seconds = rng.random(trials)
    scores = np.array([np.mean([metric.compute(truth[fold == f], p[fold == f], 2, None) for f in range(5)]) for p in both])
    values = np.stack([scores, -seconds], axis=1)
    found = honest_front(
        [metric, None], values, truth, fold, 2, lambda _, chosen: (both[i] for i in chosen), np.random.default_rng(2)
    )
    knee = choose(values)
    assert knee is not None
    assert found[0].raw == pytest.approx(scores[knee])
    assert found[1].raw == pytest.approx(-seconds[knee])
    assert found[0].low is not None
    assert found[0].low < scores.mean() < found[0].high  # type: ignore[operator]
    assert abs(found[0].score - scores.mean()) < abs(found[0].raw - scores.mean()), "nearer to what they all are"
    assert found[1].low is None, "seconds do not change with the rows"
