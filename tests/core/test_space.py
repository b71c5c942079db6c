"""Spaces: text, JSON and unit cube go round without loss; values keep their type; mistakes are shown where they stand."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from jsonschema import Draft202012Validator

from pellux.core.errors import InvalidSpace, NotationError
from pellux.core.space import (
    Choice,
    Counting,
    Fixed,
    Integer,
    Real,
    Space,
    YesNo,
    from_json,
    identity,
    parse,
    schema,
    to_json,
    write,
)
from tests.core.spaces import parameters, spaces

POSITIONS = st.floats(0, 1)


@given(spaces())
def test_text_and_back(space: Space) -> None:
    assert parse(write(space)) == space


@given(spaces())
def test_json_and_back(space: Space) -> None:
    form = json.loads(json.dumps(to_json(space)))
    Draft202012Validator(schema()).validate(form)
    assert from_json(form) == space
    assert [type(p) for p in from_json(form).parameters] == [type(p) for p in space.parameters]


@given(parameters(), POSITIONS)
def test_unit_interval_and_back(parameter, position: float) -> None:  # type: ignore[no-untyped-def]
    value = parameter.decode(position)
    assert parameter.contains(value)
    place = parameter.encode(value)
    assert 0 <= place <= 1
    again = parameter.decode(place)
    assert type(again) is type(value)
    assert again == value if not isinstance(value, float) else again == pytest.approx(value, rel=1e-9, abs=1e-12)


@given(spaces(), st.randoms(use_true_random=False))
def test_a_configuration_is_one_point(space: Space, random) -> None:  # type: ignore[no-untyped-def]
    drawn = space.decode([random.random() for _ in range(space.dimension)])
    space.check(drawn)
    point = space.encode(drawn)
    assert point.shape == (space.dimension,)
    assert np.allclose(space.encode(space.decode(point)), point, atol=1e-9)
    assert list(drawn) == [p.name for p in space.parameters]


@given(parameters())
def test_count_is_the_number_of_values(parameter) -> None:  # type: ignore[no-untyped-def]
    if parameter.count is not None and parameter.count < 3000:
        values = list(parameter.values())
        assert len(values) == parameter.count == len({(type(v), v) for v in values})
        assert all(parameter.contains(v) for v in values)


@given(spaces(), st.data())
def test_nth_walks_all_of_a_finite_space(space: Space, data: st.DataObject) -> None:
    if Counting.of(space).total is None:
        return
    if Counting.of(space).total <= 400:
        every = [identity(Counting.of(space).nth(space, i)) for i in range(Counting.of(space).total)]
        assert len(set(every)) == Counting.of(space).total
    space.check(Counting.of(space).nth(space, data.draw(st.integers(0, Counting.of(space).total - 1))))


def test_an_int_is_an_int_for_ever() -> None:
    space = parse("depth: 2 .. 20 int\nrows: 10 .. 1000 int log\nsize: 16 | 32\nbins: 255\nrate: 0 .. 1")
    for position in np.linspace(0, 1, 41):
        found = json.loads(json.dumps(space.decode([position] * 4)))
        assert [type(found[name]) for name in ("depth", "rows", "size", "bins", "rate")] == [int, int, int, int, float]


def test_log_ranges_give_every_decade_its_share() -> None:
    rate = Real(name="rate", low=1e-4, high=1.0, log=True)
    drawn = np.array([rate.decode(u) for u in np.random.default_rng(0).random(20_000)])
    shares = np.histogram(np.log10(drawn), bins=4, range=(-4, 0))[0] / len(drawn)
    assert np.allclose(shares, 0.25, atol=0.015)


def test_whole_numbers_share_the_interval_evenly() -> None:
    depth = Integer(name="depth", low=1, high=5)
    drawn = [depth.decode(u) for u in (np.arange(10_000) + 0.5) / 10_000]
    assert [drawn.count(v) for v in range(1, 6)] == [2000] * 5


def test_ends_belong_to_a_range_exactly() -> None:
    rate = Real(name="rate", low=1e-3, high=0.3, log=True)
    assert (rate.decode(0.0), rate.decode(1.0)) == (1e-3, 0.3)
    stepped = Real(name="drop", low=0.0, high=0.6, step=0.1)
    assert list(stepped.values()) == [0.0, 0.1, 0.2, 0.3, 0.4, 0.5, 0.6]


def test_the_notation_of_the_guide_reads_as_it_says() -> None:
    space = parse(
        """
        model:   logistic | forest *2 | boosting *3   # a weight
        C:       1e-4 .. 1e3 log
        trees:   40 .. 600 int log
        drop:    0 .. 0.6, step 0.1
        warm:    yes | no
        name:    "two words" | "ünï"
        bins:    255
        """
    )
    assert space.parameters == (
        Choice(name="model", options=("logistic", "forest", "boosting"), weights=(1.0, 2.0, 3.0)),
        Real(name="C", low=1e-4, high=1e3, log=True),
        Integer(name="trees", low=40, high=600, log=True),
        Real(name="drop", low=0.0, high=0.6, step=0.1),
        YesNo(name="warm"),
        Choice(name="name", options=("two words", "ünï"), weights=(1.0, 1.0)),
        Fixed(name="bins", value=255),
    )
    assert Counting.of(space).total is None
    assert Counting.of(parse("a: 1 .. 3 int\nb: yes | no\nc: 0 .. 1 step 0.25")).total == 3 * 2 * 5


MISTAKES = [
    # text, line, column, words in the message
    ("rate 3 .. 4", 1, 6, "Expected ':'"),
    ("a: 1 .. 2\nrate: 3 ... 4", 2, 11, "'.' has no meaning"),
    ("rate: 5 .. 3", 1, 7, "lower end must be below"),
    ("rate: 3 .. 3", 1, 7, "write 'rate: 3'"),
    ("rate: 0 .. 3 log", 1, 7, "lower end above 0"),
    ("rate: -1 .. 3 log", 1, 7, "lower end above 0"),
    ("a: 0.5 .. 3 int", 1, 4, "whole numbers"),
    ("a: 1 .. 3 step 0", 1, 4, "step must be above 0"),
    ("a: 1 .. 3 step 9", 1, 4, "leaves one value"),
    ("a: 1 .. 3 step", 1, 15, "Expected a number"),
    ("a: 1 .. many", 1, 9, "ends with a number"),
    ("a: few .. 3", 1, 4, "begins with a number"),
    ("a: 1 | ", 1, 7, "is not a value"),
    ("a: x | x", 1, 4, "stands twice"),
    ("a: x *0 | y", 1, 7, "above 0"),
    ("a: x *-2 | y", 1, 7, "above 0"),
    ("a: x *y | z", 1, 7, "A weight is a number"),
    ("a: 1 .. 3 foo", 1, 11, "Expected 'int', 'log', 'step'"),
    ("a: 1 .. 3 int int", 1, 15, "does not fit"),
    ("a: 1 .. 3, ", 1, 11, "does not fit here"),
    ('a: "x', 1, 4, "closing quote"),
    ("3a: 1 .. 2", 1, 1, "no meaning"),
    ("int: 1 .. 2", 1, 1, "cannot name a parameter"),
    ("a-b: 1 .. 2", 1, 1, "cannot name a parameter"),
    ("a: 1 .. 2\na: 3 .. 4", 2, 1, "earlier line"),
    ("a: 1e999", 1, 4, "not a finite number"),
    ("a: __import__('os')", 1, 15, "no meaning"),
]


@pytest.mark.parametrize(("text", "line", "column", "words"), MISTAKES, ids=[m[0][:24] for m in MISTAKES])
def test_a_mistake_is_shown_where_it_stands(text: str, line: int, column: int, words: str) -> None:
    with pytest.raises(NotationError) as caught:
        parse(text)
    error = caught.value
    assert (error.line, error.column) == (line, column)
    assert words in error.message
    shown, caret = error.message.splitlines()[-2:]
    assert shown.strip() == text.split("\n")[line - 1].strip()
    assert caret.index("^") - 2 == column - 1


@given(st.text(max_size=60))
def test_any_text_parses_or_is_refused_in_words(text: str) -> None:
    try:
        space = parse(text)
    except InvalidSpace as error:
        assert error.message
    else:
        assert parse(write(space)) == space


@pytest.mark.parametrize(
    ("form", "words"),
    [
        ([{"name": "a", "kind": "range", "from": 1}], "not complete"),
        ([{"name": "a", "kind": "whole range", "from": 1.5, "to": 3}], "whole numbers"),
        ([{"name": "a", "kind": "wheel"}], "kind 'wheel' is unknown"),
        ([{"name": "a b", "kind": "fixed", "value": 1}], "not a parameter name"),
        ([{"name": "a", "kind": "choice", "options": [{"value": 1}]}], "at least two options"),
        ([{"name": "a", "kind": "fixed", "value": 1}, {"name": "a", "kind": "fixed", "value": 2}], "stands twice"),
    ],
)
def test_a_wrong_json_form_is_refused_with_its_parameter(form: list[dict[str, object]], words: str) -> None:
    with pytest.raises(InvalidSpace, match=words) as caught:
        from_json(form)
    assert caught.value.at


def test_check_names_what_lies_outside() -> None:
    space = parse("a: 1 .. 3 int\nb: x | y")
    for wrong, words in (
        ({"a": 4, "b": "x"}, "outside the space"),
        ({"a": 2.0, "b": "x"}, "outside the space"),
        ({"a": True, "b": "x"}, "outside the space"),
        ({"a": 2}, "no value"),
        ({"a": 2, "b": "x", "c": 1}, "no such parameter"),
    ):
        with pytest.raises(InvalidSpace, match=words):
            space.check(wrong)  # type: ignore[arg-type]


def test_the_grammar_file_lists_the_reserved_words() -> None:
    from pellux.core.space import tokens

    grammar = (Path(tokens.__file__).parent / "notation.ebnf").read_text("utf-8")
    listed = set(grammar.rpartition("reserved words:")[2].replace("*)", "").split())
    assert listed == tokens.RESERVED | {"yes", "no"}
