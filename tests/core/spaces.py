"""Hypothesis strategies that make any parameter and any space."""

from __future__ import annotations

from hypothesis import strategies as st

from pellux.core.space import Choice, Fixed, Integer, Parameter, Real, Space, YesNo

NAMES = st.from_regex(r"[A-Za-z_][A-Za-z0-9_]{0,9}", fullmatch=True).filter(
    lambda name: name not in {"int", "log", "step", "start", "costly", "if", "require", "and", "or", "not", "in"}
)
NUMBERS = st.floats(-1e6, 1e6, allow_nan=False).map(lambda x: float(f"{x:.9g}"))
WORDS = st.one_of(st.from_regex(r"[a-z][a-z_]{0,8}", fullmatch=True), st.text(max_size=8)).filter(lambda w: "\x00" not in w)
VALUES = st.one_of(st.integers(-(10**6), 10**6), NUMBERS, WORDS, st.booleans())


@st.composite
def reals(draw: st.DrawFn) -> Real:
    log = draw(st.booleans())
    low = draw(st.floats(1e-9, 1e3)) if log else draw(NUMBERS)
    high = low * draw(st.floats(1.5, 1e6)) if log else low + draw(st.floats(1e-3, 1e5))
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


def parameters() -> st.SearchStrategy[Parameter]:
    switches = st.builds(lambda name: YesNo(name=name), NAMES)
    fixed = st.builds(lambda name, value: Fixed(name=name, value=value), NAMES, VALUES)
    return st.one_of(reals(), integers(), choices(), switches, fixed)


def spaces() -> st.SearchStrategy[Space]:
    return st.lists(parameters(), min_size=1, max_size=6, unique_by=lambda p: p.name).map(lambda found: Space(tuple(found)))
