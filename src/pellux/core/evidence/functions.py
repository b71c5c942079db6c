"""Functions drawn from a Gaussian process's posterior: whatever is computed of each of them has a spread that says how sure it is.

By Matheron's rule a function of the prior, drawn with random Fourier features (Rahimi & Recht 2007), is pulled to the observations by
the exact update (Wilson, Borovitskiy, Terenin, Mostowsky & Deisenroth, ICML 2020): right near the data and honest far from them.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.random import Generator
from numpy.typing import NDArray

from pellux.core.surrogates.coding import APART
from pellux.core.surrogates.gaussian_process import Hyperparameters, Posterior

Array = NDArray[np.float64]
JOINT_WAVES, SINGLE_WAVES = 384, 64
DEGREES = 5.0  # of freedom of the spectral density of a Matérn-5/2 kernel, which is a Student's t
PLACES = 1025  # along a parameter: a fifth of the shortest length scale apart
BLOCK = 512  # points at a time: memory stays under 100 MB


@dataclass(frozen=True)
class _Waves:
    """Random Fourier features: `height * cos(x @ directions + phases)`; in single precision, for they are a draw and not a measurement."""

    directions: NDArray[np.float32]
    phases: NDArray[np.float32]
    height: float

    def at(self, features: Array) -> Array:
        angles = features.astype(np.float32) @ self.directions + self.phases
        found: Array = np.cos(angles, out=angles) * np.float32(self.height)
        return found


@dataclass(frozen=True)
class Near:
    """Points, and the sum of what each of their parameters does by itself: of points that share most of them little is left to work out."""

    features: Array  # (m, columns)
    apart: Array  # (m, count)


class Functions:
    """`count` functions from the posterior of `observed` scores; called with features, shape (m, columns), gives (m, count)."""

    def __init__(self, posterior: Posterior, observed: Array, noise: Array, count: int, rng: Generator) -> None:
        self._posterior = posterior
        self._waves = [*_waves(posterior.hyperparameters, posterior.groups, rng)]
        self._weights = [rng.standard_normal((len(waves.phases), count)) for waves in self._waves]
        scatter = np.sqrt(posterior.hyperparameters.noise * noise)[:, None] * rng.standard_normal((len(observed), count))
        residual = (observed - posterior.mean)[:, None] - self._prior(posterior.features) - scatter
        self._pull = posterior.solve(residual)

    def __call__(self, features: Array, near: Near | None = None) -> Array:
        """Values at points; `near` has as many points, each of which differs from its own in few parameters."""
        found = [self._together(features[at : at + BLOCK]) for at in range(0, len(features), BLOCK)]
        return np.concatenate(found) + (self._apart(features) if near is None else self._apart_from(near, features))

    def near(self, features: Array) -> Near:
        """What calls with points close to these may be given."""
        return Near(features, self._apart(features))

    def _together(self, features: Array) -> Array:
        found: Array = self._waves[0].at(features) @ self._weights[0]
        found += self._posterior.joint_covariance(features) @ self._pull
        found += self._posterior.mean
        return found

    def _apart(self, features: Array) -> Array:
        found = np.zeros((len(features), self._pull.shape[1]))
        for own, table in self._singles:
            found += table.at(features[:, own])
        return found

    def _apart_from(self, near: Near, features: Array) -> Array:
        found, changed = near.apart.copy(), features != near.features
        columns = changed.any(0)
        for own, table in self._singles:
            if columns[own].any():
                rows = np.flatnonzero(changed[:, own].any(1))
                found[rows] += table.at(features[np.ix_(rows, own)]) - table.at(near.features[np.ix_(rows, own)])
        return found

    @cached_property
    def _singles(self) -> list[tuple[NDArray[np.intp], _Table]]:
        """Columns of each parameter, and what it does by itself, kept at places along it: that is a function of one number."""
        owned = self._posterior.owned[: len(self._waves) - 1]
        return [(own, self._table(g, own)) for g, own in enumerate(owned)]

    def _table(self, g: int, own: NDArray[np.intp]) -> _Table:
        here = np.linspace(0, 1, PLACES)[:, None]
        if len(own) > 1:  # options, and none of them: no two columns are set at once
            here = np.vstack([np.zeros(len(own)), APART * np.eye(len(own))])
        points = np.zeros((len(here), len(self._posterior.groups)))
        points[:, own] = here
        values = self._waves[1 + g].at(points) @ self._weights[1 + g] + self._posterior.single_covariance(g, points) @ self._pull
        return _Table(values, len(own) > 1)

    def _prior(self, features: Array) -> Array:
        found: Array = sum(  # type: ignore[assignment]
            waves.at(features) @ weights for waves, weights in zip(self._waves, self._weights, strict=True)
        )
        return found


@dataclass(frozen=True)
class _Table:
    """Values along one parameter: at even places of [0, 1], read off in between, or of no option and of each."""

    values: Array
    options: bool

    def at(self, columns: Array) -> Array:
        if self.options:
            found: Array = self.values[np.where(columns.any(1), columns.argmax(1) + 1, 0)]
            return found
        place = columns[:, 0] * (PLACES - 1)
        below = np.minimum(place.astype(np.intp), PLACES - 2)
        share = (place - below)[:, None]
        read: Array = self.values[below] * (1 - share) + self.values[below + 1] * share
        return read


def _waves(h: Hyperparameters, groups: NDArray[np.intp], rng: Generator) -> list[_Waves]:
    """The joint kernel's, then those of each parameter alone."""
    columns = len(groups)
    found = [_drawn(1 / h.scales[groups], np.arange(columns), columns, h.signal, h.smooth, JOINT_WAVES, rng)]
    count = int(groups[-1]) + 1
    for g in range(count if h.additive else 0):
        own = np.flatnonzero(groups == g)
        stretch = np.full(len(own), 1 / h.single_scales[g])
        found.append(_drawn(stretch, own, columns, h.single_signal / count, False, SINGLE_WAVES, rng))
    return found


def _drawn(
    stretch: Array, own: NDArray[np.intp], columns: int, variance: float, smooth: bool, waves: int, rng: Generator
) -> _Waves:  # fmt: skip
    directions = np.zeros((columns, waves))
    normal = rng.standard_normal((len(own), waves))
    directions[own] = stretch[:, None] * (normal if smooth else normal * np.sqrt(DEGREES / rng.chisquare(DEGREES, waves)))
    return _Waves(
        directions.astype(np.float32), rng.uniform(0, 2 * np.pi, waves).astype(np.float32), float(np.sqrt(2 * variance / waves))
    )
