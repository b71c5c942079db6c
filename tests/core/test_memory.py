"""What other problems taught: how alike they are, which trials are kept, where a search begins, what its model believes."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.optimize import check_grad

from pellux.core.judging.fronts import hypervolume
from pellux.core.likeness import Traits, likeness, scatter_of
from pellux.core.space import Configuration, identity, parse
from pellux.core.strategies import STRATEGIES, Lesson, Observation, SeedStream, Suggest, adapted
from pellux.core.strategies.even_spread import sobol
from pellux.core.strategies.fresh import Taken
from pellux.core.strategies.gaussian_process import Design, propose
from pellux.core.strategies.leaning import Leaning
from pellux.core.strategies.lessons import MOST_TRIALS
from pellux.core.strategies.recall import Recall, recall
from pellux.core.surrogates.gaussian_process import Beliefs

PLANE = parse("x: 0 .. 1\ny: 0 .. 1")


def bowl(x: float, y: float) -> Callable[[Configuration], float]:
    """A hill with its top at (x, y), along which y hardly matters."""
    return lambda c: -((float(c["x"]) - x) ** 2) - 0.01 * (float(c["y"]) - y) ** 2


def taught(value: Callable[[Configuration], float], likeness: float = 1.0, trials: int = 24) -> Lesson:
    points = [PLANE.decode(p) for p in sobol(2, trials, np.random.default_rng(3))]
    found = Lesson.of(likeness, [(c, value(c)) for c in points])
    assert found is not None
    return found


def test_likeness_is_one_for_the_same_and_falls_with_every_difference() -> None:
    here = Traits("", 1000, 20, 0.8, "binary", "roc auc", 0.05)
    assert likeness(here, here) == 1
    others = [
        Traits("", 3000, 20, 0.8, "binary", "roc auc", 0.05),
        Traits("", 1000, 60, 0.8, "binary", "roc auc", 0.05),
        Traits("", 1000, 20, 0.2, "binary", "roc auc", 0.05),
        Traits("", 1000, 20, 0.8, "binary", "log loss", 0.05),
        Traits("", 1000, 20, 0.8, "binary", "roc auc", 0.2),
    ]
    assert all(0.3 < likeness(here, there) < 1 for there in others)
    assert all(likeness(here, there) == likeness(there, here) for there in others)
    far = Traits("", 100_000, 300, 0.0, "regression", "rmse", 0.05)
    assert likeness(here, far) < 0.1 < min(likeness(here, there) for there in others)
    assert likeness(Traits("program a"), Traits("program b")) == 0, "other code teaches nothing"
    assert likeness(Traits("program a", metric="f"), Traits("program a", metric="f")) == 1
    assert scatter_of([0.8, 1.0, 0.9]) == pytest.approx(np.std([0.8, 1.0, 0.9], ddof=1) / 0.9)
    assert scatter_of([0.8, None]) is scatter_of([0.5, 0.5]) is scatter_of([-1.0, 1.0]) is None


def test_a_lesson_keeps_the_best_and_an_even_share_of_the_rest() -> None:
    trials = [({"x": i / 500, "y": 0.5}, math.sin(i)) for i in range(500)]
    found = Lesson.of(0.7, trials)
    assert found is not None
    assert len(found.scores) == len(found.configurations) == MOST_TRIALS
    best = sorted((score for _, score in trials), reverse=True)[: MOST_TRIALS // 2]
    assert set(best) <= set(found.scores)
    assert min(found.scores) == min(score for _, score in trials)
    by_place = {c["x"]: score for c, score in trials}
    assert [by_place[c["x"]] for c in found.configurations] == list(found.scores)
    assert Lesson.of(0.7, trials[:5]) is None, "too few"
    assert Lesson.of(0.7, [(c, 1.0) for c, _ in trials]) is None, "all the same"
    assert Lesson.of(0.0, trials) is None, "nothing alike"


def test_a_configuration_is_adapted_to_another_space() -> None:
    space = parse("depth: 2 .. 9 int\nrate: 0.01 .. 1 log\nkind: a | b\nextra: 0 .. 1 if kind == b")
    defaults = {"depth": 6, "rate": 0.1, "kind": "a", "extra": 0.5, "leaf": 1}
    assert adapted(space, {"depth": 3, "leaf": 40}, defaults) == {"depth": 3, "rate": 0.1, "kind": "a"}, "leaf is left aside"
    assert adapted(space, {"rate": 1, "kind": "b"}, defaults) == {"depth": 6, "rate": 1.0, "kind": "b", "extra": 0.5}
    assert adapted(space, {"depth": 12}, defaults) is None, "it lies outside"
    assert adapted(space, {"kind": "c"}, defaults) is None
    assert adapted(space, {"depth": 3}, {}) is None, "nobody knows what the rate was"


def test_first_trials_are_where_lessons_had_their_best_one_for_each() -> None:
    recall = Recall(PLANE, [taught(bowl(0.2, 0.5)), taught(bowl(0.85, 0.5), 0.6), taught(bowl(0.22, 0.5))])
    tried, before = Taken(set(), []), list[Configuration]()
    for _ in range(2):
        found = recall.first(before, tried)
        assert found is not None
        before.append(found)
        tried.add(identity(found))
    assert float(before[0]["x"]) == pytest.approx(0.21, abs=0.08), "two of three agree"
    assert float(before[1]["x"]) == pytest.approx(0.85, abs=0.08), "then the one that is not served yet"


def weighed(tops: tuple[float, float], likeness: float = 1.0, trials: int = 24) -> Lesson:
    """Two hills that cannot be had together: one for the score, one for what it is weighed against."""
    points = [PLANE.decode(p) for p in sobol(2, trials, np.random.default_rng(3))]
    score, other = (bowl(top, 0.5) for top in tops)
    found = Lesson.of(likeness, [(c, score(c)) for c in points], [(1000 * other(c),) for c in points])
    assert found is not None
    return found


def test_where_two_metrics_decide_first_trials_are_spread_over_earlier_fronts() -> None:
    lessons = [weighed((0.1, 0.9)), weighed((0.15, 0.85)), weighed((0.12, 0.88), 0.6)]
    found, before = recall(PLANE, lessons), list[Configuration]()
    assert found is not None
    assert found.firsts == 3
    assert len(found.beliefs) == 2
    tried = Taken(set(), [])
    for _ in range(found.firsts):
        first = found.first(before, tried)
        assert first is not None
        before.append(first)
        tried.add(identity(first))
    across = sorted(float(c["x"]) for c in before)
    assert 0.1 < across[0] < across[-1] < 0.9, "what lies beyond the hills is on no front"
    assert np.diff(across).min() > 0.1, "one covers little of what another does"
    assert recall(PLANE, [weighed((0.1, 0.9)), weighed((0.9, 0.1))]) is not None, "the same ends, whichever is which"
    scattered = [taught(lambda c, a=a: math.sin(40 * a + 9 * float(c["x"]) + 7 * a * float(c["y"]))) for a in range(6)]
    each = [Lesson(1.0, one.configurations, one.scores, tuple(zip(one.scores[::-1], strict=True))) for one in scattered]
    assert recall(PLANE, each) is None, "they contradict each other"


def test_of_two_metrics_trials_of_the_front_are_kept_and_none_that_tells_nothing() -> None:
    trials, beside = [({"x": i / 500, "y": 0.5}, float(i)) for i in range(500)], [(float(-(i % 250)),) for i in range(500)]
    found = Lesson.of(0.7, trials, beside)
    assert found is not None
    assert len(found.beside) == MOST_TRIALS
    kept = {(score, other) for score, (other,) in zip(found.scores, found.beside, strict=True)}
    assert {(250 + i, -i) for i in range(20)} <= kept, "of the front"
    assert min(score for score, _ in kept) < 20, "and of the rest"
    assert Lesson.of(0.7, trials, [(1.0,)] * 500) is None, "all the same in one metric"


@pytest.mark.parametrize("strategy", ["gaussian process", "parzen density"])
def test_a_front_is_found_sooner_by_one_that_remembers(strategy: str) -> None:
    score, other = bowl(0.13, 0.5), bowl(0.33, 0.5)

    def volume(lessons: list[Lesson], trials: int, seed: int) -> float:
        history = list[Observation]()
        for number in range(1, trials + 1):
            c = STRATEGIES[strategy].ask(PLANE, history, [], 1, SeedStream(seed, number), None, lessons).configurations[0]
            history.append(Observation(c, (score(c),), 1.0, "scored", number=number, beside=(other(c),)))
        return hypervolume(np.array([(o.mean, *o.beside) for o in history], dtype=float), np.array([-0.06, -0.06]))

    lessons = [weighed((0.1, 0.3)), weighed((0.15, 0.35))]
    with_them, without = (np.mean([volume(given, 4, seed) for seed in range(4)]) for given in (lessons, []))
    assert with_them > 1.3 * without, (with_them, without)


def test_lessons_that_contradict_each_other_are_not_believed() -> None:
    tops = (0.05, 0.95, 0.3, 0.7)
    assert recall(PLANE, [taught(bowl(0.3 + top / 20, 0.5)) for top in tops]) is not None
    assert recall(PLANE, [taught(bowl(top, 0.5)) for top in (0.05, 0.95)]) is None
    scattered = [lambda c, a=a: math.sin(40 * a + 9 * float(c["x"]) + 7 * a * float(c["y"])) for a in range(6)]
    assert recall(PLANE, [taught(value) for value in scattered]) is None
    agreed = [taught(bowl(0.3 + top / 20, 0.5)) for top in tops]
    assert recall(PLANE, [*agreed, *(taught(value) for value in scattered)]) is None
    assert recall(PLANE, [*agreed, *(taught(value, 0.5) for value in scattered)]) is not None, "others than this one's kin"
    assert recall(PLANE, [taught(bowl(0.3, 0.5), 0.6)]) is not None, "one alone, and alike"
    assert recall(PLANE, [taught(bowl(0.3, 0.5), 0.4)]) is None, "one alone that is not"
    assert recall(PLANE, []) is None


def test_hyperparameters_are_believed_to_be_those_of_the_lessons() -> None:
    usual = Beliefs.usual(2)
    short, long = (
        Recall(PLANE, [taught(lambda c, w=w: math.sin(w * float(c["x"])), trials=48)] * 3).beliefs[0] for w in (20.0, 2.0)
    )
    assert short.mean[0] < long.mean[0], "x wiggles"
    assert np.all(short.deviation <= usual.deviation + 1e-9 + np.abs(short.mean - usual.mean))
    one = parse("x: 0 .. 1\ny: 0 .. 1")
    still = Lesson.of(1.0, [({"x": x, "y": 0.5}, math.sin(9 * x)) for x in np.linspace(0, 1, 20).tolist()])
    assert still is not None
    silent = Recall(one, [still]).beliefs[0]
    assert silent.mean[1] == pytest.approx(usual.mean[1]), "of what never changed nothing is believed"
    assert silent.deviation[0] < usual.deviation[0], "of what did something is"


@given(st.integers(0, 2**16), st.integers(1, 4), st.integers(0, 1))
def test_the_leaning_has_the_slopes_it_says_and_fades(seed: int, places: int, still: int) -> None:
    rng = np.random.default_rng(seed)
    shares = rng.dirichlet(np.ones(places))
    leaning = Leaning(rng.random((places, 3)), shares, 7)
    at = rng.random(3)

    def value(x: np.ndarray) -> float:
        return float(leaning(np.concatenate([x, at[2:]])[None] if still else x[None])[0])

    def slope(x: np.ndarray) -> np.ndarray:
        whole = np.concatenate([x, at[2:]]) if still else x
        found: np.ndarray = leaning.with_slopes(whole[None], len(x))[1][0]
        return found

    start = at[:2] if still else at
    assert check_grad(value, slope, start) < 1e-4 * (1 + np.abs(slope(start)).max())
    later = Leaning(leaning.places, shares, 70)
    assert later(at[None])[0] == pytest.approx(leaning(at[None])[0] / 10)


def regret(strategy: str, lessons: list[Lesson], trials: int, seed: int = 5) -> float:
    """How far the best of a search for the hill at (0.3, 0.6) lies below it."""
    value, history = bowl(0.3, 0.6), list[Observation]()
    for number in range(1, trials + 1):
        c = STRATEGIES[strategy].ask(PLANE, history, [], 1, SeedStream(seed, number), None, lessons).configurations[0]
        history.append(Observation(c, (value(c),), 1.0, "scored"))
    return -max(o.mean or 0.0 for o in history)


@pytest.mark.parametrize(("strategy", "late", "least"), [("gaussian process", 14, 0.005), ("parzen density", 40, 0.02)])
def test_a_search_that_remembers_is_there_sooner_and_one_that_remembers_the_wrong_thing_arrives_too(
    strategy: str, late: int, least: float
) -> None:
    alike, unlike = taught(bowl(0.32, 0.55)), taught(lambda c: -bowl(0.3, 0.6)(c))
    assert regret(strategy, [alike], 3) < 0.2 * regret(strategy, [], 3)
    assert regret(strategy, [unlike], late) < least


def test_gain_per_second_begins_with_what_is_cheap_and_then_looks_where_earlier_trials_were_good() -> None:
    space, ask = parse("x: 0 .. 1\ny: 0 .. 1, costly"), STRATEGIES["gain per second"].ask
    lesson = taught(bowl(0.85, 0.4))
    assert ask(space, [], [], 1, SeedStream(5, 1), None, [lesson]) == ask(space, [], [], 1, SeedStream(5, 1), None)
    at = [{"x": 0.6 * float(p[0]), "y": float(p[1])} for p in sobol(2, 6, np.random.default_rng(4))]
    own = [Observation(c, (bowl(0.3, 0.5)(c),), 1.0, "scored") for c in at]

    def away(lessons: list[Lesson]) -> float:
        """From the lesson's hill along what costs nothing, of one proposal each of ten searches."""
        answers = [ask(space, own, [], 1, SeedStream(seed, 7), None, lessons) for seed in range(10)]
        found = [answer.configurations[0] for answer in answers]
        return float(np.mean([abs(float(c["x"]) - 0.85) for c in found]))

    assert away([lesson]) < 0.5 * away([])


def test_one_that_does_not_learn_does_not_remember() -> None:
    random = STRATEGIES["random"]
    plain = random.ask(PLANE, [], [], 1, SeedStream(5, 1), None)
    assert random.ask(PLANE, [], [], 1, SeedStream(5, 1), None, [taught(bowl(0.3, 0.5))]) == plain


def test_parzen_density_draws_where_earlier_trials_were_good_and_ever_less_so() -> None:
    lesson, ask = taught(bowl(0.85, 0.5)), STRATEGIES["parzen density"].ask
    points = [PLANE.decode(p) for p in sobol(2, 39, np.random.default_rng(4))]
    at = [{"x": 0.6 * float(c["x"]), "y": c["y"]} for c in points]  # none was tried there yet
    own = [Observation(c, (bowl(0.3, 0.5)(c),), 1.0, "scored") for c in at]

    def near(known: int, lessons: list[Lesson]) -> float:
        """Share of proposals near where the lesson's hill is, after so many trials."""
        answers = [ask(PLANE, own[:known], [], 1, SeedStream(seed, known + 1), None, lessons) for seed in range(60)]
        return float(np.mean([abs(float(answer.configurations[0]["x"]) - 0.85) < 0.15 for answer in answers]))

    early, late = ((near(known, [lesson]), near(known, [])) for known in (12, 38))
    assert early[0] > early[1] + 0.2, (early, late)
    assert early[0] - early[1] > late[0] - late[1]
    same = [ask(PLANE, [*own, *own[:1]], [], 1, SeedStream(3, 41), None, given) for given in ([], [lesson])]
    assert same[0] == same[1], "after forty trials nothing is remembered"


def test_each_piece_of_what_is_taught_can_be_left_out() -> None:
    lesson, value = taught(bowl(0.2, 0.5)), bowl(0.25, 0.5)
    history = [Observation(c, (value(c),), 1.0, "scored") for c in (PLANE.decode(p) for p in sobol(2, 5, np.random.default_rng(4)))]

    def proposed(pieces: tuple[str, ...] | None, known: list[Observation]) -> Configuration:
        design = Design() if pieces is None else Design(taught=pieces)
        given = () if pieces == ("no lesson",) else (lesson,)
        answer = propose(PLANE, known, [], 1, SeedStream(3, len(known) + 1), design, given)
        assert isinstance(answer, Suggest)
        return answer.configurations[0]

    assert proposed((), history) == proposed(("no lesson",), history), "nothing is taught"
    assert proposed((), []) == proposed(("beliefs", "leaning"), []) == {"x": 0.5, "y": 0.5}
    assert proposed(("first",), []) == proposed(None, []) != {"x": 0.5, "y": 0.5}
    later = [proposed(pieces, history) for pieces in (("first",), ("beliefs",), ("leaning",))]
    assert later[0] == proposed((), history), "the first trials are over"
    assert proposed((), history) not in later[1:]
