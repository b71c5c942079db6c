"""Importance beside indices that are known from formulas, and on trials that say little."""

from __future__ import annotations

import numpy as np
import pytest
from benchmarks.evidence.importance import Known, compared, conditional, even, ishigami

from pellux.core.evidence.importance import Importances, importances
from pellux.core.evidence.reading import Array, read
from pellux.core.space import Configuration, Space, parse


def weighed(space: Space, tried: list[Configuration], scores: Array, rng: np.random.Generator) -> Importances | None:
    reading = read(space, tried, scores, rng)
    return None if reading is None else importances(reading, rng)


@pytest.mark.parametrize("known", [ishigami(), conditional()], ids=lambda known: known.name)
def test_shares_are_those_of_the_formula(known: Known) -> None:
    off, covers = compared(known, even(known, 160, 5), 5)
    assert np.mean(off) < 0.03
    assert max(off) < 0.1
    assert np.mean(covers) >= 0.8


def test_few_trials_say_it_with_more_doubt_and_the_same_twice() -> None:
    known = ishigami()
    widths = []
    for trials in (12, 128):
        tried = even(known, trials, 2)
        scores = np.array([known.value(c) for c in tried])
        one, again = (weighed(known.space, tried, scores, np.random.default_rng(1)) for _ in range(2))
        assert one is not None
        assert one == again
        widths.append(np.mean([s.total.high - s.total.low for s in one.singles]))
    assert widths[0] > 3 * widths[1]


def test_where_trials_crowd_together_they_say_the_rest_with_more_doubt() -> None:
    known, rng = ishigami(), np.random.default_rng(6)
    rows = rng.random((60, 3))
    readings = []
    for crowded in (0.0, 0.9):
        near = np.where(rng.random((60, 1)) < crowded, 0.2 + 0.1 * rows, rows)
        tried = [known.space.decode(row) for row in near]
        reading = read(known.space, tried, np.array([known.value(c) for c in tried]), np.random.default_rng(1))
        assert reading is not None
        readings.append(reading)
    alike, together = (reading.crowding for reading in readings)
    assert alike < 1.2
    assert 1.3 < together <= 2.0
    shares = importances(readings[1], np.random.default_rng(1))
    readings[1].__dict__["crowding"] = 1.0
    narrow = importances(readings[1], np.random.default_rng(1))
    for one, other in zip(shares.singles, narrow.singles, strict=True):
        assert one.total.low <= other.total.low
        assert one.total.high >= other.total.high
        assert one.total.share == other.total.share
    assert any(one.total.high > other.total.high for one, other in zip(shares.singles, narrow.singles, strict=True))


def test_a_setting_that_does_nothing_has_no_share_and_noise_is_not_explained() -> None:
    space = parse("a: 0 .. 1\ndead: 0 .. 1\nkind: p | q")
    rng = np.random.default_rng(3)
    tried = [space.decode(row) for row in rng.random((80, 3))]
    found = weighed(space, tried, np.array([float(c["a"]) for c in tried]), rng)
    assert found is not None
    assert found.singles[0].name == "a"
    assert found.singles[0].alone.low > 0.9
    assert all(single.total.high < 0.05 for single in found.singles[1:])
    noise = weighed(space, tried, rng.standard_normal(80), rng)
    assert noise is not None
    assert noise.explained < 0.3


def test_one_run_that_diverged_is_not_all_there_is_to_explain() -> None:
    space = parse("a: 0 .. 1\nb: 0 .. 1")
    rng = np.random.default_rng(4)
    tried = [space.decode(row) for row in rng.random((60, 2))]
    scores = np.array([float(c["a"]) for c in tried])
    scores[7] = -1e9
    found = weighed(space, tried, scores, rng)
    assert found is not None
    assert found.singles[0].name == "a"
    assert found.singles[0].total.share > 0.6


@pytest.mark.parametrize(
    "scores", [[0.5] * 20, [0.1, 0.2, 0.3], [float("nan")] * 20, []], ids=["equal", "few", "none", "no trials"]
)
def test_where_nothing_can_be_said_nothing_is(scores: list[float]) -> None:
    space = parse("a: 0 .. 1\nb: 1 .. 9 int")
    rng = np.random.default_rng(5)
    tried = [space.decode(row) for row in rng.random((len(scores), 2))]
    assert weighed(space, tried, np.array(scores), rng) is None
    assert weighed(parse("a: 1"), [{}] * 20, np.arange(20.0), rng) is None


def test_what_is_swapped_is_what_the_functions_are_there() -> None:
    """Also where a swapped choice turns other settings on and off."""
    known = conditional()
    tried = even(known, 40, 1)
    reading = read(known.space, tried, np.array([known.value(c) for c in tried]), np.random.default_rng(1))
    assert reading is not None
    for places in ([0], [1, 2], list(range(len(known.space.searched)))):
        mixed = reading.first.copy()
        mixed[:, places] = reading.second[:, places]
        assert reading.at_swapped(places) == pytest.approx(reading.at(mixed), abs=1e-9)
