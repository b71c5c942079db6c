"""Densities of trials over some coordinates of the unit cube: mixtures of one product kernel an observation and the even prior.

Watanabe 2023 compares the choices that are made here.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from pellux.core.space import Choice, Space

Array = NDArray[np.float64]
GOOD_SHARE = 0.15  # of the trials: those that are called good
LEVEL = 1.0  # of the way to the next level of a whole number: no kernel is narrower


def rank_weights(n: int) -> Array:
    """The best counts most: log weights as evolution strategies use them (Hansen 2016); shape (n,)."""
    found: Array = np.log(n + 1.5) - np.log(np.arange(1, n + 1))
    return found


@dataclass(frozen=True)
class Density:
    """A mixture of one product kernel an observation and the even prior.

    Attributes
    ----------
    centres : array, shape (n, columns)
    widths : array, shape (columns,)
        Standard deviations of the kernels of numbers.
    weights : array, shape (n + 1,)
        The prior's is the last one.
    options : tuple of Choice or None, one a column
        The choice where a column is one.
    """

    centres: Array
    widths: Array
    weights: Array
    options: tuple[Choice | None, ...]

    @staticmethod
    def of(space: Space, points: Array, places: Sequence[int], weights: Array, share: float, narrowest: float) -> Density:
        """The density of some points of the unit cube at some places.

        Parameters
        ----------
        points : array, shape (n, dimension)
        weights : array, shape (n,)
        share : float
            Of the prior in the whole.
        narrowest : float
            The least width of a kernel.
        """
        columns = list(places)
        centres = points[:, columns]
        n, d = centres.shape
        options = tuple(p if isinstance(p, Choice) else None for p in (space.searched[place] for place in columns))
        if not n:
            return Density(centres, np.full(d, 0.5), np.ones(1), options)
        spread = np.sqrt(np.average((centres - np.average(centres, axis=0, weights=weights)) ** 2, axis=0, weights=weights))
        # A kernel that does not reach the next level of a whole number never leaves its own.
        levels = np.array([LEVEL / (space.searched[place].count or np.inf) for place in columns])
        widths = np.clip(1.06 * spread * n ** (-1.0 / (d + 4)), np.clip(levels, narrowest, 0.5), 0.5)
        return Density(centres, widths, np.append(weights / weights.sum() * (1 - share), share), options)

    @property
    def _slip(self) -> float:
        """Chance that a choice differs from its centre's (Aitchison & Aitken 1976)."""
        return 1.0 / (math.sqrt(len(self.centres)) + 2)

    def draw(self, count: int, rng: np.random.Generator) -> Array:
        """Points of the density, shape (count, columns)."""
        which = rng.choice(len(self.weights), size=count, p=self.weights / self.weights.sum())
        found = rng.random((count, len(self.widths)))
        kernel = which < len(self.centres)
        centres = self.centres[which[kernel]]
        low, high = scipy.special.ndtr(-centres / self.widths), scipy.special.ndtr((1 - centres) / self.widths)
        moved = centres + self.widths * scipy.special.ndtri(low + found[kernel] * (high - low))
        for column, choice in enumerate(self.options):
            if choice is not None:
                keep = rng.random(len(centres)) >= self._slip
                moved[:, column] = np.where(keep, centres[:, column], found[kernel, column])
        found[kernel] = np.clip(moved, 0.0, 1.0)
        return found

    def log(self, points: Array) -> Array:
        """Log density at points, shapes (m, columns) and (m,)."""
        logs = np.zeros((len(points), len(self.weights)))
        for column, choice in enumerate(self.options):
            centre, at = self.centres[:, column], points[:, column]
            if choice is None:
                width = self.widths[column]
                inside = scipy.special.ndtr((1 - centre) / width) - scipy.special.ndtr(-centre / width)
                z = (at[:, None] - centre[None, :]) / width
                logs[:, :-1] += -0.5 * z * z - np.log(width * np.sqrt(2 * np.pi) * inside)
            else:
                equal = choice.index(at)[:, None] == choice.index(centre)[None, :]
                share = 1.0 / choice.count
                # Relative to the even prior, whose density is 1 in every column.
                logs[:, :-1] += np.log(np.where(equal, (1 - self._slip) / share + self._slip, self._slip))
        found: Array = scipy.special.logsumexp(logs, axis=1, b=self.weights)
        return found
