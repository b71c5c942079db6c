"""Hyperparameters that the data allow for, not the likeliest alone: with few trials these differ widely, and so does what follows from them.

They are fitted to parts of the trials, drawn without replacement (subsampling, Politis & Romano 1994). A search that crowded around its winner
has many trials that say the same: all of them together are far surer of the shape elsewhere than they may be, which parts of them are
not. Draws around the mode by the curvature there (Laplace's approximation) were, and missed a third of the shares that they should cover.
"""

from __future__ import annotations

import numpy as np
from numpy.random import Generator
from numpy.typing import NDArray

from pellux.core.surrogates.gaussian_process import Hyperparameters, fit

Array = NDArray[np.float64]
PART, FEWEST = 0.4, 6  # share of the trials in a part, and how many at least


def allowed(
    features: Array, scores: Array, noise: Array, groups: NDArray[np.intp], count: int, rng: Generator
) -> list[Hyperparameters]:
    """`count` sets of hyperparameters, the likeliest first; arguments as of `gaussian_process.fit`."""
    size = min(len(scores), max(FEWEST, round(PART * len(scores))))
    parts = [np.sort(rng.choice(len(scores), size, replace=False)) for _ in range(count - 1)]
    return [fit(features[part], scores[part], noise[part], groups) for part in (np.arange(len(scores)), *parts)]
