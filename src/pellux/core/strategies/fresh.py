"""Configurations that nobody tried yet: the last resort of every strategy, and how it learns that none is left."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from numpy.random import Generator

from pellux.core.space import Configuration, Counting, Space, Value, draw, identity
from pellux.core.strategies.contract import Answer, History, SeedStream, suggested

TRIES = 100


def taken(history: History, pending: Sequence[Configuration]) -> set[str]:
    """What was tried or is being tried."""
    return {o.identity for o in history} | {identity(c) for c in pending}


def untried(space: Space, tried: set[str], rng: Generator) -> dict[str, Value] | None:
    """A random configuration nobody tried; None when the space holds none."""
    total = Counting.of(space).total
    # Draws find a free one while most are free; near exhaustion a walk from a random place does.
    for _ in range(TRIES if total is None or 2 * len(tried) < total else 4):
        drawn = draw(space, rng)
        if identity(drawn) not in tried and space.fulfils(drawn):
            return drawn
    return _next_free(space, tried, rng)


def _next_free(space: Space, tried: set[str], rng: Generator) -> dict[str, Value] | None:
    """A free configuration of a finite space: at most `len(tried) + 1` steps."""
    counting = Counting.of(space)
    if counting.total is None:
        return None
    start = int(rng.random() * counting.total)
    for offset in range(min(counting.total, len(tried) + 1)):
        candidate = counting.nth(space, (start + offset) % counting.total)
        if identity(candidate) not in tried:
            return candidate
    return None


def one_by_one(
    space: Space,
    history: History,
    pending: Sequence[Configuration],
    count: int,
    seeds: SeedStream,
    single: Callable[[Sequence[Configuration], SeedStream], Configuration | None],
) -> Answer:
    """Asks `single` for one configuration at a time, each with the earlier ones pending; what it gives is used when it
    is new and meets the requirements, else a random untried one is."""
    tried, waiting, found = taken(history, pending), list(pending), list[dict[str, Value]]()
    for step in range(count):
        now = seeds.later(step)
        wanted = single(waiting, now)
        if wanted is None or identity(wanted) in tried or not space.fulfils(wanted):
            wanted = untried(space, tried, now.own())
        if wanted is None:
            return suggested(found)
        tried.add(identity(wanted))
        waiting.append(wanted)
        found.append(dict(wanted))
    return suggested(found)
