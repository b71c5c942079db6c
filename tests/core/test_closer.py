"""A closer look at the best trial: how fine it sees, what it keeps to, and when there is nothing to see."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from pellux.core.space import Configuration, Space, draw, parse
from pellux.core.strategies import Observation, SeedStream
from pellux.core.strategies.closer import Box, closer
from pellux.core.strategies.fresh import taken
from pellux.core.strategies.gaussian_process import Design, propose
from pellux.core.surrogates.coding import Coding

CUBE = parse("a: 0 .. 1\nb: 0 .. 1\nc: 0 .. 1")
TOP = (0.31, 0.62, 0.48)
PLACES = st.lists(st.floats(0, 1), min_size=2, max_size=2).map(np.array)


def away(c: Configuration) -> float:
    return math.dist([float(c[name]) for name in "abc"], TOP)


def cone(c: Configuration) -> float:
    """Pointed, among a thousand small hills."""
    return -away(c) + 0.02 * sum(math.cos(40 * (float(c[name]) - top)) for name, top in zip("abc", TOP, strict=True))


def scored(space: Space, value: Callable[[Configuration], float], count: int, seed: int = 1) -> list[Observation]:
    rng = np.random.default_rng(seed)
    drawn = [draw(space, rng) for _ in range(count)]
    return [Observation(c, (value(c),), 1.0, "scored") for c in drawn]


def look(space: Space, history: list[Observation], pending: tuple[Configuration, ...] = ()) -> Configuration | None:
    return closer(space, history, pending, taken(history, pending), np.random.default_rng([5, len(history), len(pending)]))


def best(history: list[Observation]) -> Configuration:
    return max(history, key=lambda o: o.mean if o.mean is not None else -math.inf).configuration


def test_it_comes_nearer_by_orders_of_magnitude() -> None:
    history = scored(CUBE, cone, 60)
    before = away(best(history))
    for _ in range(40):
        found = look(CUBE, history)
        assert found is not None
        history.append(Observation(found, (cone(found),), 1.0, "scored"))
    assert before > 0.1
    assert away(best(history)) < 1e-3


@given(centre=PLACES, half=PLACES, inside=PLACES)
def test_a_box_keeps_to_the_space_and_to_itself(centre: np.ndarray, half: np.ndarray, inside: np.ndarray) -> None:
    box = Box(centre, np.maximum(half, 1e-9))
    low, high = box.ends
    placed = low + inside * (high - low)
    outside = box.outward(placed)
    assert ((outside >= 0) & (outside <= 1)).all()
    assert box.inward(outside) == pytest.approx(placed, abs=1e-6)
    assert (np.abs(outside - centre) <= box.half * (1 + 1e-9) + 1e-12).all()


def test_it_looks_among_the_nearest_and_not_where_something_is_pending() -> None:
    history = scored(CUBE, cone, 200)
    points = np.array([CUBE.encode(o.configuration) for o in history])
    top = CUBE.encode(best(history))
    farther = np.sort(np.abs(points - top).max(1))[30]  # thirty trials, ten a number, are what it knows
    first = look(CUBE, history)
    assert first is not None
    second = look(CUBE, history, (first,))
    assert second is not None
    assert np.abs(CUBE.encode(first) - top).max() <= 2 * farther
    assert np.abs(CUBE.encode(first) - CUBE.encode(second)).max() > 1e-3


def test_it_keeps_options_requirements_and_what_is_inactive() -> None:
    space = parse("kind: x | y\na: 0 .. 1 if kind == x\nb: 0 .. 1\nsteps: 1 .. 40 int\nrequire b <= 0.6")

    def value(c: Configuration) -> float:
        return (c["kind"] == "y") + float(c["b"]) - 0.01 * abs(int(c["steps"]) - 20)

    history = scored(space, value, 150)
    for _ in range(12):
        found = look(space, history)
        assert found is not None
        assert found["kind"] == "y"
        assert "a" not in found
        space.check(found)
        assert space.fulfils(found)
        history.append(Observation(found, (value(found),), 1.0, "scored"))
    assert best(history)["b"] > 0.59


@pytest.mark.parametrize(
    ("space", "value", "count"),
    [
        ("a: 0 .. 1\nb: 0 .. 1", lambda c: c["a"], 20),  # too few
        ("a: 0 .. 1\nb: 0 .. 1", lambda c: 1.0, 60),  # all equal
        ("a: 0 .. 1\nb: 0 .. 1", lambda c: math.sin(1e6 * float(c["a"])), 120),  # as good as noise
        ("a: 0 .. 1\nb: 0 .. 1\nc: 0 .. 1", lambda c: math.sin(1e6 * float(c["a"])), 200),
        ("a: x | y | z", lambda c: float(c["a"] == "x"), 60),  # no numbers
        ("k: 0 .. 1\na: p | q | r | s | t | u | v", lambda c: c["k"], 60),  # few have the best one's options
    ],
)
def test_where_there_is_nothing_to_see_it_says_so(space: str, value: Callable[[Configuration], float], count: int) -> None:
    made = parse(space)
    assert look(made, scored(made, value, count)) is None


def test_what_is_left_has_to_be_worth_a_trial() -> None:
    line = parse("a: 0 .. 1\nb: 0 .. 1")
    near = [Observation({"a": 0.5 + i * 1e-9, "b": 0.5 - i * 1e-9}, (1.0 + i * 1e-9,), 1.0, "scored") for i in range(40)]
    far = scored(line, lambda c: float(c["a"]) / 10, 100)
    assert look(line, far + near) is None
    assert look(line, near) is not None, "where that is all there ever was to gain, it is"
    differ = [
        propose(line, far + near, [], 1, SeedStream(3, number))
        != propose(line, far + near, [], 1, SeedStream(3, number), Design(closer=None))
        for number in (141, 150)
    ]
    assert differ == [False, True], "every thirtieth proposal looks all the same"


def test_scores_beyond_all_measure_do_not_hide_what_is_left() -> None:
    history = scored(CUBE, lambda c: cone(c) if away(c) < 0.42 else -1e9 * away(c), 150)
    assert sum(o.mean is not None and o.mean < -1e6 for o in history) > 80
    found = look(CUBE, history)
    assert found is not None
    assert away(found) < 2 * away(best(history))


def test_every_third_proposal_of_a_long_search_is_one() -> None:
    history = scored(CUBE, cone, 101)
    plain = Design(closer=None)
    differ = [
        propose(CUBE, history, [], 1, SeedStream(3, number)) != propose(CUBE, history, [], 1, SeedStream(3, number), plain)
        for number in (102, 103, 104)
    ]
    assert differ == [True, False, False]
    columns = Coding.of(CUBE).features(np.array([CUBE.encode(best(history))]))
    answer = propose(CUBE, history, [], 1, SeedStream(3, 102))
    assert np.abs(CUBE.encode(answer.configurations[0]) - columns[0]).max() < 0.5  # type: ignore[union-attr]
    short = history[:60]
    assert propose(CUBE, short, [], 1, SeedStream(3, 61)) == propose(CUBE, short, [], 1, SeedStream(3, 61), plain)
