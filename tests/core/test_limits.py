"""Limits: read as they are written, kept by means over folds, and known to every strategy."""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np
import pytest
from benchmarks.strategies import limited as made_up
from hypothesis import example, given
from hypothesis import strategies as st

from pellux.core.errors import InvalidPlan
from pellux.core.judging.limits import Limit, kept, read_limit, read_limits, slacks
from pellux.core.settings import NoSettings
from pellux.core.space import draw, parse
from pellux.core.strategies import STRATEGIES, Observation, SeedStream, Suggest
from pellux.core.strategies.keeping import Keeping, ordered
from pellux.core.surrogates.coding import Coding

MEASURED = {"predict ms": False, "model mb": False, "recall": True, "top-2 accuracy": True}


@pytest.mark.parametrize(
    ("text", "limit"),
    [
        ("predict ms <= 5", Limit("predict ms", False, 5.0)),
        ("recall≥.8", Limit("recall", True, 0.8)),
        ("top-2 accuracy >= 1e-1", Limit("top-2 accuracy", True, 0.1)),
    ],
)
def test_a_limit_is_read_as_it_is_written(text: str, limit: Limit) -> None:
    assert read_limit(text) == limit
    assert read_limit(limit.text) == limit


@pytest.mark.parametrize(
    ("texts", "words"),
    [
        (["fast"], "is not a limit. Write 'predict ms <= 5'"),
        (["predict ms <= 1e999"], "too large for a limit"),
        (["f1 >= 0.5"], "'f1' is not measured, so no limit on it can be kept. Measured: predict ms"),
        (["precision >= 0.5"], "decides already"),
        (["predict ms >= 5"], "smaller is better: a limit on it is written 'predict ms <= 5'"),
        (["recall <= 0.5"], "'recall >= 0.5'"),
        (["recall >= 0.5", "recall >= 0.7"], "two limits, recall >= 0.5 and recall >= 0.7"),
        (["model mb <= 0"], "cannot be kept"),
        (["recall >= 0.5"] * 7, "at most 6"),
    ],
)
def test_limits_that_cannot_be_meant_are_refused_with_a_sentence(texts: list[str], words: str) -> None:
    with pytest.raises(InvalidPlan) as refused:
        read_limits(texts, MEASURED, "precision", at="plan.limits")
    assert words in refused.value.message
    assert refused.value.at == "plan.limits"


def test_what_was_not_measured_keeps_no_limit() -> None:
    limits = read_limits(["predict ms <= 5", "recall >= 0.8"], MEASURED, "precision")
    assert slacks(limits, {"predict ms": 3.0, "recall": 0.75}) == pytest.approx((2.0, -0.05))
    assert not kept(slacks(limits, {"predict ms": 3.0, "recall": 0.75}))
    assert not kept(slacks(limits, {"predict ms": 3.0}))
    assert kept(slacks(limits, {"predict ms": 5.0, "recall": 0.8}))
    assert kept(())


TRIAL = st.tuples(st.floats(-5, 5), st.floats(-3, 3), st.booleans())


@given(st.lists(TRIAL, min_size=1, max_size=20))
@example([(0.0, 0.0, True), (0.0, 2.2e-311, True), (0.0, -1.0, True)])
def test_in_order_what_keeps_the_limits_stands_before_what_breaks_them_less(trials: list[tuple[float, float, bool]]) -> None:
    history = [
        Observation({"x": i}, (score,) if told else (), 1.0, "scored" if told else "failed", slack=(slack if told else math.nan,))
        for i, (score, slack, told) in enumerate(trials)
    ]
    found = ordered(history)
    assert [o.mean is None for o in found] == [o.mean is None for o in history]
    good = [(o.mean, n.mean) for o, n in zip(history, found, strict=True) if o.mean is not None and o.keeps]
    assert all(old == new for old, new in good)
    broken = sorted(((-o.slack[0], n.mean) for o, n in zip(history, found, strict=True) if o.mean is not None and not o.keeps))
    assert all(mean < new for _, new in good for _, mean in broken)
    assert all(more <= less for (_, less), (_, more) in pairwise(broken))


def some(space_text: str, count: int, unit: float = 1.0) -> list[Observation]:
    space, rng = parse(space_text), np.random.default_rng(3)
    found = []
    for number in range(1, count + 1):
        c = draw(space, rng)
        x, y = float(c["x"]), float(c["y"])  # type: ignore[arg-type]
        noise = 0.1 * rng.standard_normal()
        slack = unit * (0.5 - x - 0.3 * y + noise), unit * (y - 0.2 - noise)
        found.append(Observation(c, (-((x - 0.8) ** 2) - y,), 1.0, "scored", number=number, slack=slack))
    return found


PLANE = "x: 0 .. 1\ny: 0 .. 1"


def test_the_chance_of_keeping_has_the_slope_that_it_says() -> None:
    history = some(PLANE, 14)
    coding = Coding.of(parse(PLANE))
    features = coding.features(np.array([coding.space.encode(o.configuration) for o in history]))
    model = Keeping.of(coding, features, history, (True, False))
    assert model is not None
    at, step = np.random.default_rng(5).random((6, 2)), 1e-6
    value, slopes = model.with_slopes(at, 2)
    np.testing.assert_allclose(value, model.log_chance(at), rtol=1e-9)
    for column in range(2):
        ahead, behind = at.copy(), at.copy()
        ahead[:, column] += step
        behind[:, column] -= step
        measured = (model.log_chance(ahead) - model.log_chance(behind)) / (2 * step)
        np.testing.assert_allclose(slopes[:, column], measured, rtol=2e-3, atol=1e-4)


def test_the_unit_of_a_limit_does_not_matter() -> None:
    def asked(unit: float) -> dict[str, object]:
        answer = STRATEGIES["gaussian process"].ask(parse(PLANE), some(PLANE, 12, unit), [], 1, SeedStream(4, 13), NoSettings())
        assert isinstance(answer, Suggest)
        return dict(answer.configurations[0])

    plain, huge = asked(1.0), asked(1e12)
    assert [huge[name] for name in ("x", "y")] == pytest.approx([plain[name] for name in ("x", "y")], abs=1e-3)


@pytest.mark.parametrize("seed", [1, 2])
def test_a_small_part_that_may_be_used_is_found_and_searched(seed: int) -> None:
    """A fiftieth of the plane keeps the limit; independent draws find it in 20 with a chance of three in ten."""
    name = "sines, a fiftieth may be used"
    reached, first, _ = made_up.play(name, "gaussian process", seed, 25)
    assert first is not None
    assert first <= 20
    best, share = made_up.best(name)
    assert 0.01 < share < 0.03
    assert best - reached[-1] < 0.1


@pytest.mark.parametrize("way", ["parzen density", "evolution"])
def test_strategies_without_models_of_limits_look_where_they_are_kept(way: str) -> None:
    one, entry, history = made_up.named("Branin"), STRATEGIES[way], list[Observation]()
    for number in range(1, 61):
        answer = entry.ask(one.space, history, [], 1, SeedStream(2, number), NoSettings())
        assert isinstance(answer, Suggest)
        [c] = answer.configurations
        history.append(Observation(c, (one.problem.truth(c),), 1.0, "scored", number=number, slack=one.slack(c)))
    late = [o.keeps for o in history[30:]]
    assert np.mean(late) > 0.75
