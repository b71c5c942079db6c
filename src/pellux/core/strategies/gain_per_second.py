"""Gain per second: the most improvement for a second of training, from the cheapest start.

It begins where costly settings are lowest (Wu, Wang & Huang, AAAI 2021) and spreads a few trials evenly. Then it works like
the Gaussian process, but weighs expected improvement by expected seconds (Snoek, Larochelle & Adams, NeurIPS 2012):
costly settings grow only while that promises more than cheap trials do. Seconds come from a model of the trials done,
which believes before the first that a costly setting costs in proportion to its value. What other problems taught counts from
the second trial on: the first is cheap, all the same.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from pellux.core.space import Configuration, Space, Value, identity, repair
from pellux.core.strategies import gaussian_process
from pellux.core.strategies.contract import Answer, History, SeedStream
from pellux.core.strategies.fresh import one_by_one, taken
from pellux.core.strategies.gaussian_process import Design
from pellux.core.strategies.lessons import Lesson

THRIFTY = Design(thrift=True, centre=False)


def propose(
    space: Space, history: History, pending: Sequence[Configuration], count: int, seeds: SeedStream, lessons: Sequence[Lesson] = ()
) -> Answer:
    """The next proposals; see `contract.Strategy`, and above for the method and its source."""
    return one_by_one(space, history, pending, count, seeds, partial(_single, space, history, lessons))


def cheapest(space: Space) -> dict[str, Value]:
    """Where to begin: start values, else the low end of costly parameters and the middle of the others."""
    low = {p.name: p.decode(0.0) for p in space.parameters if p.costly and p.start is None}
    return space.completed(low)


def _single(
    space: Space, history: History, lessons: Sequence[Lesson], pending: Sequence[Configuration], seeds: SeedStream
) -> dict[str, Value] | None:
    # The baseline does not count: it runs beside the first proposal. What is known from elsewhere does.
    if seeds.number == 1 and not any(o.elsewhere for o in history):
        begin = cheapest(space)
        begin = begin if space.fulfils(begin) else repair(space, begin, seeds.own())
        if identity(begin) not in taken(history, pending):
            return begin
    return gaussian_process.single(space, history, THRIFTY, lessons, pending, seeds)
