"""Even spread, evolution and gain per second against what their papers promise: discrepancy, steps along differences, cost."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import qmc

from pellux.core.space import Configuration, Space, identity, parse
from pellux.core.strategies import STRATEGIES, Observation, SeedStream, even_spread

SQUARE = parse("x: 0 .. 1\ny: 0 .. 1")
Score = Callable[[Configuration], float]


def played(key: str, space: Space, score: Score, trials: int, seed: int = 0) -> list[Observation]:
    history: list[Observation] = []
    for number in range(1, trials + 1):
        answer = STRATEGIES[key].propose(space, history, [], 1, SeedStream(seed, number))
        for configuration in answer.configurations:
            history.append(Observation(configuration, (score(configuration),), cost(configuration), "scored", number=number))
    return history


def cost(configuration: Configuration) -> float:
    return float(configuration.get("trees", 1.0))  # type: ignore[arg-type]


def hills(configuration: Configuration) -> float:
    x, y = float(configuration["x"]), float(configuration["y"])  # type: ignore[arg-type]
    return -((x - 0.3) ** 2) - 2 * (y - 0.8) ** 2


# Even spread


@given(st.integers(0, 10_000))
def test_an_even_spread_leaves_smaller_gaps_than_chance(seed: int) -> None:
    """Centred discrepancy by SciPy: below that of random points of the same number, at every start."""
    spread = np.array([SQUARE.encode(even_spread.point(SQUARE, SeedStream(seed, n))) for n in range(1, 33)])
    seeds = np.random.default_rng(seed).random((20, 32, 2))
    assert qmc.discrepancy(spread) < min(qmc.discrepancy(points) for points in seeds)


def test_every_option_of_a_choice_comes_equally_often() -> None:
    space = parse("kind: a | b | c | d\nx: 0 .. 1")
    kinds = [even_spread.point(space, SeedStream(3, n))["kind"] for n in range(1, 65)]  # type: ignore[index]
    assert [kinds.count(kind) for kind in "abcd"] == [16] * 4


def test_a_spread_goes_on_where_it_stopped_whoever_asks() -> None:
    whole = [even_spread.point(SQUARE, SeedStream(5, n)) for n in range(1, 9)]
    assert [even_spread.point(SQUARE, SeedStream(5, n)) for n in (4, 8, 1)] == [whole[3], whole[7], whole[0]]
    assert len({identity(c) for c in whole if c is not None}) == 8


# Evolution


def test_evolution_closes_in_on_the_best() -> None:
    """Differences between members shrink as they gather: later proposals lie nearer to the best than early ones."""
    history = played("evolution", SQUARE, hills, 160)
    best = max(history, key=lambda o: o.mean or -np.inf).configuration
    far = [np.abs(SQUARE.encode(o.configuration) - SQUARE.encode(best)).max() for o in history]
    assert np.mean(far[-30:]) < 0.25 * np.mean(far[:30])
    assert hills(best) > -1e-3


def test_evolution_keeps_what_its_members_agree_on() -> None:
    """A step is a difference of members: a coordinate in which all that are known agree is left by redrawing only."""
    space = parse("x: 0 .. 1\nkind: a | b | c")
    rng = np.random.default_rng(1)
    history = [
        Observation({"x": float(x), "kind": "b"}, (-((x - 0.5) ** 2),), 1.0, "scored", number=n + 1)
        for n, x in enumerate(rng.random(60))
    ]
    kinds = [
        STRATEGIES["evolution"].propose(space, history, [], 1, SeedStream(0, 61 + n)).configurations[0]["kind"] for n in range(40)
    ]
    assert kinds.count("b") >= 25


# Gain per second

FOREST = parse("trees: 10 .. 1000 int log, costly\ndepth: 1 .. 20 int")


def worth(configuration: Configuration) -> float:
    """More trees help a little, the right depth a lot."""
    trees, depth = float(configuration["trees"]), float(configuration["depth"])  # type: ignore[arg-type]
    return -(((depth - 12) / 20) ** 2) + 0.02 * float(np.log10(trees / 10))


def test_thrift_finds_the_cheap_setting_before_it_pays_for_the_costly_one() -> None:
    thrifty, random = (played(key, FOREST, worth, 40) for key in ("gain per second", "random"))
    goal = -0.003

    def spent(history: list[Observation]) -> float:
        reached = next((i for i, o in enumerate(history) if (o.mean or -1) >= goal), len(history) - 1)
        return sum(o.seconds for o in history[: reached + 1])

    assert spent(thrifty) < 0.5 * spent(random)
    assert thrifty[0].configuration["trees"] == 10, "it begins at the cheapest"


def test_thrift_begins_cheap_beside_a_baseline_but_not_in_a_search_that_knows_more() -> None:
    baseline = {"trees": 100, "depth": 10}
    known = Observation(baseline, (0.5,), 1.0, "scored", elsewhere=True)

    def first(history: list[Observation], pending: list[Configuration]) -> Configuration:
        return STRATEGIES["gain per second"].propose(FOREST, history, pending, 1, SeedStream(1, 1)).configurations[0]

    assert first([], [baseline])["trees"] == 10
    assert first([known], []) != first([], [])
    assert first([], [first([], [])]) != first([], []), "it is taken"


@pytest.mark.parametrize("key", ["evolution", "gain per second", "even spread"])
def test_failures_and_equal_scores_are_no_end(key: str) -> None:
    space = parse("x: 0 .. 1\nn: 1 .. 50 int\nkind: a | b")
    history = [
        Observation({"x": n / 30, "n": n + 1, "kind": "ab"[n % 2]}, () if n % 3 else (0.5,), 1.0, "failed" if n % 3 else "scored")
        for n in range(30)
    ]
    seen = {identity(o.configuration) for o in history}
    for number in range(31, 43):
        found = STRATEGIES[key].propose(space, history, [], 1, SeedStream(2, number)).configurations[0]
        assert space.fulfils(found)
        assert identity(found) not in seen
        seen.add(identity(found))
        history.append(Observation(found, (0.5,), 1.0, "scored", number=number))
