"""What is to be gained at a place, as a logarithm: expected improvement of a score, or of the volume that a front covers.

Logarithms (Ament et al., NeurIPS 2023) keep a slope where the expectations themselves underflow to zero.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

import numpy as np
import scipy
from numpy.typing import NDArray

from pellux.core.judging.fronts import boxes
from pellux.core.surrogates.gaussian_process import Posterior

Array = NDArray[np.float64]
LOG_ROOT_2PI = 0.5 * np.log(2 * np.pi)
FLAT = 300.0  # no logarithm of a slope is larger
PLAIN = 1e-3  # of the variance of the scores: noise below it is none


def telling_noise(variance: float) -> float:
    """The standard deviation of noise of which `Improvement` is to know; 0 where it is next to none."""
    return float(np.sqrt(variance)) if variance > PLAIN else 0.0


class Gain(Protocol):
    """What is to be gained, at places that are told by their features."""

    def log(self, features: Array) -> Array:
        """Its logarithm, shape (m,)."""
        ...

    def with_slopes(self, features: Array, columns: int) -> tuple[Array, Array]:
        """The same, and its slopes by the first `columns` features, shapes (m,) and (m, columns)."""
        ...


@dataclass(frozen=True)
class Improvement:
    """Log expected improvement of a score over the best.

    Attributes
    ----------
    noise : float
        Where scores are noisy, their standard deviation: what another measurement would tell counts.
    """

    posterior: Posterior
    best: float
    noise: float = 0.0

    def log(self, features: Array) -> Array:
        return self._of(*self.posterior.predict(features))[0]

    def with_slopes(self, features: Array, columns: int) -> tuple[Array, Array]:
        mean, deviation, by_mean, by_deviation = self.posterior.predict_with_slopes(features, columns)
        value, on_mean, on_deviation = self._of(mean, deviation)
        return value, on_mean[:, None] * by_mean + on_deviation[:, None] * by_deviation

    def _of(self, mean: Array, deviation: Array) -> tuple[Array, Array, Array]:
        value, by_mean, by_deviation = log_expected_improvement(mean, deviation, self.best)
        if self.noise <= 0:
            return value, by_mean, by_deviation
        more, slope = log_augmentation(deviation, self.noise)
        return value + more, by_mean, by_deviation + slope


class VolumeImprovement:
    """Log expected improvement of the volume that a front covers, exact for models that know nothing of each other.

    The part that is not covered falls into boxes; in each the expectation is a product over metrics of differences of two expected
    improvements (Emmerich, Giannakoglou & Naujoks, IEEE TEC 10(4), 2006; over boxes: Daulton, Balandat & Bakshy, NeurIPS 2020). The
    front is what the models expect of the trials, not what was measured, for that is noisy (after Daulton, Balandat & Bakshy, NeurIPS
    2021, who draw it).

    Parameters
    ----------
    posteriors : sequence of Posterior
        One a metric.
    front : array, shape (points, metrics)
    reference : array, shape (metrics,)
    """

    def __init__(self, posteriors: Sequence[Posterior], front: Array, reference: Array) -> None:
        self._posteriors = tuple(posteriors)
        low, high = boxes(front, reference)
        # Corners share their coordinates: each is asked once.
        self._cuts = [np.unique(np.concatenate([low[:, j], high[:, j]])) for j in range(len(reference))]
        self._low = [np.searchsorted(cuts, low[:, j]) for j, cuts in enumerate(self._cuts)]
        self._high = [np.searchsorted(cuts, high[:, j]) for j, cuts in enumerate(self._cuts)]

    def log(self, features: Array) -> Array:
        total = np.zeros((len(features), len(self._low[0])))
        for j, posterior in enumerate(self._posteriors):
            mean, deviation = posterior.predict(features)
            total += self._sides(j, _log_improvements(mean, deviation, self._cuts[j]))
        found: Array = scipy.special.logsumexp(total, axis=1)
        return found

    def with_slopes(self, features: Array, columns: int) -> tuple[Array, Array]:
        predicted = [posterior.predict_with_slopes(features, columns) for posterior in self._posteriors]
        sides = []
        for j, (mean, deviation, _, _) in enumerate(predicted):
            sides.append(self._sides(j, _log_improvements(mean, deviation, self._cuts[j])))
        total = np.sum(sides, axis=0)
        value = scipy.special.logsumexp(total, axis=1)
        share = np.exp(total - value[:, None])
        slopes = np.zeros((len(features), columns))
        for j, (mean, deviation, by_mean, by_deviation) in enumerate(predicted):
            on_mean, on_deviation = self._on(j, mean, deviation, sides[j])
            slopes += (share * on_mean).sum(1)[:, None] * by_mean + (share * on_deviation).sum(1)[:, None] * by_deviation
        return value, slopes

    def _sides(self, j: int, logs: Array) -> Array:
        """Logarithm of each box's expectation along a metric, shape (m, boxes)."""
        low, high = logs[:, self._low[j]], logs[:, self._high[j]]
        with np.errstate(divide="ignore"):
            found: Array = low + np.log(-np.expm1(np.minimum(high - low, -1e-300)))
        return found

    def _on(self, j: int, mean: Array, deviation: Array, sides: Array) -> tuple[Array, Array]:
        """Slopes of `_sides` by the mean and by the deviation, shapes (m, boxes)."""
        z = (mean[:, None] - self._cuts[j]) / deviation[:, None]
        chance, density = scipy.special.log_ndtr(z), -0.5 * z * z - LOG_ROOT_2PI
        least = -1e300
        found = []
        for logs in (chance, density):
            low, high = np.maximum(logs[:, self._low[j]], least), np.maximum(logs[:, self._high[j]], least)
            scale = np.maximum(sides, least)
            found.append(np.exp(np.minimum(low - scale, FLAT)) - np.exp(np.minimum(high - scale, FLAT)))
        return found[0], found[1]


def _log_improvements(mean: Array, deviation: Array, cuts: Array) -> Array:
    """Log expected improvement over each cut, shape (m, cuts); -inf over an infinite one."""
    finite = np.isfinite(cuts)
    found = np.full((len(mean), len(cuts)), -np.inf)
    z = (mean[:, None] - cuts[finite]) / deviation[:, None]
    found[:, finite] = np.log(deviation)[:, None] + _log_h(z)
    return found


def log_expected_improvement(mean: Array, deviation: Array, best: float) -> tuple[Array, Array, Array]:
    """Log EI over `best`, and its derivatives by mean and by deviation; shapes (m,)."""
    z = (mean - best) / deviation
    log_h = _log_h(z)
    value = np.log(deviation) + log_h
    by_mean = np.exp(np.minimum(scipy.special.log_ndtr(z) - value, 300.0))
    by_deviation = np.exp(np.minimum(-0.5 * z * z - LOG_ROOT_2PI - value, 300.0))
    return value, by_mean, by_deviation


def log_augmentation(deviation: Array, noise: float) -> tuple[Array, Array]:
    """What measuring anew would still tell, as a logarithm: 1 - noise / sqrt(deviation^2 + noise^2) (Huang et al. 2006),
    and its derivative by the deviation. Far below the noise another trial says next to nothing."""
    squared = deviation * deviation
    both = np.sqrt(squared + noise * noise)
    return np.log(squared) - np.log(both * (both + noise)), noise / (both * both) * (both + noise) / deviation


def _log_h(z: Array) -> Array:
    """log(phi(z) + z Phi(z)), accurate for z far below 0."""
    found = np.empty_like(z)
    near = z > -1
    found[near] = np.log(np.exp(-0.5 * z[near] ** 2 - LOG_ROOT_2PI) + z[near] * scipy.special.ndtr(z[near]))
    far = z[~near]
    # phi(z) (1 - |z| sqrt(pi/2) erfcx(|z|/sqrt 2)), and 1/z^2 of it once the bracket is lost to rounding
    bracket = -far * np.sqrt(np.pi / 2) * scipy.special.erfcx(-far / np.sqrt(2))
    inner = np.where(far > -1e4, np.log1p(-np.minimum(bracket, 1 - 1e-16)), -2 * np.log(np.maximum(-far, 1.0)))
    found[~near] = -0.5 * far**2 - LOG_ROOT_2PI + inner
    return found
