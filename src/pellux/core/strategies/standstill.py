"""Where to look again once a branch's best has not been beaten for long: everywhere but around that best.

A density that good trials of one hill have made narrow never leaves it; without them the next hill is the best one. Where
there are choices, every second time all with the best's options are left aside.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from pellux.core.space import Choice, Space

Array = NDArray[np.float64]
PATIENCE = 12  # trials without a gain, and so many more for each setting,
PATIENCE_EACH = 3
GAIN = 0.03  # of the distance from the median to the best: less is none
EVERY = 2  # which proposals look elsewhere then
NEAR = 0.15  # of each number's range: what is nearer to the best in all of them belongs to its hill
FEWEST = 6  # trials that are left: fewer tell nothing


def elsewhere(space: Space, places: Sequence[int], points: Array, means: Array, spread: float, number: int) -> NDArray[np.bool_]:
    """Which trials of a branch to go by: all of them, or those beside the best one's hill.

    Parameters
    ----------
    places : sequence of int
        Of the settings that vary in the branch.
    points, means : arrays, shape (n, dimension) and (n,)
        Its trials in their order; minus infinity where one failed.
    spread : float
        Distance from the median of all scores to the best.
    number : int
        Of the proposal, for turns.
    """
    every, patience = np.ones(len(means), dtype=bool), PATIENCE + PATIENCE_EACH * len(places)
    if number % EVERY or len(means) <= patience or means[-patience:].max() > means[:-patience].max() + GAIN * spread:
        return every
    top = points[int(np.argmax(means))]
    choices = [(place, p) for place in places if isinstance(p := space.searched[place], Choice)]
    same = np.all([p.index(points[:, place]) == p.index(top[place : place + 1]) for place, p in choices], axis=0)
    numbers = [place for place in places if not isinstance(space.searched[place], Choice)]
    near = (np.abs(points[:, numbers] - top[numbers]) < NEAR).all(1)
    hill = same if choices and number % (2 * EVERY) == 0 else same & near
    return ~hill if (~hill).sum() >= FEWEST else every
