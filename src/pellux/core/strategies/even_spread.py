"""Even spread: a scrambled Sobol sequence over the unit cube (Sobol 1967; Owen 1998), through the priors.

Also the first proposals of the strategies that learn. Proposal n is point n of the search's own sequence, so trials by
hand and failures leave no holes elsewhere.
"""

from __future__ import annotations

import warnings
from collections.abc import Sequence
from functools import lru_cache

import numpy as np
import scipy
from numpy.typing import NDArray

from pellux.core.space import Configuration, Space, Value, repair
from pellux.core.strategies.contract import Answer, History, SeedStream
from pellux.core.strategies.fresh import one_by_one

BLOCK = 128


def propose(space: Space, history: History, pending: Sequence[Configuration], count: int, seeds: SeedStream) -> Answer:
    """The next proposals; see `contract.Strategy`, and above for the method and its source."""
    return one_by_one(space, history, pending, count, seeds, lambda waiting, now: point(space, now))


def point(space: Space, seeds: SeedStream) -> dict[str, Value]:
    """The configuration at point `seeds.number` of the search's sequence, repaired where requirements ask for it."""
    block, place = divmod(seeds.number, BLOCK)
    found = space.decode(_points(space.dimension, seeds.seed, block)[place])
    return found if space.fulfils(found) else repair(space, found, seeds.own())


def middle(space: Space) -> dict[str, Value]:
    """The middle of every range, without the digits that rounding errors make: 0.6 instead of 0.6000000000000001."""
    found = space.decode(np.full(space.dimension, 0.5))
    return {name: float(f"{value:.12g}") if isinstance(value, float) else value for name, value in found.items()}


@lru_cache(maxsize=64)
def _points(dimension: int, seed: int, block: int) -> NDArray[np.float64]:
    return sobol(dimension, BLOCK, SeedStream(seed, 0).shared(), skip=block * BLOCK)


def sobol(dimension: int, count: int, rng: np.random.Generator, skip: int = 0) -> NDArray[np.float64]:
    """Scrambled Sobol points, shape (count, dimension)."""
    engine = scipy.stats.qmc.Sobol(dimension, scramble=True, rng=rng)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", UserWarning)  # balance asks for powers of two; ours is a running sequence
        if skip:
            engine.fast_forward(skip)
        found: NDArray[np.float64] = engine.random(count)
    return found
