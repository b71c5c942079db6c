"""Where trials lie in the unit cube and in which branch, remembered from one proposal to the next: worked out anew, thousands
of trials would cost more than the proposal itself. What is not remembered is worked out; nothing depends on it."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from pellux.core.space import Space
from pellux.core.strategies.branches import Key, branch_of
from pellux.core.strategies.contract import Observation

Array = NDArray[np.float64]
MOST = 50_000  # trials a space
SPACES = 8


@lru_cache(maxsize=SPACES)
def _remembered(space: Space) -> dict[str, tuple[Array, Key]]:
    return {}


def placed(space: Space, observations: Sequence[Observation]) -> tuple[Array, list[Key]]:
    """Points of the unit cube, NaN where a parameter is inactive, and the branch of each; shapes (n, dimension) and (n,)."""
    remembered = _remembered(space)
    if len(remembered) > MOST:
        remembered.clear()
    points, branches = np.empty((len(observations), space.dimension)), list[Key]()
    for i, o in enumerate(observations):
        found = remembered.get(o.identity)
        if found is None:
            found = remembered[o.identity] = (space.encode(o.configuration), branch_of(space, o.configuration))
        points[i], branch = found
        branches.append(branch)
    return points, branches
