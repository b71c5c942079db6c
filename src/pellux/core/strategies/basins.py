"""The tops of the basins that a model sees: trials between which the way leads down first.

Two trials belong to one basin when the expected score does not dip on the straight line between them. Where any choice
differs there is no line: the best trial of every combination of options counts as a top of its own.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from pellux.core.surrogates.coding import Coding
from pellux.core.surrogates.gaussian_process import Posterior

Array = NDArray[np.float64]
MOST_TOPS = 4  # along numbers
MOST_KINDS = 8  # combinations of options
LOOKED_AT = 80  # best trials among which tops are sought
DIP = 0.1  # of the standard deviation of the scores
STEPS = np.linspace(0, 1, 7)[1:-1, None]


def tops(posterior: Posterior, coding: Coding, features: Array, expected: Array, order: NDArray[np.intp]) -> list[int]:
    """Places of the tops among some trials, best first.

    Parameters
    ----------
    features, expected : arrays, shape (n, columns) and (n,)
        The trials and what the model expects of them.
    order : array of int, shape (n,)
        Places of the trials, best first.
    """

    def parted(one: int, other: int) -> bool:
        return _dips(posterior, features[one], features[other], min(expected[one], expected[other]))

    numbers = len(coding.numbers)
    kinds = [features[i, numbers:].tobytes() for i in range(len(features))]
    found = [int(order[0])]
    new_kinds = {kinds[order[0]]}
    for i in order[1:LOOKED_AT]:
        if kinds[i] not in new_kinds:
            if len(new_kinds) < MOST_KINDS:
                new_kinds.add(kinds[i])
                found.append(int(i))
        elif len(found) < MOST_TOPS + len(new_kinds) - 1:
            alike = [top for top in found if kinds[top] == kinds[i]]
            if all(parted(i, top) for top in alike):
                found.append(int(i))
    return found


def _dips(posterior: Posterior, one: Array, other: Array, lower: float) -> bool:
    """Whether the way between two points dips below the lower of them."""
    between = posterior.expected(one * (1 - STEPS) + other * STEPS)
    return float(between.min()) < lower - DIP
