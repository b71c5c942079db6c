"""Configurations that nobody tried yet: the last resort of every strategy, and how it learns that none is left."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence

from numpy.random import Generator

from pellux.core.space import Configuration, Counting, Space, Value, draw, identity
from pellux.core.strategies.contract import Answer, History, SeedStream, suggested
from pellux.core.strategies.known import Ready

TRIES = 100


class Taken:
    """Identities of what was tried or is being tried. Those of a long history are looked up where they are, not copied."""

    def __init__(self, before: set[str], beside: Iterable[str]) -> None:
        self._before, self._beside = before, set(beside)

    def __contains__(self, one: str) -> bool:
        return one in self._beside or one in self._before

    def __len__(self) -> int:
        """At least as many as there are: some may be counted twice."""
        return len(self._before) + len(self._beside)

    def add(self, one: str) -> None:
        self._beside.add(one)


def taken(history: History, pending: Sequence[Configuration]) -> Taken:
    """What was tried or is being tried."""
    before = history.identities if isinstance(history, Ready) else {o.identity for o in history}
    return Taken(before, map(identity, pending))


def untried(space: Space, tried: Taken, rng: Generator) -> dict[str, Value] | None:
    """A random configuration nobody tried; None when the space holds none."""
    total = Counting.of(space).total
    # Draws find a free one while most are free; near exhaustion a walk from a random place does.
    for _ in range(TRIES if total is None or 2 * len(tried) < total else 4):
        drawn = draw(space, rng)
        if identity(drawn) not in tried and space.fulfils(drawn):
            return drawn
    return _next_free(space, tried, rng)


def _next_free(space: Space, tried: Taken, rng: Generator) -> dict[str, Value] | None:
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
