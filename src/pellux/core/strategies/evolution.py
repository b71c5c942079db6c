"""Evolution: differential evolution on the unit cube (Storn & Price 1997), one member at a time.

Trial n competes for slot n mod size of the population, so the population is a function of the history alone. A change
is the step towards one of the best members plus the difference of two others (current-to-best, Zhang & Sanderson 2009).
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

import numpy as np
from numpy.typing import NDArray

from pellux.core.space import Choice, Configuration, Space, Value, repair
from pellux.core.strategies import even_spread
from pellux.core.strategies.contract import Answer, History, SeedStream
from pellux.core.strategies.fresh import one_by_one
from pellux.core.strategies.several import several

SMALLEST, LARGEST = 6, 24
CROSSING = 0.9  # share of coordinates taken from the change
ELITE = 0.2  # share of the population that counts as best


def propose(space: Space, history: History, pending: Sequence[Configuration], count: int, seeds: SeedStream) -> Answer:
    """The next proposals; see `contract.Strategy`, and above for the method and its source."""
    return one_by_one(space, history, pending, count, seeds, partial(_single, space, history))


def size(space: Space) -> int:
    """How many members the population has."""
    return int(np.clip(2 * space.dimension, SMALLEST, LARGEST))


def _single(space: Space, history: History, pending: Sequence[Configuration], seeds: SeedStream) -> dict[str, Value]:
    members = size(space)
    if len(history) + len(pending) < members:
        return even_spread.point(space, seeds)
    points, scores = _population(space, history, members)
    if len(points) < 4:
        return even_spread.point(space, seeds)
    rng = seeds.own()
    place = seeds.number % members % len(points)
    # Where several metrics decide, whoever is on the front (0 or more) is as good a place to step to as another.
    elite = int((scores >= 0).sum()) if several(history) else round(ELITE * len(points))
    best = rng.choice(np.argsort(-scores, kind="stable")[: max(2, elite)])
    one, other = rng.choice(np.delete(np.arange(len(points)), place), 2, replace=False)
    step = rng.uniform(0.4, 0.9)
    target = points[place]
    changed = target + step * (points[best] - target) + step * (points[one] - points[other])
    changed = _reflected(changed)
    for i, p in enumerate(space.searched):
        if isinstance(p, Choice):  # no direction to step in: from a parent, now and then from the prior
            changed[i] = rng.random() if rng.random() < 0.1 else points[rng.choice([best, one, place])][i]
    crossed = rng.random(space.dimension) < CROSSING
    crossed[rng.integers(space.dimension)] = True
    found = space.decode(np.where(crossed, changed, target))
    return found if space.fulfils(found) else repair(space, found, rng)


def _population(space: Space, history: History, members: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """The best of each slot; inactive coordinates get a value drawn once, so that differences have one."""
    slots: dict[int, tuple[float, Configuration]] = {}
    for number, observation in enumerate(o for o in history if o.mean is not None):
        mean, slot = observation.mean or 0.0, number % members
        if slot not in slots or mean > slots[slot][0]:
            slots[slot] = (mean, observation.configuration)
    kept = [slots[slot] for slot in sorted(slots)]
    points = np.array([space.encode(configuration) for _, configuration in kept]).reshape(-1, space.dimension)
    filler = np.random.default_rng(len(kept)).random(points.shape)
    return np.where(np.isnan(points), filler, points), np.array([mean for mean, _ in kept])


def _reflected(point: NDArray[np.float64]) -> NDArray[np.float64]:
    """Back into [0, 1] as if its ends were mirrors."""
    folded = np.mod(point, 2.0)
    found: NDArray[np.float64] = np.where(folded > 1, 2 - folded, folded)
    return found
