"""Grid: every combination of levels, conditions and requirements taken into account before counting.

The grid is walked in strides of the golden ratio, not line by line, so that a budget that ends early has seen all of it
thinly instead of one corner fully.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from functools import lru_cache

from pellux.core.errors import InvalidSpace
from pellux.core.space import Choice, Configuration, Counting, Fixed, Parameter, Space, Value, identity
from pellux.core.strategies.contract import Answer, History, SeedStream, suggested
from pellux.core.strategies.fresh import taken

LARGEST = 1_000_000  # points; past it a grid is not a plan but a mistake


@lru_cache(maxsize=32)
def lattice(space: Space) -> Space:
    """The finite space of a grid's levels; InvalidSpace when it is larger than any budget."""
    found = Space(tuple(_levels(p) for p in space.parameters), space.requirements)
    counting = Counting.of(found)
    size = counting.most if counting.total is None else counting.total
    if counting.total is None or counting.total > LARGEST:
        widest = max(found.parameters, key=lambda p: p.count or 0)
        raise InvalidSpace(
            f"The grid has {size:.2g} points; at most {LARGEST:,} can be walked. Give parameters fewer 'levels' "
            f"({widest.name} has {widest.count}), or take another strategy than Grid.",
            at="plan.strategy",
        )
    if counting.total == 0:
        raise InvalidSpace("No point of the grid meets the requirements: give more 'levels'.", at="plan.strategy")
    return found


def _levels(parameter: Parameter) -> Parameter:
    values = parameter.grid()
    if isinstance(parameter, Choice):
        return replace(parameter, start=None)
    if len(values) == 1:
        return Fixed(name=parameter.name, value=values[0], condition=parameter.condition)
    return Choice(name=parameter.name, options=values, weights=(1.0,) * len(values), condition=parameter.condition)


def propose(space: Space, history: History, pending: Sequence[Configuration], count: int, seeds: SeedStream) -> Answer:
    """The next proposals; see `contract.Strategy`, and above for the method and its source."""
    points, tried = lattice(space), taken(history, pending)
    counting, found = Counting.of(points), list[dict[str, Value]]()
    total = counting.total or 0
    stride = next(s for s in range(max(1, round(total * 0.618)), total + 2) if math.gcd(s, total) == 1)
    for step in range(count):
        for offset in range(min(total, len(tried) + 1)):
            candidate = counting.nth(points, ((seeds.number + step - 1 + offset) * stride) % total)
            if identity(candidate) not in tried:
                tried.add(identity(candidate))
                found.append(candidate)
                break
        else:
            return suggested(found)
    return suggested(found)
