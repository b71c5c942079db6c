"""Every strategy keeps the contract; Random draws from the priors without ever repeating itself."""

from __future__ import annotations

import zlib
from collections import Counter
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats

from pellux.core.errors import InvalidPlan, InvalidSpace
from pellux.core.space import Counting, Space, identity, parse
from pellux.core.strategies import STRATEGIES, Exhausted, Observation, SeedStream, Suggest, gaussian_process, pick, strategy
from pellux.core.strategies.branches import branch_of, known_branches
from pellux.core.strategies.evidence import MOST, kept
from pellux.core.strategies.grid import lattice
from tests.core.spaces import conditional_spaces, spaces

# Population training needs to know its members and repeats configurations: it has tests of its own (test_stopping.py).
EVERY = pytest.mark.parametrize("key", [key for key in STRATEGIES if key != "population training"])


def search(key: str, space: Space, most: int, seed: int = 3) -> tuple[list[dict], bool]:  # type: ignore[type-arg]
    """Propose one by one as the engine does, scoring each with a number made from its text."""
    history: list[Observation] = []
    for number in range(1, most + 1):
        answer = STRATEGIES[key].propose(space, history, [], 1, SeedStream(seed, number))
        if isinstance(answer, Exhausted):
            return [dict(o.configuration) for o in history], True
        score = (zlib.crc32(identity(answer.configurations[0]).encode()) % 1000) / 1000
        history.append(Observation(answer.configurations[0], (score, score), 1.0, "scored"))
    return [dict(o.configuration) for o in history], False


@EVERY
@settings(max_examples=6)
@given(space=st.one_of(spaces(), conditional_spaces()))
def test_proposals_lie_in_the_space_and_never_repeat(key: str, space: Space) -> None:
    found, _ = search(key, space, 12)
    for configuration in found:
        space.check(configuration)
    assert len({identity(c) for c in found}) == len(found)


@EVERY
def test_a_finite_space_is_exhausted_exactly(key: str) -> None:
    space = parse("a: 1 .. 4 int\nb: x *9 | y | z\nc: yes | no")
    found, exhausted = search(key, space, 100)
    assert exhausted
    assert len(found) == Counting.of(space).total == 24


@EVERY
def test_many_at_once_do_not_repeat_and_know_the_pending_ones(key: str) -> None:
    space = parse("a: 1 .. 5 int\nb: x | y")
    pending = [{"a": 1, "b": "x"}, {"a": 2, "b": "y"}]
    answer = STRATEGIES[key].propose(space, [], pending, 50, SeedStream(1, 1))
    assert isinstance(answer, Suggest)
    drawn = {identity(c) for c in answer.configurations}
    assert len(drawn) == len(answer.configurations) == 8
    assert not drawn & {identity(c) for c in pending}


@EVERY
def test_the_same_seed_proposes_the_same(key: str) -> None:
    space = parse("a: 1e-3 .. 10 log\nb: 1 .. 50 int\nc: x | y | z")
    assert (once := search(key, space, 9)) == search(key, space, 9)
    assert key == "grid" or once != search(key, space, 9, seed=4)


@EVERY
def test_failures_alone_do_not_stop_it(key: str) -> None:
    space = parse("a: 0 .. 1\nb: x | y")
    failed = [Observation({"a": i / 10, "b": "x"}, (None, None), 0.1, "failed") for i in range(10)]
    assert len(STRATEGIES[key].propose(space, failed, [], 3, SeedStream(0, 11)).configurations) == 3


def test_random_follows_the_prior_weights() -> None:
    space = parse("kind: a | b *2 | c *5\nx: 0 .. 1")
    drawn = [STRATEGIES["random"].propose(space, [], [], 1, SeedStream(7, n)).configurations[0]["kind"] for n in range(2000)]
    counts = [drawn.count(k) for k in "abc"]
    assert stats.chisquare(counts, np.array([1, 2, 5]) / 8 * 2000).pvalue > 1e-3


def test_a_vast_finite_space_with_a_heavy_option_stays_fast() -> None:
    space = parse("kind: a *1e9 | b\nx: 1 .. 1000000 int")
    taken = [Observation({"kind": "a", "x": i}, (0.0,), 1.0, "scored") for i in range(1, 400)]
    answer = STRATEGIES["random"].propose(space, taken, [], 20, SeedStream(1, 1))
    assert len(answer.configurations) == 20


def test_an_unknown_strategy_is_refused_with_the_list() -> None:
    with pytest.raises(InvalidPlan, match=r"'psychic' is unknown\. Allowed: automatic, grid"):
        strategy("psychic")


def play(key: str, space: Space, score, trials: int, seed: int = 0, **more) -> list[Observation]:  # type: ignore[no-untyped-def]
    history: list[Observation] = []
    for number in range(1, trials + 1):
        configuration = STRATEGIES[key].propose(space, history, [], 1, SeedStream(seed, number), **more).configurations[0]
        history.append(Observation(configuration, (score(configuration),), 1.0, "scored"))
    return history


BOWL = parse("x: 0 .. 1\ny: 1e-3 .. 1 log\nn: 1 .. 20 int\nkind: a | b | c")


def bowl(c) -> float:  # type: ignore[no-untyped-def]
    bonus = {"a": 0.0, "b": -0.3, "c": -0.1}[c["kind"]]
    return bonus - (c["x"] - 0.3) ** 2 - (np.log10(c["y"]) + 2) ** 2 / 9 - (c["n"] - 14) ** 2 / 400


@pytest.mark.parametrize(("key", "regret"), [("gaussian process", 0.003), ("parzen density", 0.05), ("gain per second", 0.005)])
def test_what_learns_comes_nearer_than_random_does(key: str, regret: float) -> None:
    seeds = range(1 if regret < 0.01 else 3)
    best = np.median([-max(o.mean or 0 for o in play(key, BOWL, bowl, 30, seed)) for seed in seeds])
    random = np.median([-max(o.mean or 0 for o in play("random", BOWL, bowl, 30, seed)) for seed in seeds])
    assert best <= regret
    assert best < random


@EVERY
@pytest.mark.parametrize("kind", ["constant", "ties", "failures", "infinite"])
def test_strange_scores_leave_proposals_sound(key: str, kind: str) -> None:
    rng = np.random.default_rng(0)
    history = []
    for i in range(300):
        drawn = BOWL.decode(rng.random(4))
        value = {"constant": 0.5, "ties": float(i % 3), "failures": float(i), "infinite": float("inf") if i % 5 == 0 else 1.0}[kind]
        failed = kind == "failures" and i % 3
        history.append(Observation(drawn, (None,) if failed else (value,), 1.0, "failed" if failed else "scored"))
    with np.errstate(all="raise", under="ignore"):
        answer = STRATEGIES[key].propose(BOWL, history, [], 2, SeedStream(1, 301))
    for configuration in answer.configurations:
        BOWL.check(configuration)


@pytest.mark.parametrize("key", ["gaussian process", "parzen density", "evolution", "gain per second"])
def test_after_two_thousand_trials_proposals_are_still_finite(key: str) -> None:
    space = parse("\n".join(f"x{i}: 0 .. 1" for i in range(12)))
    points = np.random.default_rng(1).random((2000, 12))
    history = [Observation(space.decode(p), (-float(((p - 0.4) ** 2).sum()),), 1.0, "scored") for p in points]
    found = STRATEGIES[key].propose(space, history, [], 1, SeedStream(1, 2001)).configurations[0]
    space.check(found)


@pytest.mark.parametrize("key", ["gaussian process", "parzen density"])
def test_pending_trials_are_not_proposed_again_nor_nearly(key: str) -> None:
    space = parse("x: 0 .. 1\ny: 0 .. 1")
    history = play("even spread", space, lambda c: -((c["x"] - 0.6) ** 2) - (c["y"] - 0.6) ** 2, 16)
    alone = STRATEGIES[key].propose(space, history, [], 1, SeedStream(0, 18)).configurations[0]
    beside = STRATEGIES[key].propose(space, history, [alone], 1, SeedStream(0, 18)).configurations[0]
    assert np.abs(space.encode(alone) - space.encode(beside)).max() > 1e-3
    together = STRATEGIES[key].propose(space, history, [], 2, SeedStream(0, 18)).configurations
    assert together[0] == alone, "the first of two is the one of one"


def test_the_first_trial_is_the_middle_or_an_allowed_one() -> None:
    middle = STRATEGIES["gaussian process"].propose(BOWL, [], [], 2, SeedStream(3, 1)).configurations
    assert middle[0]["x"] == 0.5
    assert middle[0]["n"] in (10, 11)
    assert middle[1] != middle[0]
    space = parse("x: 0 .. 1\ny: 0 .. 1\nrequire x + y < 0.7")
    first = STRATEGIES["gaussian process"].propose(space, [], [], 1, SeedStream(3, 1)).configurations[0]
    assert space.fulfils(first)
    taken = STRATEGIES["gaussian process"].propose(space, [], [first], 1, SeedStream(3, 1)).configurations[0]
    assert taken != first


def test_a_basin_with_nothing_left_to_gain_gets_few_proposals() -> None:
    space = parse("x: 0 .. 1\ny: 0 .. 1")

    def two_tops(c) -> float:  # type: ignore[no-untyped-def]
        return sum(h * np.exp(-w * ((c["x"] - t) ** 2 + (c["y"] - t) ** 2)) for h, w, t in ((1, 6, 0.25), (1.3, 200, 0.85)))

    stays = gaussian_process.Design(rival_every=0, polish=False)
    history = play("gaussian process", space, two_tops, 14, design=stays)
    away = {}
    for design in (stays, gaussian_process.USUAL):
        nexts = [gaussian_process.propose(space, history, [], 1, SeedStream(0, 15 + n), design).configurations[0] for n in range(6)]
        away[design] = sum(two_tops(c) < 0.9 for c in nexts)
    assert away[stays] <= 2
    assert away[gaussian_process.USUAL] >= 4


def test_a_rival_that_will_not_catch_up_is_left_alone() -> None:
    space = parse("x: 0 .. 1\ny: 0 .. 1\nkind: good | hopeless")
    rng = np.random.default_rng(3)

    def apart(c) -> float:  # type: ignore[no-untyped-def]
        hopeless = c["kind"] == "hopeless"
        return -((c["x"] - 0.3) ** 2) - (c["y"] - 0.6) ** 2 - 3 * hopeless + 0.02 * rng.standard_normal()

    for design, least, most in ((gaussian_process.USUAL, 0, 2), (gaussian_process.Design(abandon=False), 4, 7)):
        later = play("gaussian process", space, apart, 24, design=design)[-12:]
        assert least <= sum(o.configuration["kind"] == "hopeless" for o in later) <= most


def test_the_least_tried_option_is_the_next_rival_and_is_tried_inside_first() -> None:
    space = parse("x: 0 .. 1\ny: 0 .. 1\nkind: often | seldom | hardly")
    floors = {"often": 0.0, "seldom": 0.1, "hardly": 0.2}
    rng = np.random.default_rng(1)
    history = []
    for kind, x, y in [*((k, *rng.random(2)) for k in ["often"] * 9 + ["seldom"] * 5), ("hardly", 0.9, 0.1), ("hardly", 0.8, 0.2)]:
        score = -((x - 0.3) ** 2) - (y - 0.6) ** 2 - floors[kind]
        history.append(Observation({"x": x, "y": y, "kind": kind}, (score,), 1.0, "scored"))
    for number in (17, 19, 21):  # every second proposal is a rival's
        found = propose(space, history, [], number)
        assert found["kind"] == "hardly"
        assert all(abs(found[name] - 0.5) <= 0.5 - 0.3 * (1 - 2 / 10) for name in "xy")  # type: ignore[operator]


def test_a_rival_waits_for_what_is_pending_there() -> None:
    space = parse("x: 0 .. 1\ny: 0 .. 1\nkind: a | b")
    history = play("even spread", space, lambda c: -((c["x"] - 0.3) ** 2) - (c["y"] - 0.6) ** 2 - 0.01 * (c["kind"] == "b"), 8)
    number = next(n for n in range(9, 13) if propose(space, history, [], n)["kind"] == "b")
    pending = propose(space, history, [], number)
    assert propose(space, history, [pending], number)["kind"] == "a"


def propose(space: Space, history: list[Observation], pending: list[dict[str, object]], number: int) -> dict[str, object]:
    return dict(gaussian_process.propose(space, history, pending, 1, SeedStream(0, number)).configurations[0])


def test_of_very_many_trials_the_model_keeps_the_best_the_newest_and_some_of_all() -> None:
    scores = np.random.default_rng(0).permutation(3000).astype(float)
    history = [Observation({"x": n / 3000}, (float(score),), 1.0, "scored") for n, score in enumerate(scores)]
    found = kept(history)
    held = np.array([o.mean for o in found])
    assert len(found) == MOST
    assert found == sorted(found, key=lambda o: float(o.configuration["x"])), "in the order of their trials"
    third = MOST // 3
    assert set(range(3000 - third, 3000)) <= set(held.astype(int).tolist())
    assert found[-third:] == history[-third:]
    poor = np.sort([float(o.configuration["x"]) for o in found if (o.mean or 0) < 2000 and o not in history[-MOST // 3 :]])
    assert np.diff(poor).max() < 0.02, "from all times"


def test_a_failed_region_is_left() -> None:
    space = parse("x: 0 .. 1")
    rng = np.random.default_rng(0)
    history = [
        Observation({"x": float(x)}, (None,) if x > 0.5 else (float(x),), 1.0, "failed" if x > 0.5 else "scored")
        for x in rng.random(30)
    ]
    found = [
        STRATEGIES["gaussian process"].propose(space, history, [], 1, SeedStream(0, n)).configurations[0]["x"]
        for n in (31, 32, 33, 34)
    ]
    assert np.median(np.array(found, dtype=float)) < 0.6


def test_parzen_tries_every_branch() -> None:
    space = parse("kind: big *20 | small\na: 0 .. 1 if kind == big\nb: 0 .. 1 if kind == small")
    history = play("parzen density", space, lambda c: -((c["a"] - 0.5) ** 2) - 0.05 if "a" in c else -((c["b"] - 0.5) ** 2), 60)
    small = sum(o.configuration["kind"] == "small" for o in history)
    assert small >= 15, "the small branch holds the optimum and is not starved by its prior"


def test_parzen_begins_a_branch_with_trials_for_each_of_its_parameters() -> None:
    space = parse(
        "kind: bare | one | three\na: 0 .. 1 if kind == one\n" + "\n".join(f"b{i}: 0 .. 1 if kind == three" for i in range(3))
    )
    begun = Counter(o.configuration["kind"] for o in play("parzen density", space, lambda c: -float(c["kind"] == "three"), 25))
    assert begun["bare"] == 1, "there is only one such configuration, and nothing is spent on looking for another"
    assert begun["one"] >= 6
    assert begun["three"] >= 8, "a worse branch gets them too: what it is worth shows late"


def test_parzen_knows_when_requirements_leave_little_of_a_branch() -> None:
    """Looking for a sixth of three configurations would make every proposal a random one, of which a fifth lies near the best."""
    space = parse("kind: tight | wide\nn: 1 .. 100 int if kind == tight\nx: 0 .. 1 if kind == wide\nrequire n <= 3")
    history = play("parzen density", space, lambda c: -((float(c.get("x", 3.0)) - 0.3) ** 2), 45)
    late = [o.configuration for o in history[25:]]
    assert sum(o.configuration["kind"] == "tight" for o in history) <= 3
    assert sum(abs(float(c["x"]) - 0.3) < 0.1 for c in late) >= 16, "the other branch is searched by its density, on every turn"


@pytest.mark.parametrize(
    ("more", "exact"),
    [
        ("require n + m <= 4", True),
        ("require n > 1 or kind == wide", True),
        ("t: yes | no\nu: 1 .. 3 int if t == yes\nrequire u != 2", True),
        ("v: 1 .. 3 int if n >= 2", False),
    ],
)
def test_a_branch_is_counted_with_what_it_requires(more: str, exact: bool) -> None:
    space = parse(
        f"kind: tight | wide\nn: 1 .. 4 int if kind == tight\nm: 1 .. 3 int if kind == tight\nw: a | b if kind == wide\n{more}"
    )
    every = Counting.of(space)
    counted = Counter(branch_of(space, every.nth(space, i)) for i in range(every.total or 0))
    known = {branch: found.holds for branch, found in known_branches(space).items()}
    assert known.keys() == counted.keys()
    for branch, held in known.items():
        assert held == counted[branch] if exact else held >= counted[branch], branch


def test_large_branches_are_not_walked() -> None:
    kinds = [f"k{i}" for i in range(12)]
    each = [f"a{k}: 1 .. 400 int if kind == {k}\nb{k}: 1 .. 400 int if kind == {k}\nrequire a{k} + b{k} <= 500" for k in kinds]
    space = parse("\n".join([f"kind: {' | '.join(kinds)}", *each]))
    # Walked, they would hold fewer: the requirement takes some away.
    assert {branch.holds for branch in known_branches(space).values()} == {160_000}


def test_parzen_does_not_spend_a_search_on_beginnings() -> None:
    kinds = [f"k{i}" for i in range(10)]
    numbers = [f"{k}{i}: 0 .. 1 if kind == {k}" for k in kinds for i in range(4)]
    space = parse("\n".join([f"kind: {' | '.join(kinds)}", *numbers]))
    history = play("parzen density", space, lambda c: float(c["kind"] == "k3") + float(c.get("k30", 0.0)), 90)
    begun = Counter(o.configuration["kind"] for o in history[:54])
    assert min(begun.values()) >= 5
    assert len(begun) == 10
    later = Counter(o.configuration["kind"] for o in history[54:])
    assert later["k3"] >= 12, "then the branch that gains gets most"


def test_parzen_looks_closer_where_settings_are_few() -> None:
    plane, cube = parse("x: 0 .. 1\ny: 0 .. 1"), parse("x: 0 .. 1\ny: 0 .. 1\nz: 0 .. 1")

    def away(space: Space) -> float:
        """How far proposals lie from the best trial, in x and y alone, on which the scores depend."""
        rng = np.random.default_rng(2)
        known = [
            Observation(c, (-((c["x"] - 0.4) ** 2) - (c["y"] - 0.6) ** 2,), 1.0, "scored")
            for c in ({"x": x, "y": y, "z": z} for x, y, z in rng.random((24, 3)).tolist())
        ]
        known = [replace(o, configuration={p.name: o.configuration[p.name] for p in space.parameters}) for o in known]
        best = max(known, key=lambda o: o.mean or 0.0).configuration
        asked = [STRATEGIES["parzen density"].propose(space, known, [], 1, SeedStream(seed, 25)) for seed in range(80)]
        found = [answer.configurations[0] for answer in asked if isinstance(answer, Suggest)]
        return float(np.median([abs(c["x"] - best["x"]) + abs(c["y"] - best["y"]) for c in found]))

    assert away(plane) < 0.6 * away(cube)


def test_parzen_looks_beside_a_hill_that_is_climbed() -> None:
    space = parse("x: 0 .. 1\ny: 0 .. 1")
    rng = np.random.default_rng(0)
    hill = [
        Observation({"x": 0.2 + 0.02 * a, "y": 0.2 + 0.02 * b}, (1 - 1e-3 * (a + b),), 1.0, "scored")
        for a, b in rng.random((30, 2))
    ]
    rest = [Observation({"x": x, "y": y}, (0.5 - abs(x - 0.8) - abs(y - 0.7),), 1.0, "scored") for x, y in rng.random((20, 2))]
    risen = [replace(o, scores=(1.0 + 0.1 * n,)) for n, o in enumerate(hill)]

    def on_hill(history: list[Observation], numbers: tuple[int, ...]) -> int:
        answers = [STRATEGIES["parzen density"].propose(space, history, [], 1, SeedStream(0, n)) for n in numbers]
        return sum(
            max(abs(float(a.configurations[0]["x"]) - 0.2), abs(float(a.configurations[0]["y"]) - 0.2)) < 0.15 for a in answers
        )

    odd, even = (51, 53, 55, 57, 61), (52, 54, 56, 58, 60)
    assert on_hill([*rest, *hill], even) == 0, "nothing was gained for thirty trials"
    assert on_hill([*rest, *hill], odd) >= 4, "every second proposal goes on all the same"
    assert on_hill([*rest, *risen], even) >= 4, "where every trial gains, none is sent away"


def test_parzen_learns_a_setting_in_every_branch_that_has_it() -> None:
    """Where a setting is best was seen beside three models; with the fourth it is not looked for anew."""
    space = parse(
        "prep: bins | none\nkept: 0 .. 1 if prep == bins\nmodel: a | b | c | d\n"
        + "\n".join(f"s{m}: 0 .. 1 if model == {m}" for m in "abcd")
    )
    rng = np.random.default_rng(0)
    history = []
    for model in "abc":
        for share in rng.random(20):
            config = {"prep": "bins", "kept": share, "model": model, f"s{model}": 0.5}
            history.append(Observation(config, (-abs(share - 0.25) - 2.0 * "abc".index(model),), 1.0, "scored"))
    history += [
        Observation({"prep": "bins", "kept": k, "model": "d", "sd": s}, (1 - s,), 1.0, "scored")
        for k, s in ((0.9, 0.5), (0.8, 0.6))
    ]
    history += [
        Observation({"prep": "none", "model": m, f"s{m}": s}, (-9.0,), 1.0, "scored") for m in "abcd" for s in rng.random(4)
    ]
    answers = [STRATEGIES["parzen density"].propose(space, history, [], 1, SeedStream(s, 41)).configurations[0] for s in range(40)]
    shares = [float(c["kept"]) for c in answers if c["model"] == "d" and "kept" in c]
    assert len(shares) >= 10
    assert np.mean([abs(share - 0.25) < 0.15 for share in shares]) >= 0.6


def test_parzen_judges_options_one_by_one_where_branches_are_many() -> None:
    switches = [f"w{i}: on | off" for i in range(6)] + [f"v{i}: 0 .. 1 if w{i} == on" for i in range(6)]
    space = parse("\n".join(switches))
    assert not known_branches(space)
    good = {"w0": "on", "w1": "off", "w2": "on", "w3": "off", "w4": "off", "w5": "on"}
    history = play("parzen density", space, lambda c: sum(float(c[name] == option) for name, option in good.items()), 60)
    late = [sum(o.configuration[name] == option for name, option in good.items()) for o in history[40:]]
    early = [sum(o.configuration[name] == option for name, option in good.items()) for o in history[:10]]
    assert np.mean(late) >= np.mean(early) + 1.2


def test_a_grid_is_walked_in_strides() -> None:
    space = parse("a: 0 .. 1 levels 7\nb: 0 .. 1 levels 9\nc: x | y if a > 0.4\nrequire a + b <= 1.5")
    total = Counting.of(lattice(space)).total
    drawn = [dict(o.configuration) for o in play("grid", space, lambda c: 0.0, 30)]
    assert len({c["a"] for c in drawn}) == 7
    assert len({c["b"] for c in drawn}) == 9
    every, exhausted = search("grid", space, 500)
    assert exhausted
    assert len(every) == total
    assert {0.0, 1.0} <= {c["a"] for c in every}


@pytest.mark.parametrize(
    ("text", "trials", "minutes", "key", "words"),
    [
        ("a: 1 .. 4 int\nb: x | y", 8, None, "grid", "all are tried"),
        ("a: 0 .. 1\nb: 0 .. 1", 3, None, "even spread", "too little"),
        ("a: 0 .. 1\nb: 0 .. 1", 60, None, "gaussian process", "fewest trials"),
        ("a: 0 .. 1\nb: 1 .. 500 int log, costly", 60, 2.0, "gain per second", "b is costly"),
        ("a: 0 .. 1\nb: 0 .. 1", 5000, None, "gaussian process", "5,000 trials"),
        ("a: 0 .. 1\nb: 0 .. 1", 5001, None, "parzen density", "5,001 trials"),
        ("\n".join(f"p{i}: 0 .. 1" for i in range(200)), 100, None, "gaussian process", "200 parameters"),
        ("\n".join(f"p{i}: 0 .. 1" for i in range(201)), 100, None, "parzen density", "201 parameters"),
    ],
)
def test_automatic_says_why(text: str, trials: int, minutes: float | None, key: str, words: str) -> None:
    found = pick(parse(text), trials, minutes)
    assert found.key == key
    assert words in found.reason


def test_a_grid_too_large_to_walk_is_refused_with_its_size() -> None:
    with pytest.raises(InvalidSpace, match=r"1e\+12 points; at most 1,000,000"):
        lattice(parse("\n".join(f"p{i}: 0 .. 1 levels 10" for i in range(12))))
