"""Where good trials are believed to lie before a search knows: a density that counts ever less (Hvarfner et al., ICLR 2022)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
WIDTH = 0.12  # of its kernels, in the unit cube
FLOOR = 0.03  # what is believed of places where nothing was good
STRENGTH = 5.0  # trials at which the density counts as it is


@dataclass(frozen=True)
class Leaning:
    """The logarithm of a sum of kernels, times what it still counts.

    Attributes
    ----------
    places : array, shape (k, columns)
        Features of good trials.
    shares : array, shape (k,)
        How much each counts; 1 together.
    trials : int
        How many trials the search has: the more, the less it leans.
    """

    places: Array
    shares: Array
    trials: int

    def __call__(self, features: Array) -> Array:
        """What it adds to the logarithm of what is to be gained, shape (m,)."""
        found: Array = self._counts * np.log(self._kernels(features).sum(1) + FLOOR)
        return found

    def with_slopes(self, features: Array, columns: int) -> tuple[Array, Array]:
        """The same, and its slopes by the first `columns` features, shapes (m,) and (m, columns)."""
        kernels = self._kernels(features)
        density = kernels.sum(1) + FLOOR
        pull = kernels @ self.places[:, :columns] - kernels.sum(1)[:, None] * features[:, :columns]
        return self._counts * np.log(density), self._counts / WIDTH**2 * pull / density[:, None]

    @property
    def _counts(self) -> float:
        return STRENGTH / max(self.trials, 1)

    def _kernels(self, features: Array) -> Array:
        squared = (features**2).sum(1)[:, None] + (self.places**2).sum(1) - 2 * features @ self.places.T
        found: Array = np.exp(-0.5 * np.maximum(squared, 0.0) / WIDTH**2) * self.shares
        return found
