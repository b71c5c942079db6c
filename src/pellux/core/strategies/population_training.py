"""Population training: members train side by side; the weak become changed copies of the strong (Jaderberg et al. 2017).

A proposal is one member's next interval: a `Continue` from the trial that was its last. Members take turns, so a proposal's number says whose interval it is; what the
others have reached by then is in the history. What comes out is a schedule: settings that change during the training.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import ClassVar

import numpy as np

from pellux.core.settings import demanding
from pellux.core.space import Choice, Configuration, Space, Value
from pellux.core.strategies import even_spread
from pellux.core.strategies.contract import Answer, Continue, Exhausted, Growing, History, Observation, SeedStream, Wait

WEAK = STRONG = 0.25  # shares of the population that copy and that are copied
AFRESH = 0.2  # chance that a setting of a copy is drawn anew
STEP = (0.05, 0.2)  # else how far it moves, as a share of its range
TRIES = 20
FEWEST = 4  # members
INTERVALS = 9  # of a whole training, when nothing else is asked for
demand = demanding("plan.strategy settings")


@dataclass(frozen=True)
class PopulationSettings:
    """How a population trains.

    Attributes
    ----------
    interval : int
        Iterations of training between two looks at the others; 0 is a ninth of the whole.
    members : int
        How many train side by side; 0 is as many as the budget trains through all intervals.
    top : int
        The number of the last interval; found out from the whole.
    steerable : tuple of str
        Settings that may change on the way; found out from what is trained.
    """

    interval: int = 0
    members: int = 0
    top: int = 0
    steerable: tuple[str, ...] = ()
    sentences: ClassVar[Mapping[str, str]] = {
        "interval": "Iterations of training between two looks at the others; 0 is a ninth of the whole.",
        "members": "How many train side by side; 0 is as many as the trials train through all intervals.",
    }

    def __post_init__(self) -> None:
        demand(self.interval >= 0, f"An interval has 1 iteration or more; 0 leaves it to us. Got {self.interval}.", "interval")
        demand(
            self.members == 0 or self.members >= FEWEST,
            f"A population has {FEWEST} members or more. Got {self.members}.",
            "members",
        )


def propose(
    space: Space, history: History, pending: Sequence[Configuration], count: int, seeds: SeedStream, settings: PopulationSettings
) -> Answer:
    """The next member's next interval; Wait while that member, or half of the others, are still training."""
    rung, member = divmod(seeds.number - 1, settings.members)
    if rung > settings.top:
        return Exhausted()
    if rung == 0:
        return Continue(even_spread.point(space, seeds), None, 0, member)
    before = {o.member: o for o in history if not o.elsewhere and o.rung == rung - 1 and o.number}
    known = [o for o in before.values() if o.mean is not None]
    if member not in before or len(before) < (settings.members + 1) // 2:
        return Wait()
    if not known:
        return Exhausted()
    own, ranked = before[member], sorted(known, key=lambda o: (-(o.mean or 0.0), o.number))
    if _weak(own, ranked):
        rng = seeds.own()
        strong = ranked[int(rng.integers(max(1, round(STRONG * len(ranked)))))]
        return Continue(_changed(space, strong.configuration, settings, rng), strong.number, rung, member)
    return Continue(dict(own.configuration), own.number, rung, member)


def divide(settings: PopulationSettings, growing: Growing) -> tuple[PopulationSettings, int, tuple[int, ...]]:
    """Intervals and members of a population: settings in full, trials (one a member an interval), levels of the rungs."""
    interval = settings.interval or max(growing.most // INTERVALS, 1)
    demand(interval < growing.most, f"An interval is 1 to {growing.most - 1} iterations. Got {interval}.", "interval")
    levels = tuple(sorted({*range(interval, growing.most, interval), growing.most}))
    members = settings.members or max(growing.trials // len(levels), FEWEST)
    whole = replace(settings, interval=interval, members=members, top=len(levels) - 1, steerable=growing.steerable)
    return whole, members * len(levels), levels


def first(configuration: Configuration, seeds: SeedStream, settings: PopulationSettings) -> Continue:
    """A start value as the first interval of a member."""
    return Continue(dict(configuration), None, 0, (seeds.number - 1) % settings.members)


def _weak(own: Observation, ranked: Sequence[Observation]) -> bool:
    if own.mean is None:
        return True
    return ranked.index(own) >= len(ranked) - int(WEAK * len(ranked))


def _changed(
    space: Space, configuration: Configuration, settings: PopulationSettings, rng: np.random.Generator
) -> dict[str, Value]:
    """A copy whose steerable settings have moved; as it was when no change meets the requirements."""
    start = space.encode(configuration)
    for _ in range(TRIES):
        point = start.copy()
        for place, p in enumerate(space.searched):
            if p.name not in settings.steerable or np.isnan(point[place]):
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
