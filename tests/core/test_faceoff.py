"""What repeats of several entrants come to, beside counting by hand."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.stats import permutation_test

from pellux.core.evidence.faceoff import Played, outcome

NAN = float("nan")


def played(scores: list[float], seconds: float = 1.0) -> Played:
    return Played(np.arange(1, len(scores) + 1) * seconds, np.array(scores, dtype=float), np.full(len(scores), seconds))


def test_lines_are_medians_of_the_best_so_far_and_levels_are_common() -> None:
    one = [played([0.1, 0.5, 0.4]), played([0.2, NAN, 0.6]), played([0.3, 0.3, 0.9])]
    two = [played([0.0, 0.1, 0.7], 2.0), played([NAN, 0.2, 0.5], 2.0), played([0.1, 0.6, 0.6], 2.0)]
    found = outcome([one, two])
    a, b = found.standings
    assert a.finals == (0.5, 0.6, 0.9)
    assert a.by_trials.median.tolist() == [0.2, 0.3, 0.6]
    assert found.level == pytest.approx(0.6), "the lower of the two medians"
    assert a.to_level == 3.0
    assert b.to_level == pytest.approx(6.0)
    assert [a.beats[1], b.beats[0]] == pytest.approx([2 / 3, 1 / 3])
    assert a.mean == pytest.approx(2 / 3)
    assert a.error == pytest.approx(a.spread / np.sqrt(3))
    assert a.by_seconds.at[-1] == 6.0
    assert a.by_seconds.median[-1] == 0.6
    assert found.verdict.code == "face-off: too few repeats"
    assert 0 <= b.grounded <= 1


def test_only_what_is_more_than_luck_is_concluded() -> None:
    rng = np.random.default_rng(4)
    base = rng.normal(0, 1, 8)
    ahead, alike, behind = (
        [played([0.0, float(v)]) for v in base + shift] for shift in (3.0 + rng.normal(0, 0.1, 8), rng.normal(2.98, 0.1, 8), -1.0)
    )
    found = outcome([behind, ahead, alike])
    assert found.verdict.code == "face-off: ahead of some"
    assert found.verdict.facts["behind"] == [0]
    finals = [np.array(s.finals) for s in found.standings]
    best = finals[found.verdict.facts["entrant"]]
    wanted = permutation_test((best - finals[0],), np.mean, permutation_type="samples", n_resamples=np.inf).pvalue
    assert found.verdict.facts["p_value"] == pytest.approx(wanted)
    assert outcome([ahead, alike]).verdict.code == "face-off: not told apart"
    assert outcome([ahead, behind]).verdict.code == "face-off: ahead of all"


def test_without_an_end_nothing_is_said() -> None:
    cases: list[list[list[Played]]] = [[[], []], [[played([1.0])], []], [[played([NAN])], [played([NAN])]]]
    for entrants in cases:
        found = outcome(entrants)
        assert found.verdict.code == "face-off: nothing yet"
        assert found.level is None
