"""Hills and what lies beside them: which places belong to a climbed hill, and whether a second, higher one is found."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
import pytest

from pellux.core.space import Space, parse
from pellux.core.strategies import Observation, SeedStream, even_spread, gaussian_process
from pellux.core.strategies.basins import tops
from pellux.core.strategies.gaussian_process import believe
from pellux.core.strategies.regions import Everywhere, Inside, OutsideBasins, Surroundings
from pellux.core.surrogates.coding import Coding

SQUARE = parse("x: 0 .. 1\ny: 0 .. 1")
CUBE = parse("\n".join(f"x{i}: 0 .. 1" for i in range(3)))
KINDS = parse("x: 0 .. 1\ny: 0 .. 1\nkind: a | b")
Function = Callable[[Mapping[str, Any]], float]


def hills(*tops: tuple[float, float, float]) -> Function:
    """A sum of round hills: height, steepness, and where on the diagonal each stands."""

    def score(c: Mapping[str, Any]) -> float:
        return sum(
            height * float(np.exp(-steep * sum((v - at) ** 2 for v in c.values() if isinstance(v, float))))
            for height, steep, at in tops
        )

    return score


def observed(space: Space, score: Function, count: int, seed: int = 1) -> list[Observation]:
    found: list[Any] = []
    for number in range(1, count + 1):
        configuration = even_spread.propose(space, found, [], 1, SeedStream(seed, number)).configurations[0]
        found.append(Observation(configuration, (score(configuration),), 1.0, "scored"))
    return found


def test_a_hill_is_its_top_and_its_slopes() -> None:
    history = observed(SQUARE, hills((1.0, 12, 0.25), (0.8, 40, 0.8)), 80)
    model, coding = believe(SQUARE, history, []), Coding.of(SQUARE)
    top = coding.features(np.array([[0.25, 0.25]]))
    beside = OutsideBasins(model.posterior, coding, model.posterior, top)
    on_the_hill = np.array([[0.25, 0.25], [0.3, 0.2], [0.4, 0.4], [0.1, 0.45]])
    on_the_other = np.array([[0.8, 0.8], [0.75, 0.85], [0.9, 0.75]])
    assert not beside.holds(on_the_hill).any()
    assert beside.holds(on_the_other).all()
    both = OutsideBasins(model.posterior, coding, model.posterior, coding.features(np.array([[0.25, 0.25], [0.8, 0.8]])))
    assert not both.holds(np.concatenate([on_the_hill, on_the_other])).any()
    assert Everywhere(model.posterior, coding).holds(on_the_hill).all()
    assert beside.holds(np.empty((0, 2))).shape == (0,)


def test_beside_a_hill_are_only_places_with_its_options() -> None:
    history = observed(KINDS, hills((1.0, 12, 0.25)), 60)
    model, coding = believe(KINDS, history, []), Coding.of(KINDS)
    here = KINDS.encode({"x": 0.25, "y": 0.25, "kind": "a"})
    far, other = (KINDS.encode({"x": 0.95, "y": 0.95, "kind": kind}) for kind in "ab")
    beside = OutsideBasins(model.posterior, coding, model.posterior, coding.features(here[None]))
    assert beside.holds(np.array([here, far, other])).tolist() == [False, True, False]


def test_surroundings_end_half_way_to_the_next_top() -> None:
    history = observed(SQUARE, hills((1.0, 12, 0.25), (0.8, 12, 0.8)), 60)
    model, coding = believe(SQUARE, history, []), Coding.of(SQUARE)
    region = Surroundings(model.posterior, coding, coding.features(np.array([[0.2, 0.2], [0.8, 0.8]])))
    assert region.holds(np.array([[0.3, 0.3], [0.45, 0.45], [0.55, 0.55], [0.9, 0.7]])).tolist() == [True, True, False, False]


def test_where_options_are_those_of_a_top_only_tops_with_these_options_count() -> None:
    """The model has seen no difference between the options: by correlation alone all of (x, y) would be one top's."""
    space = parse("x: 0 .. 1\ny: 0 .. 1\nkind: a | b | c")
    model, coding = believe(space, observed(space, hills((1.0, 3, 0.5)), 30), []), Coding.of(space)

    def at(x: float, kind: str) -> list[float]:
        return list(space.encode({"x": x, "y": x, "kind": kind}))

    region = Surroundings(model.posterior, coding, coding.features(np.array([at(0.2, "a"), at(0.8, "b")])))
    places = np.array([at(0.1, "a"), at(0.9, "a"), at(0.1, "b"), at(0.9, "b"), at(0.3, "c"), at(0.7, "c")])
    assert region.holds(places).tolist() == [True, True, False, False, True, False]


def test_the_inside_has_no_ends_of_numbers_but_all_levels_of_short_ones() -> None:
    space = parse("x: 0 .. 1\nlong: 1 .. 100 int\nshort: 1 .. 3 int\nkind: a | b\ny: 0 .. 1 if kind == a")
    model = believe(space, observed(space, lambda c: float(c["x"]), 12), [])
    inside = Inside(Everywhere(model.posterior, Coding.of(space)), 0.2)
    holds = {
        (0.5, 50, 1, 0.5): True, (0.3, 70, 3, 0.3): True, (0.1, 50, 2, 0.5): False, (0.5, 95, 2, 0.5): False,
        (0.5, 50, 2, 0.95): False, (0.5, 50, 3, None): True, (0.95, 50, 3, None): False,
    }  # fmt: skip
    for (x, long, short, y), held in holds.items():
        configuration = {"x": x, "long": long, "short": short} | ({"kind": "b"} if y is None else {"kind": "a", "y": y})
        assert inside.holds(space.encode(configuration)[None]).tolist() == [held], configuration


def found_tops(space: Space, history: list[Observation]) -> list[Mapping[str, Any]]:
    model, coding = believe(space, history, []), Coding.of(space)
    order = np.argsort(-model.expected, kind="stable")
    return [history[i].configuration for i in tops(model.posterior, coding, model.features, model.expected, order)]


def test_tops_are_trials_between_which_the_ground_dips() -> None:
    history = observed(SQUARE, hills((1.0, 20, 0.25), (0.8, 20, 0.8)), 70)
    first, second, *_ = found_tops(SQUARE, history)
    assert first["x"] == pytest.approx(0.25, abs=0.15)
    assert second["x"] == pytest.approx(0.8, abs=0.15)
    assert len(found_tops(SQUARE, observed(SQUARE, hills((1.0, 3, 0.5)), 40))) == 1, "one hill has one top"


def test_every_combination_of_options_has_a_top_of_its_own() -> None:
    found = found_tops(KINDS, observed(KINDS, lambda c: hills((1.0, 3, 0.5))(c) + (c["kind"] == "a"), 40))
    assert {c["kind"] for c in found} == {"a", "b"}
    assert found[0]["kind"] == "a"


def climbed(space: Space, score: Function, at: float) -> list[Observation]:
    """An even spread, and then trials ever nearer to one top."""
    rng, found = np.random.default_rng(5), observed(space, score, 14)
    for distance in np.geomspace(0.2, 1e-3, 18):
        away = rng.standard_normal(space.dimension)
        point = at + distance * away / np.linalg.norm(away)
        configuration = {p.name: float(v) for p, v in zip(space.searched, point, strict=True)}
        found.append(Observation(configuration, (score(configuration),), 1.0, "scored"))
    return found


def test_a_higher_hill_is_found_after_another_one_was_climbed() -> None:
    """The hill that was climbed first has most of the space; the other is a fifth higher."""
    score = hills((1.0, 12, 0.25), (1.2, 24, 0.8))
    history = climbed(CUBE, score, 0.25)
    assert max(o.scores[0] or 0.0 for o in history) < 1.05
    for number in range(len(history) + 1, len(history) + 17):
        configuration = gaussian_process.propose(CUBE, history, [], 1, SeedStream(1, number)).configurations[0]
        history.append(Observation(configuration, (score(configuration),), 1.0, "scored"))
    assert max(o.scores[0] or 0.0 for o in history) > 1.19


def test_proposals_elsewhere_are_the_same_after_a_restart() -> None:
    """Nothing of the model of the rest is carried over from one proposal to the next."""
    history = observed(SQUARE, hills((1.0, 8, 0.25), (0.7, 60, 0.8)), 30)
    near = [Observation({"x": 0.25 + e, "y": 0.25 - e}, (1.0 - 16 * e * e,), 1.0, "scored") for e in np.linspace(0, 0.01, 12)]
    known = [*history, *near]
    pending = [{"x": 0.7, "y": 0.7}]
    for number in (44, 45, 46):
        once, again = (gaussian_process.propose(SQUARE, known, pending, 1, SeedStream(2, number)).configurations for _ in range(2))
        assert once == again
        assert once[0] not in [dict(o.configuration) for o in known]
