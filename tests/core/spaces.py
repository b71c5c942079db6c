"""Hypothesis strategies that make any parameter and any space."""

from __future__ import annotations

from dataclasses import replace

from hypothesis import strategies as st

from pellux.core.space import Choice, Distributed, Fixed, Integer, Parameter, Real, Space, YesNo, parse
from pellux.core.space.tokens import RESERVED

NAMES = st.from_regex(r"[A-Za-z_][A-Za-z0-9_]{0,9}", fullmatch=True).filter(lambda name: name not in RESERVED | {"yes", "no"})
NUMBERS = st.floats(-1e6, 1e6, allow_nan=False).map(lambda x: float(f"{x:.9g}"))
WORDS = st.one_of(st.from_regex(r"[a-z][a-z_]{0,8}", fullmatch=True), st.text(max_size=8)).filter(lambda w: "\x00" not in w)
VALUES = st.one_of(st.integers(-(10**6), 10**6), NUMBERS, WORDS, st.booleans())


@st.composite
def reals(draw: st.DrawFn) -> Real:
    log = draw(st.booleans())
    low = draw(st.floats(1e-9, 1e3)) if log else draw(NUMBERS)
    least = max(1e-3, 1e-7 * abs(low))  # apart in the nine digits that are kept
    high = low * draw(st.floats(1.5, 1e6)) if log else low + draw(st.floats(least, 1e5))
    low, high = float(f"{low:.9g}"), float(f"{high:.9g}")
    step = draw(st.none() | st.floats(0.01, 0.5)) if high - low > 1e-4 else None
    return Real(name=draw(NAMES), low=low, high=high, log=log, step=None if step is None else float(f"{step * (high - low):.4g}"))


@st.composite
def integers(draw: st.DrawFn) -> Integer:
    log = draw(st.booleans())
    low = draw(st.integers(1 if log else -500, 500))
    high = low + draw(st.integers(1, 2000))
    step = draw(st.none() | st.integers(1, high - low))
    return Integer(name=draw(NAMES), low=low, high=high, log=log, step=step)


@st.composite
def choices(draw: st.DrawFn) -> Choice:
    options = tuple(draw(st.lists(VALUES, min_size=2, max_size=6, unique_by=lambda v: (type(v), v))))
    weights = tuple(draw(st.lists(st.sampled_from([0.25, 1.0, 2.0, 3.5]), min_size=len(options), max_size=len(options))))
    if len(options) == 2 and all(isinstance(o, bool) for o in options):
        return YesNo(name=draw(NAMES), options=options, weights=weights)
    return Choice(name=draw(NAMES), options=options, weights=weights)


@st.composite
def distributions(draw: st.DrawFn) -> Distributed:
    family = draw(st.sampled_from(["normal", "lognormal", "exponential", "beta"]))
    first = draw(st.floats(-5, 5)) if family == "normal" else draw(st.floats(0.3, 5))
    arguments = (first,) if family == "exponential" else (first, draw(st.floats(0.3, 3)))
    return Distributed(name=draw(NAMES), family=family, arguments=tuple(float(f"{a:.6g}") for a in arguments))


def parameters() -> st.SearchStrategy[Parameter]:
    switches = st.builds(lambda name: YesNo(name=name), NAMES)
    fixed = st.builds(lambda name, value: Fixed(name=name, value=value), NAMES, VALUES)
    return st.one_of(reals(), integers(), choices(), distributions(), switches, fixed)


@st.composite
def marked(draw: st.DrawFn) -> Parameter:
    """A parameter with any of: a start, a costly mark, levels for a grid."""
    parameter = draw(parameters())
    if isinstance(parameter, Fixed):
        return parameter
    start = parameter.decode(draw(st.floats(0, 1))) if draw(st.booleans()) else None
    number = not isinstance(parameter, Choice)
    levels = draw(st.none() | st.integers(1, 6)) if number else None
    more = {"levels": levels} if number else {}
    return replace(parameter, start=start, costly=number and draw(st.booleans()), **more)


def spaces() -> st.SearchStrategy[Space]:
    return st.lists(marked(), min_size=1, max_size=6, unique_by=lambda p: p.name).map(lambda found: Space(tuple(found)))


@st.composite
def conditional_spaces(draw: st.DrawFn) -> Space:
    """Nested switches over private parameters, and requirements that leave much of the space."""
    lines = ["kind: a *2 | b | c", "deep: 1 .. 9 int", "warm: yes | no if kind != c"]
    conditions = [
        "kind == a",
        "kind in (b, c)",
        "warm == yes",
        "deep > 4 and kind != b",
        "not (warm or deep <= 2)",
        "kind not in (a)",
    ]
    domains = ["0 .. 1", "1e-3 .. 10 log", "2 .. 30 int", "u | v | w", "~ normal(0, 1)", "0 .. 0.6 step 0.1", "7"]
    for i in range(draw(st.integers(1, 5))):
        lines.append(f"p{i}: {draw(st.sampled_from(domains))} if {draw(st.sampled_from(conditions))}")
    if draw(st.booleans()):
        lines += ["x: 1 .. 20 int", "y: 1 .. 20 int", draw(st.sampled_from(["require x >= y", "require x + y <= 24 or deep == 1"]))]
    return parse("\n".join(lines))
