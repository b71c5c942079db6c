"""Nested samples of rows: a smaller sample is part of every larger one, and each has the classes in proportion."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

STRATA = 10  # of a numeric target


def nested_order(target: NDArray[Any], *, classes: bool, seed: int) -> NDArray[np.intp]:
    """An order of rows whose every prefix is a stratified sample.

    Each row gets its place within its class, drawn at random and spread evenly from 0 to 1; rows are sorted by that.
    """
    rng = np.random.default_rng([seed, len(target)])
    strata = target if classes else np.searchsorted(np.quantile(target, np.linspace(0, 1, STRATA + 1)[1:-1]), target)
    place = np.empty(len(target))
    for stratum in np.unique(strata):
        members = np.flatnonzero(strata == stratum)
        place[rng.permutation(members)] = (np.arange(len(members)) + rng.random()) / len(members)
    return np.argsort(place, kind="stable")
