"""Population training: members train side by side; the weak become changed copies of the strong (Jaderberg et al. 2017).

A proposal is one member's next interval. Members take turns, so a proposal's number says whose interval it is; what the
others have reached by then is in the history. What comes out is a schedule: settings that change during the training.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pellux.core.space import Choice, Configuration, Space, Value
from pellux.core.strategies import even_spread
from pellux.core.strategies.contract import Chance, History, Lineage, Observation, Proposed

WEAK = STRONG = 0.25  # shares of the population that copy and that are copied
AFRESH = 0.2  # chance that a setting of a copy is drawn anew
STEP = (0.05, 0.2)  # else how far it moves, as a share of its range
TRIES = 20


@dataclass(frozen=True)
class Line:
    """How a population trains: members, the last interval's number, and the settings that may change on the way."""

    members: int
    top: int
    steerable: tuple[str, ...]


def propose(
    space: Space, history: History, pending: Sequence[Configuration], count: int, chance: Chance, line: Line | None = None
) -> Proposed:
    """The next member's next interval; `waits` while that member, or half of the others, are still training."""
    if line is None:
        raise ValueError("Population training needs to know its members.")
    rung, member = divmod(chance.number - 1, line.members)
    if rung > line.top:
        return Proposed((), exhausted=True)
    if rung == 0:
        born = even_spread.point(space, chance)
        return Proposed((dict(born),), lineage=(Lineage(None, 0, member),))
    before = {o.member: o for o in history if not o.elsewhere and o.rung == rung - 1 and o.number}
    known = [o for o in before.values() if o.mean is not None]
    if member not in before or len(before) < (line.members + 1) // 2:
        return Proposed((), waits=True)
    if not known:
        return Proposed((), exhausted=True)
    own, ranked = before[member], sorted(known, key=lambda o: (-(o.mean or 0.0), o.number))
    if _weak(own, ranked):
        rng = chance.own()
        strong = ranked[int(rng.integers(max(1, round(STRONG * len(ranked)))))]
        return _answer(_changed(space, strong.configuration, line, rng), strong, rung, member)
    return _answer(own.configuration, own, rung, member)


def _weak(own: Observation, ranked: Sequence[Observation]) -> bool:
    if own.mean is None:
        return True
    return ranked.index(own) >= len(ranked) - int(WEAK * len(ranked))


def _answer(configuration: Configuration, parent: Observation, rung: int, member: int) -> Proposed:
    return Proposed((dict(configuration),), lineage=(Lineage(parent.number, rung, member),))


def _changed(space: Space, configuration: Configuration, line: Line, rng: np.random.Generator) -> dict[str, Value]:
    """A copy whose steerable settings have moved; as it was when no change meets the requirements."""
    start = space.encode(configuration)
    for _ in range(TRIES):
        point = start.copy()
        for place, p in enumerate(space.searched):
            if p.name not in line.steerable or np.isnan(point[place]):
                continue
            afresh = rng.random() < AFRESH
            if afresh or isinstance(p, Choice):
                point[place] = rng.random() if afresh else point[place]
            else:
                point[place] = np.clip(point[place] + rng.choice([-1.0, 1.0]) * rng.uniform(*STEP), 0.0, 1.0)
        found = space.decode(point)
        if space.fulfils(found):
            return found
    return dict(configuration)
