"""Early stopping rules against independent computations: plain loops, closed forms, published tables."""

from __future__ import annotations

import math
from dataclasses import fields
from typing import Any

import numpy as np
import pytest
import scipy.stats
from hypothesis import given
from hypothesis import strategies as st

from pellux.core.errors import InvalidPlan
from pellux.core.judging.fold_effects import adjusted_mean, fold_effects
from pellux.core.space import parse
from pellux.core.stopping import (
    RULES,
    Curve,
    Enough,
    Keep,
    Park,
    Prune,
    Record,
    TrialContext,
    best_common,
    bold,
    fold_by_fold,
    geometric,
    rule,
    settings_of,
    telling_share,
    usual_least,
)
from pellux.core.stopping.fold_race import RaceSettings, winning
from pellux.core.stopping.hyperband import brackets, place
from pellux.core.strategies import Continue, Exhausted, Observation, Partial, SeedStream, Wait
from pellux.core.strategies.partial import history
from pellux.core.strategies.population_training import PopulationSettings, propose
from pellux.service.wording import sentence

SCORES = st.lists(st.floats(-5, 5).map(lambda v: round(v, 2)), min_size=1, max_size=40)


def judged(key: str, sight: TrialContext, record: Record, **settings: Any) -> Any:
    return rule(key).verdict(sight, record, settings_of(rule(key).settings, settings))


# Rungs


@given(st.integers(1, 50), st.integers(2, 500), st.integers(2, 6))
def test_rungs_rise_by_the_factor_to_the_whole(least: int, more: int, factor: int) -> None:
    most = least + more
    ladder = geometric("rows", least, most, factor)
    assert ladder.most == most
    assert ladder.levels[0] >= least
    assert all(low < high for low, high in zip(ladder.levels, ladder.levels[1:], strict=False))
    for steps, level in enumerate(reversed(ladder.levels)):
        assert level == max(round(most / factor**steps), 1) or level == least
    assert ladder.share(ladder.top) == pytest.approx(sum(ladder.levels) / most)
    assert geometric("iterations", least, most, factor).share(ladder.top) == 1


@pytest.mark.parametrize(("resource", "factor", "least"), [("iterations", 3, 3), ("rows", 3, 9), ("rows", 10, 1), ("folds", 9, 1)])
def test_the_first_rung_lies_three_below_the_whole_and_two_where_rows_grow(resource: str, factor: int, least: int) -> None:
    assert usual_least(resource, 81, factor) == least


@given(st.integers(1, 100_000), st.integers(1, 100_000) | st.none(), st.integers(2, 6))
def test_rows_begin_as_low_as_they_still_tell_something(learnt: int, rarest: int | None, factor: int) -> None:
    rarest = None if rarest is None else min(rarest, learnt)
    share = usual_least("rows", 10**6, factor, telling_share(learnt, rarest)) / 10**6
    steps = round(math.log(1 / share, factor))
    assert steps in (1, 2, 3)
    assert share == pytest.approx(factor**-steps, rel=1e-4)
    enough = (learnt, 60) if rarest is None else (rarest, 30)
    if steps > 1:
        assert enough[0] * share >= enough[1] * 0.999
    if steps < 3:
        assert enough[0] * share / factor < enough[1] * 1.001, "one rung lower would have told something too"


def test_a_model_that_proposes_gets_one_rung_where_rows_are_many() -> None:
    assert bold(100, 1 / 28) == {"factor": 9, "least": 11}
    assert geometric("rows", least=11, most=100, factor=9).levels == (11, 100)
    assert bold(100, 1 / 26) == {}, "a 27th of the rows must tell something"
    assert bold(100, None) == {}


def test_what_cannot_be_a_ladder_is_refused() -> None:
    for arguments, word in (
        ((1, 27, 1), "factor"),
        ((0, 27, 3), "at least 1"),
        ((27, 27, 3), "below the whole"),
        ((30, 27, 3), "30"),
    ):
        with pytest.raises(InvalidPlan, match=word):
            geometric("iterations", *arguments)
    assert geometric("folds", 1, 5, 9).levels == (1, 5), "a factor larger than all leaves two rungs"
    with pytest.raises(InvalidPlan, match="nothing to stop early"):
        fold_by_fold(5, 5)
    assert list(fold_by_fold(2, 5).folds(1, 5)) == [2]


@pytest.mark.parametrize("key", list(RULES))
def test_every_rule_keeps_house_with_its_settings(key: str) -> None:
    made = settings_of(rule(key).settings, {})
    assert set(rule(key).names) == {field.name.replace("_", " ") for field in fields(made)}
    with pytest.raises(InvalidPlan, match="not a setting of this rule"):
        settings_of(rule(key).settings, {"bravery": 3})
    for name, (default, words) in rule(key).names.items():
        assert words.endswith(".")
        with pytest.raises(InvalidPlan):
            settings_of(rule(key).settings, {name: -1})
        with pytest.raises(InvalidPlan, match="number"):
            settings_of(rule(key).settings, {name: "many"})
        if isinstance(default, int):
            with pytest.raises(InvalidPlan, match="whole"):
                settings_of(rule(key).settings, {name: 2.5})


def test_an_unknown_rule_names_the_known_ones() -> None:
    with pytest.raises(InvalidPlan, match="Allowed: automatic, none, median rule"):
        rule("brutal")


# Halving


@given(SCORES, st.integers(2, 4))
def test_successive_halving_keeps_the_best_part_of_a_whole_cohort(scores: list[float], factor: int) -> None:
    record = Record(folds=1, trials=100)
    for number, score in enumerate(scores):
        record.join(0, len(scores))
        record.note_rung(number, 0, 0, 0, score)
    bar = sorted(scores, reverse=True)[max(1, len(scores) // factor) - 1]
    for number, score in enumerate(scores):
        found = judged("successive halving", TrialContext(number, 0), record, factor=factor)
        assert isinstance(found, Keep if score >= bar else Prune)
    record.enter(0)
    assert isinstance(judged("successive halving", TrialContext(0, 0), record, factor=factor), Park), "somebody is still at work"


@given(SCORES, st.integers(2, 4))
def test_asynchronous_halving_promotes_as_in_algorithm_2_of_li(scores: list[float], factor: int) -> None:
    """After each result: promotable are those in the top k = floor(n / factor)."""
    record = Record(folds=1, trials=1000)
    for number, score in enumerate(scores):
        record.note_rung(number, 0, 0, 0, score)
        known = scores[: number + 1]
        k = len(known) // factor
        for other, own in enumerate(known):
            better = sum(s > own for s in known)
            found = judged("asynchronous halving", TrialContext(other, 0), record, factor=factor)
            assert isinstance(found, Keep) == (better < k)


def test_asynchronous_halving_ends_who_can_never_go_on_and_lets_one_reach_the_top() -> None:
    record = Record(folds=1, trials=9)
    for number in range(5):
        record.note_rung(number, 0, 0, 0, float(number))
    assert isinstance(judged("asynchronous halving", TrialContext(0, 0), record), Prune), "at most 3 of 9 can go on"
    assert isinstance(judged("asynchronous halving", TrialContext(2, 0), record), Park)
    few = Record(folds=1, trials=2, closing=True)
    few.note_rung(0, 0, 0, 0, 0.1)
    few.note_rung(1, 0, 0, 0, 0.2)
    assert isinstance(judged("asynchronous halving", TrialContext(1, 0), few), Keep)


def test_hyperband_has_the_brackets_of_the_paper() -> None:
    """Table 1 of Li et al. 2018: R = 81, factor 3."""
    ladder = geometric("iterations", 1, 81, 3)
    assert ladder.levels == (1, 3, 9, 27, 81)
    assert brackets(ladder, 3) == [(0, 81), (1, 34), (2, 15), (3, 8), (4, 5)]
    assert [place(i, ladder, 3) for i in (0, 80, 81, 142, 143)] == [(0, 0, 81), (0, 0, 81), (1, 1, 34), (4, 4, 5), (0, 5, 81)]


# Folds


def raced(table: np.ndarray[Any, Any]) -> Record:
    record = Record(folds=table.shape[1], trials=100)
    for number, row in enumerate(table):
        for done in range(1, table.shape[1] + 1):
            record.note_folds(number, tuple(row[:done]))
    return record


def test_the_race_knows_how_paired_differences_scatter() -> None:
    rng = np.random.default_rng(1)
    table = rng.normal(size=(200, 1)) + rng.normal(size=5) * 3 + 0.2 * rng.standard_normal((200, 5))
    record = raced(table)
    left = table - table.mean(1, keepdims=True)
    left = left - left.mean(0)
    assert record.scatter[0] == pytest.approx((left**2).sum() / (199 * 4), rel=0.03)
    assert record.effects == pytest.approx(table.mean(0) - table.mean(), abs=0.05)


def test_the_chance_of_winning_is_what_playing_the_folds_to_their_end_gives() -> None:
    rng = np.random.default_rng(2)
    table = 0.1 * rng.standard_normal((60, 5))
    record = raced(table)
    for behind in (-0.05, 0.0, 0.08, 0.2):
        sd = np.sqrt(2 * record.scatter[0])
        # The true difference is known from two folds; three more are to come.
        true = -behind + sd / np.sqrt(2) * rng.standard_normal(200_000)
        rest = true + sd / np.sqrt(3) * rng.standard_normal(200_000)
        ahead = np.mean((2 * -behind + 3 * rest) / 5 > 0)
        assert winning(record, record.rivals[0], behind, 2) == pytest.approx(ahead, abs=0.01)


def test_the_race_ends_the_hopeless_and_spares_the_incumbent() -> None:
    rng = np.random.default_rng(3)
    record = raced(rng.normal(size=5) + 0.02 * rng.standard_normal((12, 5)))
    [incumbent] = record.rivals
    good = record.fold_scores(incumbent)
    record.note_folds(50, tuple(good[:2] - 0.5))
    record.note_folds(51, tuple(good[:2] + 0.01))
    found = judged("fold race", TrialContext(50, 0), record)
    assert isinstance(found, Prune)
    assert sentence(found.reason) == f"P(win) 0.0%: 0.5 behind the best (trial {incumbent}) after fold 2"
    assert isinstance(judged("fold race", TrialContext(51, 0), record), Keep)
    assert isinstance(judged("fold race", TrialContext(incumbent, 3), record), Keep)
    assert RaceSettings().least == 2


@given(st.lists(st.tuples(st.floats(0, 1), st.floats(0, 1)), min_size=1, max_size=30))
def test_the_median_rule_over_folds(pairs: list[tuple[float, float]]) -> None:
    record = Record(folds=3, trials=50)
    for number, pair in enumerate(pairs):
        record.note_folds(number, pair)
    means = [np.mean(pair) for pair in pairs]
    for number, mean in enumerate(means):
        found = judged("median rule", TrialContext(number, 1), record)
        assert isinstance(found, Prune) == (len(pairs) > 5 and mean < np.median(means))


def test_fold_effects_make_partial_trials_comparable() -> None:
    rng = np.random.default_rng(4)
    effect, own = rng.normal(size=5), rng.normal(size=8)
    table = own[:, None] + effect[None, :]
    found = fold_effects(table[:6].tolist(), 5)
    assert adjusted_mean([*table[7, :2], None, None, None], found) == pytest.approx(table[7].mean())
    assert adjusted_mean([None] * 5, found) is None


# Curves


CURVES = st.lists(st.floats(0, 1).map(lambda v: round(v, 3)), min_size=1, max_size=25)


@given(CURVES, st.integers(1, 6), st.sampled_from([0.0, 0.05, 0.2]))
def test_plateau_against_a_plain_loop(scores: list[float], patience: int, gain: float) -> None:
    record = Record(folds=1, trials=5)
    best, since, expected = scores[0], 0, None
    left_start = False
    for iteration, score in enumerate(scores, 1):
        record.note_point(1, 0, iteration, score)
        if iteration > 1:
            if score > best + gain:
                best, since, left_start = score, 0, True
            else:
                since += 1
        if since >= patience:
            expected = Enough if left_start else Prune
        found = judged("plateau", TrialContext(1, 0, fold=0), record, patience=patience, gain=gain)
        assert isinstance(found, expected or Keep)
        if expected:
            return


def test_the_median_rule_over_iterations_compares_the_same_fold() -> None:
    record = Record(folds=2, trials=50)
    for number in range(6):
        for fold in (0, 1):
            for iteration in (1, 2, 3):
                record.note_point(number, fold, iteration, number + 10.0 * fold + iteration)
            record.note_finished_curve(number, fold)
    record.note_point(9, 1, 1, 12.0)
    assert isinstance(judged("median rule", TrialContext(9, 0, fold=1), record), Prune), "fold 1 is the easy one"
    record.note_point(9, 0, 1, 12.0)
    assert isinstance(judged("median rule", TrialContext(9, 0, fold=0), record), Keep)


@given(st.lists(CURVES, min_size=1, max_size=4))
def test_the_best_iteration_is_one_for_all_folds(folds: list[list[float]]) -> None:
    curves = []
    for scores in folds:
        curve = Curve()
        for iteration, score in enumerate(scores, 1):
            assert curve.add(iteration, score)
        assert not curve.add(1, 0.0), "a point that is known already"
        assert not curve.add(len(scores) + 1, float("nan"))
        curves.append(curve)
    found = best_common(curves)
    shortest = min(map(len, folds))
    sums = [sum(f[i] for f in folds) for i in range(shortest)]
    assert found is not None
    assert found[0] == int(np.argmax(sums)) + 1
    assert found[1] == tuple(f[found[0] - 1] for f in folds)
    assert best_common([Curve(), *curves]) is None


# What strategies learn


SPACE = parse("x: 0 .. 1\ny: 0 .. 1")


def partial(number: int, results: dict[int, tuple[float, ...]], state: str = "ended early", **more: Any) -> Partial:
    return Partial({"x": number / 100, "y": 0.5}, results, 1.0, state, number, **more)


def test_strategies_learn_from_the_highest_rung_that_is_well_filled() -> None:
    own = [
        partial(n, {0: (float(n),), **({1: (n + 50.0,)} if n < 7 else {}), **({2: (99.0,)} if n < 2 else {})}) for n in range(20)
    ]
    seen = history(SPACE, own, 1, "iterations", 2)
    assert [o.mean for o in seen] == [n + 50.0 for n in range(20)], "those below as if they had gained what the others did"
    assert [o.share for o in seen] == [1.0] * 7 + [0.5] * 13
    few = history(SPACE, own[:3], 1, "iterations", 2)
    assert [o.mean for o in few] == [0.0, 1.0, 2.0], "too few anywhere: the first rung"
    failed = history(SPACE, [*own, partial(30, {}, "failed")], 1, "rows", 2)[-1]
    assert failed.bad


def test_scores_from_elsewhere_take_their_place_among_a_low_rungs() -> None:
    own = [partial(n, {0: (n / 10,)}) for n in range(9)]
    elsewhere = [Observation({"x": 0.9, "y": n / 9}, (80.0 + n,), 1.0, "scored", elsewhere=True) for n in range(5)]
    seen = history(SPACE, [*elsewhere, *own], 1, "iterations", 3)[:5]
    means = [o.mean for o in seen]
    assert means == sorted(means)
    assert 0 <= means[0] < means[-1] <= 1  # type: ignore[operator]


def test_trials_that_lost_a_race_come_along_with_what_their_folds_tell() -> None:
    effect = np.array([0.0, 1.0, -1.0])
    whole = [partial(n, {2: tuple(0.1 * n + effect)}, "scored") for n in range(4)]
    lost = partial(9, {0: (0.7, 1.7)})
    seen = history(SPACE, [*whole, lost], 3, "folds", 1)
    assert seen[-1].mean == pytest.approx(0.7)
    assert seen[-1].share == pytest.approx(2 / 3)
    assert seen[0].mean == pytest.approx(0.0)


# Population


def test_a_population_copies_the_strong_and_moves_only_what_may_move() -> None:
    line = PopulationSettings(interval=1, members=8, top=3, steerable=("x",))
    born = [propose(SPACE, [], [], 1, SeedStream(1, n), line) for n in range(1, 9)]
    assert [(b.parent, b.rung, b.member) for b in born if isinstance(b, Continue)] == [(None, 0, m) for m in range(8)]
    past = [
        Observation(b.configurations[0], (float(m),), 1.0, "scored", number=m + 1, rung=0, member=m) for m, b in enumerate(born)
    ]  # fmt: skip
    assert propose(SPACE, past[:3], [], 1, SeedStream(1, 9), line) == Wait()
    for member in range(8):
        found = propose(SPACE, past, [], 1, SeedStream(1, 9 + member), line)
        assert isinstance(found, Continue)
        before, after = past[member].configuration, found.configuration
        assert (found.rung, found.member) == (1, member)
        if member >= 2:
            assert (after, found.parent) == (before, member + 1), "a strong member goes on as it is"
        else:
            parent = past[found.parent - 1] if found.parent else past[0]
            assert parent.member in (6, 7)
            assert after["y"] == parent.configuration["y"]
            assert after["x"] != parent.configuration["x"]
    assert propose(SPACE, past, [], 1, SeedStream(1, 33), line) == Exhausted()


def test_the_race_is_a_student_t() -> None:
    record = raced(np.arange(20.0).reshape(4, 5) % 7)
    variance, freedom = record.scatter
    assert freedom == 12, "enough to need no guess"
    first = raced(np.arange(5.0).reshape(1, 5))
    assert first.scatter[1] == 0
    assert winning(first, first.rivals[0], 3.0, 2) > 0.04, (
        "one trial's own folds say how far they scatter, with two degrees of freedom"
    )
    spread = 3 / 5 * np.sqrt(2 * variance * (1 / 2 + 1 / 3))
    assert winning(record, record.rivals[0], 0.7, 2) == pytest.approx(scipy.stats.t.cdf(-0.7 / spread, freedom))
