"""Random: independent draws from the prior of each parameter (Bergstra & Bengio, JMLR 2012).

Never the same configuration twice: a finite space is drawn without replacement until nothing is left.
"""

from __future__ import annotations

from collections.abc import Sequence

from numpy.random import Generator

from pellux.core.space import Configuration, Space, Value, identity
from pellux.core.strategies.contract import History, Proposed

TRIES = 200


def propose(space: Space, history: History, pending: Sequence[Configuration], count: int, rng: Generator) -> Proposed:
    taken = {o.identity for o in history} | {identity(c) for c in pending}
    found: list[dict[str, Value]] = []
    while len(found) < count:
        fresh = _draw(space, taken, rng) or _next_free(space, taken, rng)
        if fresh is None:
            return Proposed(tuple(found), exhausted=True)
        taken.add(identity(fresh))
        found.append(fresh)
    return Proposed(tuple(found))


def _draw(space: Space, taken: set[str], rng: Generator) -> dict[str, Value] | None:
    for _ in range(TRIES):
        drawn = space.decode(rng.random(space.dimension))
        if identity(drawn) not in taken:
            return drawn
    return None


def _next_free(space: Space, taken: set[str], rng: Generator) -> dict[str, Value] | None:
    """A free configuration, walking a finite space from a random place: at most `len(taken) + 1` steps."""
    if space.count is None:
        return None
    start = int(rng.random() * space.count)
    for offset in range(min(space.count, len(taken) + 1)):
        candidate = space.nth((start + offset) % space.count)
        if identity(candidate) not in taken:
            return candidate
    return None
