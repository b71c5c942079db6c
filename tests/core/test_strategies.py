"""Every strategy keeps the contract; Random draws from the priors without ever repeating itself."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from scipy import stats

from pellux.core.errors import InvalidPlan
from pellux.core.space import Space, identity, parse
from pellux.core.strategies import STRATEGIES, Observation, generator, strategy
from tests.core.spaces import spaces

EVERY = pytest.mark.parametrize("key", list(STRATEGIES))


def search(key: str, space: Space, most: int, seed: int = 3) -> tuple[list[dict], bool]:  # type: ignore[type-arg]
    """Propose one by one as the engine does, scoring each with a number made from its text."""
    history: list[Observation] = []
    for number in range(1, most + 1):
        answer = STRATEGIES[key].propose(space, history, [], 1, generator(seed, number))
        if answer.exhausted:
            return [dict(o.configuration) for o in history], True
        score = (hash(identity(answer.configurations[0])) % 1000) / 1000
        history.append(Observation(answer.configurations[0], (score, score), 1.0, "scored"))
    return [dict(o.configuration) for o in history], False


@EVERY
@given(space=spaces())
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
    assert len(found) == space.count == 24


@EVERY
def test_many_at_once_do_not_repeat_and_know_the_pending_ones(key: str) -> None:
    space = parse("a: 1 .. 6 int\nb: x | y")
    pending = [{"a": 1, "b": "x"}, {"a": 2, "b": "y"}]
    answer = STRATEGIES[key].propose(space, [], pending, 50, generator(1, 1))
    assert answer.exhausted
    drawn = {identity(c) for c in answer.configurations}
    assert len(drawn) == len(answer.configurations) == 10
    assert not drawn & {identity(c) for c in pending}


@EVERY
def test_the_same_seed_proposes_the_same(key: str) -> None:
    space = parse("a: 1e-3 .. 10 log\nb: 1 .. 50 int\nc: x | y | z")
    assert search(key, space, 15) == search(key, space, 15)
    assert search(key, space, 15) != search(key, space, 15, seed=4)


@EVERY
def test_failures_alone_do_not_stop_it(key: str) -> None:
    space = parse("a: 0 .. 1\nb: x | y")
    failed = [Observation({"a": i / 10, "b": "x"}, (None, None), 0.1, "failed") for i in range(10)]
    assert len(STRATEGIES[key].propose(space, failed, [], 3, generator(0, 11)).configurations) == 3


def test_random_follows_the_prior_weights() -> None:
    space = parse("kind: a | b *2 | c *5\nx: 0 .. 1")
    drawn = [STRATEGIES["random"].propose(space, [], [], 1, generator(7, n)).configurations[0]["kind"] for n in range(4000)]
    counts = [drawn.count(k) for k in "abc"]
    assert stats.chisquare(counts, np.array([1, 2, 5]) / 8 * 4000).pvalue > 1e-3


def test_a_vast_finite_space_with_a_heavy_option_stays_fast() -> None:
    space = parse("kind: a *1e9 | b\nx: 1 .. 1000000 int")
    taken = [Observation({"kind": "a", "x": i}, (0.0,), 1.0, "scored") for i in range(1, 400)]
    answer = STRATEGIES["random"].propose(space, taken, [], 20, generator(1, 1))
    assert len(answer.configurations) == 20


def test_an_unknown_strategy_is_refused_with_the_list() -> None:
    with pytest.raises(InvalidPlan, match=r"'psychic' is unknown\. Allowed: random"):
        strategy("psychic")
