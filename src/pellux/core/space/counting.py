"""How many configurations a space holds, and which one has a given index.

Parameters that conditions or requirements tie together are walked through value by value; all others only multiply.
So a space with a million combinations behind one switch is counted by looking at the switch alone.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from itertools import accumulate
from math import prod

from pellux.core.space.expressions import Expression, holds, names, violation
from pellux.core.space.parameters import Parameter
from pellux.core.space.space import Space
from pellux.core.space.values import Value

MOST_WALKED = 200_000  # combinations of tied parameters; past it the count is not exact


@dataclass(frozen=True)
class Group:
    """Parameters tied together: `walked` are named by an expression, `leaves` only wait for one."""

    combinations: tuple[dict[str, Value], ...]
    leaves: tuple[tuple[Parameter, ...], ...]  # the active leaves of each combination
    reached: tuple[int, ...]  # running totals

    @property
    def total(self) -> int:
        return self.reached[-1] if self.reached else 0

    def nth(self, index: int) -> dict[str, Value]:
        place = bisect_right(self.reached, index)
        found = dict(self.combinations[place])
        index -= self.reached[place - 1] if place else 0
        for leaf in self.leaves[place]:
            index, level = divmod(index, leaf.count or 1)
            found[leaf.name] = _value(leaf, level)
        return found


@dataclass(frozen=True)
class Counting:
    """`total` is None for infinitely many; `most` bounds it from above when it is not exact."""

    total: int | None
    groups: tuple[Group, ...] = ()
    most: int | None = None

    @staticmethod
    @lru_cache(maxsize=256)
    def of(space: Space) -> Counting:
        if any(p.count is None for p in space.parameters):
            return Counting(None)
        most = prod(p.count or 1 for p in space.parameters)
        tied = _tied(space)
        if any(prod(p.count or 1 for p in walked) > MOST_WALKED for walked, _, _ in tied):
            return Counting(None, most=most)
        groups = tuple(_group(space, walked, leaves, requirements) for walked, leaves, requirements in tied)
        return Counting(prod(g.total for g in groups), groups, most)

    def nth(self, space: Space, index: int) -> dict[str, Value]:
        """The configuration with an index, 0 <= index < total; every configuration has exactly one."""
        found: dict[str, Value] = {}
        for group in self.groups:
            index, place = divmod(index, group.total)
            found |= group.nth(place)
        return {p.name: found[p.name] for p in space.parameters if p.name in found}


Tie = tuple[list[Parameter], list[Parameter], list[Expression]]


def _tied(space: Space) -> list[Tie]:
    """Splits the parameters into groups that no expression connects: (walked, leaves, requirements) each."""
    root = {p.name: p.name for p in space.parameters}

    def find(name: str) -> str:
        while root[name] != name:
            name = root[name]
        return name

    named = set[str]()
    for p in space.parameters:
        for other in names(p.condition) if p.condition is not None else ():
            root[find(other)] = find(p.name)
            named.add(other)
    for requirement in space.requirements:
        mentioned = names(requirement)
        named |= set(mentioned)
        for other in mentioned[1:]:
            root[find(other)] = find(mentioned[0])
    found: dict[str, Tie] = {}
    for p in space.order:
        walked, leaves, _ = found.setdefault(find(p.name), ([], [], []))
        (walked if p.name in named else leaves).append(p)
    for requirement in space.requirements:
        found[find(names(requirement)[0])][2].append(requirement)
    return list(found.values())


def _group(space: Space, walked: list[Parameter], leaves: list[Parameter], requirements: list[Expression]) -> Group:
    combinations, active, sizes = [], [], []
    for combination in _walk(walked, {}):
        if not any(violation(r, combination) for r in requirements):
            here = tuple(p for p in leaves if p.condition is None or holds(p.condition, combination))
            combinations.append(combination)
            active.append(here)
            sizes.append(prod(p.count or 1 for p in here))
    return Group(tuple(combinations), tuple(active), tuple(accumulate(sizes)))


def _walk(parameters: list[Parameter], so_far: dict[str, Value]) -> Iterator[dict[str, Value]]:
    """Every combination of values of some parameters, each only where it is active."""
    if not parameters:
        yield dict(so_far)
        return
    first, *rest = parameters
    if first.condition is not None and not holds(first.condition, so_far):
        yield from _walk(rest, so_far)
        return
    for value in first.values():
        yield from _walk(rest, {**so_far, first.name: value})


def _value(parameter: Parameter, index: int) -> Value:
    level = getattr(parameter, "level", None)  # ranges reach a level without walking there
    if level is not None:
        value: Value = level(index)
        return value
    return list(parameter.values())[index]
