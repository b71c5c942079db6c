"""Spaces that somebody writes to hold the server up: each is refused with what it exceeds, and none takes long to read."""

from __future__ import annotations

import numpy as np
import pytest

from pellux.core.errors import InvalidSpace
from pellux.core.space import parse
from pellux.core.space.feasibility import draw

CHAIN = "a0: yes | no\n" + "\n".join(f"a{i}: yes | no if a{i - 1}" for i in range(1, 60))


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("a: 0 .. 1 levels 1000000000", "levels of a grid; at most 1,000"),
        ("a: 0 .. " + "9" * 400, "A number of 400 characters"),
        ("a: 0 .. 1e400", "not a finite number"),
        ("a: -1.7e308 .. 1.7e308", "too far apart"),
        ("a: 0 .. 9223372036854775808 int", "go to 2\\^53"),
        ("a: 0 .. 1\nb: 1 | 2 if " + " and ".join(["a > 0"] * 3000), "at most 100 names and values"),
        ("a: 0 .. 1\nrequire " + " + ".join(["a"] * 500) + " > 0", "at most 100 names and values"),
        ("a: 0 .. 1\nrequire a in (" + ",".join(["1"] * 3000) + ")", "at most 100 names and values"),
        ("a: 0 .. 1\n" + "require a > 0.1\n" * 3000, "3,000 requirements; at most 200"),
        ("\n".join(f"a{i}: 0 .. 1" for i in range(3000)), "3,000 parameters; at most 500"),
        ("a: " + " | ".join(f"x{i}" for i in range(5000)), "5,000 options; at most 1,000"),
        ("a: 0 .. 1\nrequire " + "(" * 500 + "a > 0" + ")" * 500, "at most 60 deep"),
        ('a: "' + "x" * 50_000 + '" | b', "50,000 characters"),
        ('a: "\\ud800" | b', "stands for no character"),
        ("# " + "x" * 300_000, "300,002 characters; at most 200,000"),
    ],
)
def test_what_is_too_large_is_refused(text: str, words: str) -> None:
    with pytest.raises(InvalidSpace, match=words):
        parse(text)


def test_long_chains_of_conditions_are_reached() -> None:
    space = parse(CHAIN)
    assert len(space.parameters) == 60
    with pytest.raises(InvalidSpace, match="a3: its condition .* is never true"):
        parse(CHAIN.replace("a3: yes | no if a2", "a3: yes | no if a2 and not a1"))


def test_many_requirements_are_met_together() -> None:
    count = 40
    text = "\n".join(f"a{i}: 0 .. 1" for i in range(count)) + "\n" + "\n".join(f"require a{i} > 0.9" for i in range(count))
    space = parse(text)
    found = draw(space, np.random.default_rng(3))
    assert space.fulfils(found)
