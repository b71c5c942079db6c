"""Conditions and requirements: what is active, what is met, how many there are, and mistakes shown where they stand."""

from __future__ import annotations

import json
from itertools import product

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from pellux.core.errors import InvalidSpace, NotationError
from pellux.core.space import Counting, Space, draw, from_json, identity, parse, repair, to_json, write
from pellux.core.space.expression_reader import read_expression
from pellux.core.space.expressions import Not, holds, violation, with_words
from tests.core.spaces import conditional_spaces

PIPELINE = """
model: logistic | forest *2 | boosting *3
C: 1e-4 .. 1e3 log if model == logistic
trees: 40 .. 600 int log, start 60, costly if model == forest
depth: 2 .. 20 int if model in (forest, boosting)
rate: 0.01 .. 0.3 log if model == boosting
jitter: ~ normal(0, 0.1)
min_split: 2 .. 40 int
min_leaf: 1 .. 20 int
require min_split >= 2 * min_leaf
"""


@given(conditional_spaces())
def test_text_json_and_back(space: Space) -> None:
    assert parse(write(space)) == space
    assert from_json(json.loads(json.dumps(to_json(space)))) == space


@given(conditional_spaces(), st.integers(0, 1000))
def test_draws_lie_in_the_space_and_snapping_is_decoding(space: Space, seed: int) -> None:
    rng = np.random.default_rng(seed)
    for _ in range(5):
        space.check(draw(space, rng))
    points = rng.random((40, space.dimension))
    wanted = np.array([space.encode(space.decode(point)) for point in points])
    assert np.allclose(space.snap(points), wanted, equal_nan=True, atol=1e-9)


def test_only_active_parameters_have_values() -> None:
    space, rng = parse(PIPELINE), np.random.default_rng(1)
    private = {"logistic": {"C"}, "forest": {"trees", "depth"}, "boosting": {"depth", "rate"}}
    drawn = [draw(space, rng) for _ in range(400)]
    for configuration in drawn:
        active = set(configuration) - {"model", "jitter", "min_split", "min_leaf"}
        assert active == private[str(configuration["model"])]
        assert int(configuration["min_split"]) >= 2 * int(configuration["min_leaf"])
    shares = [sum(c["model"] == m for c in drawn) / 400 for m in private]
    assert np.allclose(shares, [1 / 6, 2 / 6, 3 / 6], atol=0.08)


@given(st.data())
def test_counting_agrees_with_walking_every_combination(data: st.DataObject) -> None:
    conditions = ["a == x", "b > 2", "a == y and b <= 2", "not c", "c or b == 3"]
    rules = ["b + d <= 5", "b != d or c", "d ** 2 < 12", "a in (x, z) or d > 1", "-d < b * 2 - 5"]
    some = st.lists(st.sampled_from(rules), max_size=2, unique=True)
    text = (
        f"a: x | y | z\nb: 1 .. 4 int\nc: yes | no if {data.draw(st.sampled_from(conditions[:3]))}\nd: 1 .. 4 int\n"
        f"e: 1 .. 3 int if {data.draw(st.sampled_from(conditions))}\nf: u | v if e == 2\ng: 1 .. 2 int\n"
        + "".join(f"require {rule}\n" for rule in data.draw(some))
    )
    space = parse(text)
    found = set()
    # Independently of conditions' order: all values of everything, then what is inactive taken out.
    values = {p.name: list(p.values()) for p in space.parameters}
    for combination in product(*values.values()):
        full = dict(zip(values, combination, strict=True))
        kept: dict[str, object] = {}
        for name in ("a", "b", "c", "d", "e", "f", "g"):
            condition = space.by_name[name].condition
            if condition is None or holds(condition, kept):  # type: ignore[arg-type]
                kept[name] = full[name]
        if all(violation(r, kept) == 0 for r in space.requirements):  # type: ignore[arg-type]
            found.add(identity(kept))  # type: ignore[arg-type]
    counting = Counting.of(space)
    assert counting.total == len(found)
    assert {identity(counting.nth(space, i)) for i in range(counting.total or 0)} == found


@given(st.recursive(
    st.sampled_from(["a", "b", "2", "0.5"]),
    lambda inner: st.builds(lambda left, sign, right: f"({left} {sign} {right})", inner, st.sampled_from("+-*/"), inner),
    max_leaves=8,
), st.sampled_from(["<", "<=", ">", ">=", "==", "!="]), st.floats(0.5, 4), st.floats(0.5, 4))  # fmt: skip
def test_arithmetic_means_what_python_means(text: str, sign: str, a: float, b: float) -> None:
    expression = read_expression(f"{text} {sign} 1")
    try:
        wanted = eval(f"{text} {sign} 1", {}, {"a": a, "b": b})
    except ZeroDivisionError:
        wanted = False
    assert holds(expression, {"a": a, "b": b}) == wanted
    assert holds(read_expression(str(expression)), {"a": a, "b": b}) == wanted


@pytest.mark.parametrize(
    ("text", "line", "column", "words"),
    [
        ("a: 1 .. 2 if b == 1", 1, 14, "b is no parameter of this space"),
        ("a: 1 .. 2 if b > 1\nb: 1 .. 3 if a > 1", 1, 14, "run in a circle: a → b → a"),
        ("a: x | y\nb: 1 .. 2 if a == z", 2, 14, "which it never is. It takes: x, y"),
        ("a: x | y\nb: 1 .. 2 if a == x\nc: 1 .. 2 if a == y and b > 1", 3, 14, "never true"),
        ("a: 1 .. 2\nrequire a > 3", 2, 9, "cannot be met: the nearest found, a = 2.0"),
        ("a: 1 .. 5 int\nb: 1 .. 5 int\nrequire a > b\nrequire b > a", 3, 9, "cannot be met together with the other"),
        ("a: 1 .. 2, start 5", 1, 4, "the start 5.0 is outside"),
        ("a: x *0 | y", 1, 7, "must be above 0"),
        ("a: x *-2 | y", 1, 7, "must be above 0"),
        ("a: 1 .. 2 if", 1, 13, "Expected a parameter, a number"),
        ("a: 1 .. 2 soon", 1, 11, "Expected 'int', 'log', 'step', 'levels', 'start', 'costly', 'if'"),
        ("a: ~ norml(0, 1)", 1, 6, "Expected normal, lognormal, exponential, beta"),
        ("a: ~ normal(0, -1)", 1, 4, "the sd of a normal is above 0"),
        ("a: ~ normal(0)", 1, 4, "takes 2 numbers (mean, sd). Got 1"),
        ("a: 1 .. 2\nrequire a(1) > 2", 2, 10, "There are no calls"),
        ("a: 1 .. 2\nrequire a = 2", 2, 11, "Expected '==' for equality"),
        ("a: 1 .. 2\nrequire 1 < a < 2", 2, 15, "Comparisons do not chain"),
        ("a: x | y\nrequire a > 2", 2, 9, "it is a choice of words"),
        ("a: 1 .. 2\nrequire a + 1", 2, 9, "is neither true nor false"),
        ("a: x | y, costly", 1, 4, "only a number can be costly"),
        ("a: 1 .. 2\nrequire " + "(" * 90 + "a" + ")" * 90 + " > 1", 2, 70, "nest at most 60 deep"),
    ],
)
def test_mistakes_show_where_they_stand(text: str, line: int, column: int, words: str) -> None:
    with pytest.raises(NotationError) as caught:
        parse(text)
    assert (caught.value.line, caught.value.column) == (line, column), str(caught.value)
    assert words in str(caught.value)
    assert str(caught.value).splitlines()[-1] == "  " + " " * (column - 1) + "^"


def test_repair_comes_back_from_far_outside() -> None:
    space = parse("a: 1 .. 1000 int\nb: 1 .. 1000 int\nc: 0 .. 1\nrequire a >= 900 and b <= 100\nrequire a >= 9.5 * b")
    far = {"a": 1, "b": 1000, "c": 0.5}
    found = repair(space, far, np.random.default_rng(0))
    space.check(found)
    assert found["c"] == 0.5, "what no broken requirement names stays"


def test_a_configuration_is_placed_in_another_space_when_it_means_the_same() -> None:
    defaults = {"rate": 0.1, "depth": 6, "warm": False}
    narrow = parse("rate: 0.05 .. 0.2 log\ndepth: 2 .. 9 int")
    assert narrow.placed({"rate": 0.06}, defaults) == {"rate": 0.06, "depth": 6}
    assert narrow.placed({"rate": 0.06, "warm": True}, defaults) is None, "warm is at its default in the narrow space"
    assert narrow.placed({"rate": 0.5}, defaults) is None
    switched = parse("warm: yes | no\nrate: 0 .. 1 if warm == yes")
    assert switched.placed({"warm": False, "rate": 0.1}, defaults) == {"warm": False}
    assert switched.placed({"warm": False, "rate": 0.4}, defaults) is None, "an inactive setting is at its default"


def test_start_values_make_a_whole_configuration() -> None:
    start = parse(PIPELINE).start
    assert start is not None
    assert start["model"] == "boosting", "the likeliest option where no start is given"
    assert parse("a: 1 .. 9 int, start 3\nb: 0 .. 1").start == {"a": 3, "b": 0.5}
    assert parse("a: 1 .. 9 int").start is None
    with pytest.raises(InvalidSpace, match="no such parameter"):
        parse("a: 1 .. 9 int").completed({"z": 1})


def test_five_hundred_parameters_are_no_trouble() -> None:
    space = parse("\n".join(f"p{i}: 0 .. 1" + (f" if p{i - 1} > 0.2" if i % 50 == 1 else "") for i in range(500)))
    assert len(draw(space, np.random.default_rng(0))) > 480


@given(st.permutations(["inner > 3", "switch == on", "word == deep", "1 / size > 2"]), st.sampled_from(["or", "and"]))
def test_the_order_of_the_parts_of_a_condition_does_not_matter(parts: list[str], junction: str) -> None:
    """Whether one that names an inactive parameter, or has no value, stands first or last."""
    configurations = [
        {"switch": switch, "word": word, "size": size, **inner}
        for switch in ("on", "off")
        for word in ("deep", "flat")
        for size in (0, 1)
        for inner in ({}, {"inner": 2}, {"inner": 5})
    ]
    plain = sorted(parts)
    known = frozenset({"inner", "switch", "word", "size"})
    written = [with_words(read_expression(f" {junction} ".join(some)), known) for some in (parts, plain)]
    for turned in (written, [Not(one) for one in written]):
        for configuration in configurations:
            assert holds(turned[0], configuration) == holds(turned[1], configuration)
            assert violation(turned[0], configuration) == pytest.approx(violation(turned[1], configuration))


def test_as_many_configurations_whichever_way_a_condition_is_written() -> None:
    spaces = [
        parse(f"kind: a | b | c\ninner: 1 .. 2 int if kind == a\nlast: 1 .. 3 int if {condition}")
        for condition in ("inner == 2 or kind == b", "kind == b or inner == 2")
    ]
    assert [Counting.of(space).total for space in spaces] == [1 + 3 + 3 + 1] * 2
