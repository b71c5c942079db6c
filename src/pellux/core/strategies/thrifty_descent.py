"""Thrifty descent: randomised direct search from the cheapest start (Wu, Wang & Huang, AAAI 2021).

From the incumbent a random direction is tried, then its opposite; after enough failures the step shrinks, and when it is
small the search starts again elsewhere, still cheap. Costly settings begin at their low end and grow only while that
pays, so the money goes into cheap fits first. The walk is replayed from the history: it has no other memory.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np
from numpy.typing import NDArray

from pellux.core.space import Choice, Configuration, Space, Value, identity, repair
from pellux.core.strategies.contract import Chance, History, Proposed
from pellux.core.strategies.fresh import one_by_one

Array = NDArray[np.float64]
FIRST_STEP = 0.2  # of the cube's side, for each coordinate on average
LEAST_STEP = 0.02
SHRINK = 0.6
PATIENCE = (4, 12)  # failures before the step shrinks, by dimension
SWITCH = 0.15  # chance that a move takes another option of a choice


def propose(space: Space, history: History, pending: Sequence[Configuration], count: int, chance: Chance) -> Proposed:
    return one_by_one(space, history, pending, count, chance, partial(_single, space, history))


def cheapest(space: Space) -> dict[str, Value]:
    """Where to begin: start values, else the low end of costly parameters and the middle of the others."""
    low = {p.name: p.decode(0.0) for p in space.parameters if p.costly and p.start is None}
    return space.completed(low)


@dataclass
class Walk:
    """The state of the descent after some trials."""

    space: Space
    at: Array
    best: float = -np.inf
    step: float = FIRST_STEP
    failures: int = 0
    restarts: int = 0
    opposite: Array | None = None  # the move to try next: the last one, turned round

    def hear(self, configuration: Configuration, mean: float | None) -> None:
        """One finished trial: a step forward, or one failure more."""
        point = _filled(self.space.encode(configuration))
        move = point - self.at
        if mean is not None and mean > self.best:
            self.at, self.best, self.failures, self.opposite = point, mean, 0, None
            return
        self.opposite = None if self.opposite is not None else -move
        self.failures += 1
        if self.failures >= int(np.clip(2 * self.space.dimension, *PATIENCE)):
            self.failures, self.opposite = 0, None
            self.step *= SHRINK
            if self.step < LEAST_STEP:
                self._restart()

    def _restart(self) -> None:
        """Elsewhere in the cheap half: costly parameters stay low, the others are drawn afresh."""
        self.restarts += 1
        rng = np.random.default_rng([self.restarts, self.space.dimension])
        fresh = rng.random(self.space.dimension)
        start = _filled(self.space.encode(cheapest(self.space)))
        for i, p in enumerate(self.space.searched):
            if p.costly:
                fresh[i] = start[i]
        self.at, self.best, self.step = fresh, -np.inf, FIRST_STEP


def _single(space: Space, history: History, pending: Sequence[Configuration], chance: Chance) -> dict[str, Value]:
    known = [o for o in history if o.state in ("scored", "failed", "pruned")]
    begin = cheapest(space)
    if not known and not pending:
        return begin if space.fulfils(begin) else repair(space, begin, chance.own())
    walk = Walk(space, _filled(space.encode(begin)))
    for observation in known:
        walk.hear(observation.configuration, observation.mean)
    if walk.best == -np.inf and walk.restarts:
        at = space.decode(walk.at)
        if not any(identity(c) == identity(at) for c in pending):
            return at
    rng = chance.own()
    # With others pending the opposite of the last move may be under way already: take a fresh direction then.
    move = walk.opposite if walk.opposite is not None and not pending else _direction(walk, rng)
    found = space.decode(_switched(space, np.clip(walk.at + move, 0.0, 1.0), rng))
    return found if space.fulfils(found) else repair(space, found, rng)


def _direction(walk: Walk, rng: np.random.Generator) -> Array:
    drawn = rng.standard_normal(walk.space.dimension)
    found: Array = drawn / np.linalg.norm(drawn) * walk.step * np.sqrt(walk.space.dimension)
    return found


def _switched(space: Space, point: Array, rng: np.random.Generator) -> Array:
    for i, p in enumerate(space.searched):
        if isinstance(p, Choice) and rng.random() < SWITCH:
            point[i] = rng.random()
    return point


def _filled(point: Array) -> Array:
    return np.where(np.isnan(point), 0.5, point)
