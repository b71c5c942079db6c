"""Gaussian process regression, one length scale a parameter (Rasmussen & Williams 2006).

The kernel is a joint one over all parameters, smooth or rough as the scores make it likelier, plus a sum of one for
each parameter alone (Duvenaud, Nickisch & Rasmussen 2011): effects that add up are learned from every trial, wherever
the other parameters stood.

Hyperparameters are the mode of their posterior, with length-scale priors that widen with the number of parameters
(Hvarfner, Hellsten & Nardi, ICML 2024). For the few observations that hyperparameters are fitted to, squared distances
of all pairs are kept, each pair once, for each parameter: then the likelihood needs one matrix product for the kernel, and its
gradient another.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from pellux.core.surrogates.kernels import ROOT5, correlation, joint, pairs, squared_distances

Array = NDArray[np.float64]

LEAST_NOISE = 1e-8  # of the variance of the warped scores
SCALE_BOUNDS = (np.log(0.005), np.log(200.0))
SIGNAL_BOUNDS = (np.log(0.02), np.log(100.0))
NOISE_BOUNDS = (np.log(LEAST_NOISE), np.log(1.0))
NOISE_PRIOR = (np.log(1e-4), 4.0)  # mean and sd of its log: next to no opinion
SIGNAL_PRIOR = (0.0, 1.5)
SINGLE_PRIOR = (-1.0, 1.5)  # the sum over parameters has to earn its place
SCALE_MODE = 3.0  # the variance of the log: by so much the mode of a length scale lies below its location
SINGLE_BOUNDS = (np.log(1e-4), np.log(100.0))
ITERATIONS = 40  # of a climb; a third or a quarter as many when observations are many
FEW = 72  # observations up to which hyperparameters are sought with the greatest care
SUM_WORK = 1200  # groups x observations from which on the joint kernel does alone: it knows enough by then
FIT_SIZE = 104  # observations that hyperparameters are fitted to; the posterior has all of them


@dataclass(frozen=True)
class Hyperparameters:
    """Logarithms of: a length scale a group for the joint kernel, one a group for the additive kernel, the variances of
    both, the noise variance. Shape (2 groups + 3,). `smooth`: the joint kernel is a squared exponential one."""

    theta: Array
    smooth: bool = False

    @property
    def scales(self) -> Array:
        found: Array = np.exp(self.theta[: (len(self.theta) - 3) // 2])
        return found

    @property
    def single_scales(self) -> Array:
        found: Array = np.exp(self.theta[(len(self.theta) - 3) // 2 : -3])
        return found

    @property
    def signal(self) -> float:
        return float(np.exp(self.theta[-3]))

    @property
    def single_signal(self) -> float:
        return float(np.exp(self.theta[-2]))

    @property
    def noise(self) -> float:
        return float(np.exp(self.theta[-1]))

    @property
    def additive(self) -> bool:
        """Whether the kernel's sum over parameters counts."""
        return bool(self.theta[-2] > SINGLE_BOUNDS[0] + 1e-9)


@dataclass(frozen=True)
class Beliefs:
    """A normal prior of the logarithms that hyperparameters are made of; shapes (2 groups + 3,)."""

    mean: Array
    deviation: Array

    @staticmethod
    def usual(groups: int) -> Beliefs:
        """As near to the usual priors as a normal one comes: at their modes, as wide as they are."""
        mean, deviation = _usual(groups)
        mean[: 2 * groups] -= SCALE_MODE
        return Beliefs(mean, deviation)


def _usual(groups: int) -> tuple[Array, Array]:
    """Location and width of the usual priors; of length scales, which are densities of the scale itself, of its logarithm."""
    whole, single, ends = np.sqrt(2) + 0.5 * np.log(groups), np.sqrt(2), (SIGNAL_PRIOR, SINGLE_PRIOR, NOISE_PRIOR)
    means = np.array([whole] * groups + [single] * groups + [mean for mean, _ in ends])
    return means, np.array([np.sqrt(3)] * (2 * groups) + [deviation for _, deviation in ends])


class Likelihood:
    """Negative log posterior of hyperparameters given features and warped scores, with its gradient."""

    def __init__(
        self, features: Array, scores: Array, noise: Array, groups: NDArray[np.intp], *, additive: bool = True, smooth: bool = False,
        beliefs: Beliefs | None = None,
    ) -> None:  # fmt: skip
        self._smooth = smooth
        self._scores, self._noise = scores, noise
        self._count, n = (count := int(groups[-1]) + 1), len(scores)
        below = np.tril_indices(n, -1)
        self._rows, self._columns = below
        # Places of the pairs in a matrix that lies column by column, as LAPACK wants it.
        self._places = np.ravel_multi_index(below[::-1], (n, n))
        self._squares = pairs(features, groups, *below)
        self._gaps = ROOT5 * np.sqrt(self._squares) if additive else np.empty((0, len(self._rows)))
        self._prior_mean, self._prior_sd = _usual(count)
        # The length-scale prior is a density of the scale itself, the others of their logarithms.
        self._by_scale = np.array([1.0] * (2 * count) + [0.0] * 3)
        self._starts = np.concatenate([self._prior_mean[: 2 * count] - SCALE_MODE, np.log([0.7, 0.5])])
        if beliefs is not None:
            self._prior_mean, self._prior_sd = beliefs.mean, beliefs.deviation
            self._by_scale = np.zeros(2 * count + 3)
            self._starts = beliefs.mean[:-1]

    def start(self, stretch: float, noise: float) -> Array:
        """Hyperparameters from which to climb: `stretch` times the length scales the prior thinks likeliest."""
        mode = self._starts[: 2 * self._count] + np.log(stretch)
        return np.concatenate([np.clip(mode, *SCALE_BOUNDS), self._starts[2 * self._count :], [np.log(noise)]])

    def __call__(self, theta: Array) -> tuple[float, Array]:
        h = Hyperparameters(theta)
        count, signal, factor, shrink = self._count, h.signal, h.single_signal / self._count, h.scales**-2
        kernel, slope = joint(shrink @ self._squares, smooth=self._smooth)
        distance = self._gaps / h.single_scales[: len(self._gaps), None]
        decay = np.exp(-distance)
        singles = distance * distance
        singles /= 3
        curved = singles * (1 + distance)  # d singles / d log scale = distance^2 (1 + distance) exp(-distance) / 3
        curved *= decay
        singles += distance
        singles += 1
        singles *= decay
        variance = signal + factor * len(self._gaps)
        found = self._inverse(signal * kernel + factor * singles.sum(0), variance + h.noise * self._noise + 1e-10)
        if found is None:
            return 1e10, np.zeros_like(theta)
        inverse, half_determinant = found
        weights, residual = self._weighed(inverse)
        away = (theta - self._prior_mean) / self._prior_sd
        value = 0.5 * float(residual @ weights) + half_determinant + 0.5 * float(away @ away) + float(self._by_scale @ theta)
        gradient = away / self._prior_sd + self._by_scale
        outer = weights[self._rows] * weights[self._columns] - inverse.ravel("K")[self._places]
        own = weights * weights - np.diag(inverse)
        gradient[:count] += 2 * signal * (self._squares @ (outer * slope)) * shrink
        gradient[count : count + len(self._gaps)] -= factor * (curved @ outer)
        gradient[-3] -= signal * (float(outer @ kernel) + 0.5 * float(own.sum()))
        gradient[-2] -= factor * (float((singles @ outer).sum()) + 0.5 * len(self._gaps) * float(own.sum()))
        gradient[-1] -= 0.5 * h.noise * float(own @ self._noise)
        return value, gradient

    def _inverse(self, between: Array, own: Array) -> tuple[Array, float] | None:
        """The inverse of the covariance, of which the lower half counts, and half the logarithm of its determinant; None where it has none."""
        n = len(own)
        covariance = np.zeros(n * n)
        covariance[self._places] = between
        covariance[:: n + 1] = own
        lower, info = scipy.linalg.lapack.dpotrf(covariance.reshape(n, n, order="F"), lower=1, clean=0, overwrite_a=1)
        if info != 0:
            return None
        half = float(np.log(np.diag(lower)).sum())
        inverse, _ = scipy.linalg.lapack.dpotri(lower, lower=1, overwrite_c=1)
        return inverse, half

    def _weighed(self, inverse: Array) -> tuple[Array, Array]:
        """Weights of the observations, and what their common mean leaves of their scores."""
        ones = scipy.linalg.blas.dsymv(1.0, inverse, np.ones(len(inverse)), lower=1)
        residual = self._scores - float(ones @ self._scores) / float(ones.sum())
        return scipy.linalg.blas.dsymv(1.0, inverse, residual, lower=1), residual


def fit(
    features: Array,
    scores: Array,
    noise: Array,
    groups: NDArray[np.intp],
    *,
    additive: bool = True,
    kinds: Sequence[bool] = (True, False),
    beliefs: Beliefs | None = None,
) -> Hyperparameters:
    """The likeliest hyperparameters found from several starts: the same for the same data, whatever came before.

    Parameters
    ----------
    features : array, shape (n, columns)
    scores : array, shape (n,)
        Warped, larger is better.
    noise : array, shape (n,)
        Relative noise variance of each score; the common factor is fitted.
    kinds : sequence of bool
        The joint kernels to choose from: smooth, rough or both.
    beliefs : Beliefs or None
        What hyperparameters are likely, where that is known better than by the usual priors.
    """
    few = len(scores) <= FEW
    additive = additive and (int(groups[-1]) + 1) * len(scores) <= SUM_WORK
    chosen = telling(scores)
    found: list[tuple[float, Hyperparameters]] = []
    for smooth in kinds:
        likelihood = Likelihood(
            features[chosen], scores[chosen], noise[chosen], groups, additive=additive, smooth=smooth, beliefs=beliefs
        )
        found += [(result.fun, Hyperparameters(result.x, smooth)) for result in _climbs(likelihood, len(scores), few, additive)]
    return min(found, key=lambda one: one[0])[1]


def _climbs(likelihood: Likelihood, observations: int, few: bool, additive: bool) -> list[scipy.optimize.OptimizeResult]:
    """Climbs from the likeliest of some starts."""
    starts = [likelihood.start(stretch, noise) for stretch in (0.7, 1.5, 4.0) for noise in ((1e-6, 1e-2) if few else (1e-4,))]
    starts.sort(key=lambda theta: likelihood(theta)[0])
    bounds = [SCALE_BOUNDS] * (len(starts[0]) - 3) + [SIGNAL_BOUNDS, SINGLE_BOUNDS, NOISE_BOUNDS]
    if not additive:
        bounds[-2] = (SINGLE_BOUNDS[0], SINGLE_BOUNDS[0])
        starts = [np.concatenate([start[:-2], [SINGLE_BOUNDS[0], start[-1]]]) for start in starts]
    steps = ITERATIONS if few else ITERATIONS // 3 if observations <= FIT_SIZE else ITERATIONS // 4
    return [
        scipy.optimize.minimize(
            likelihood, start, jac=True, method="L-BFGS-B", bounds=bounds, options={"maxiter": steps, "maxcor": 12}
        )
        for start in starts[: 2 if few else 1]
    ]


def telling(scores: Array, most: int = FIT_SIZE) -> NDArray[np.intp]:
    """Which observations to fit hyperparameters to: all while they are few, then the best and an even share of the rest."""
    n = len(scores)
    if n <= most:
        return np.arange(n)
    order = np.argsort(-scores, kind="stable")
    best, rest = order[: most // 3], np.sort(order[most // 3 :])
    even = rest[np.linspace(0, len(rest) - 1, most - len(best)).astype(int)]
    return np.sort(np.concatenate([best, even]))


class Posterior:
    """What the process believes after its observations.

    Attributes
    ----------
    features : array, shape (n, columns)
        Of the observations.
    groups : array, shape (columns,)
    owned : list of array
        The columns of each group.
    """

    def __init__(self, h: Hyperparameters, features: Array, scores: Array, noise: Array, groups: NDArray[np.intp]) -> None:
        self.hyperparameters = h
        self.groups = groups
        self._count = int(groups[-1]) + 1
        self.owned = [np.flatnonzero(groups == g) for g in range(self._count)]
        self._stretch, self._single = 1 / h.scales[groups], ROOT5 / h.single_scales
        self._factor = h.single_signal / self._count
        self.features, self._inputs = features, features * self._stretch
        self._variance = h.signal + (h.single_signal if h.additive else 0.0)
        kernel = self.covariance(features)
        jitter, n = 1e-10, len(scores)
        while True:
            covariance = kernel.copy()
            covariance[np.diag_indices(n)] += h.noise * noise + jitter
            self._lower, info = scipy.linalg.lapack.dpotrf(covariance, lower=1, clean=1, overwrite_a=1)
            if info == 0:
                break
            jitter *= 100  # two observations closer together than rounding can tell: a little more noise parts them
        ones = self.solve(np.ones(n))
        self.mean = float(ones @ scores) / float(ones.sum())
        self._weights = self.solve(scores - self.mean)

    @property
    def observations(self) -> int:
        return len(self.features)

    def left_out(self, scores: Array) -> tuple[Array, Array]:
        """By how much each score misses what the others foretell, and the deviation that they foretell it with, noise included.

        Shapes (n,) twice (Rasmussen & Williams 2006, eq. 5.12).
        """
        diagonal = np.diag(self.solve(np.eye(len(scores))))
        return self.solve(scores - self.mean) / diagonal, 1 / np.sqrt(diagonal)

    def solve(self, right: Array) -> Array:
        """The inverse of the observations' covariance, noise and all, times `right`, shape (n,) or (n, k)."""
        found: Array = scipy.linalg.lapack.dtrtrs(self._lower, self._half(right), lower=1, trans=1)[0]
        return found

    def _half(self, right: Array) -> Array:
        found: Array = scipy.linalg.lapack.dtrtrs(self._lower, right, lower=1)[0]
        return found

    def covariance(self, features: Array, raw: Array | None = None) -> Array:
        """Prior covariance of points with the observations, or with the given others, shape (m, n)."""
        raw = self.features if raw is None else raw
        found = self.joint_covariance(features, raw)
        for g in range(self._count if self.hyperparameters.additive else 0):
            found += self.single_covariance(g, features, raw)
        return found

    def joint_covariance(self, features: Array, raw: Array | None = None) -> Array:
        """The part of it that is of all parameters together, shape (m, n)."""
        raw = self.features if raw is None else raw
        squared = squared_distances(features * self._stretch, raw * self._stretch)
        found = correlation(squared, smooth=self.hyperparameters.smooth)
        found *= self.hyperparameters.signal
        return found

    def single_covariance(self, g: int, features: Array, raw: Array | None = None) -> Array:
        """The part of it that is of one group of columns alone, shape (m, n)."""
        distance = self._gap(g, features, self.features if raw is None else raw)
        decay = np.exp(-distance)
        decay *= self._factor
        found: Array = decay + distance * decay  # (1 + r + r^2 / 3) exp(-r)
        distance *= distance
        distance *= decay
        distance /= 3
        found += distance
        return found

    def _gap(self, g: int, features: Array, raw: Array) -> Array:
        columns = self.owned[g]
        if len(columns) == 1:
            a, b = features[:, columns[0]] * self._single[g], raw[:, columns[0]] * self._single[g]
            found: Array = np.abs(np.subtract.outer(a, b))
        else:
            found = np.sqrt(squared_distances(features[:, columns], raw[:, columns])) * self._single[g]
        return found

    def correlation(self, features: Array, point: Array) -> Array:
        """Prior correlation of many points with one, shape (m,)."""
        return self.covariance(features, point[None])[:, 0] / self._variance

    def expected(self, features: Array) -> Array:
        """The mean alone, which costs far less than its deviation; shape (m,)."""
        found: Array = self.mean + self.covariance(features) @ self._weights
        return found

    def predict(self, features: Array) -> tuple[Array, Array]:
        """Mean and standard deviation of the noise-free score at each point, shapes (m,)."""
        cross = self.covariance(features)
        half = self._half(cross.T)
        variance = np.maximum(self._variance - (half * half).sum(0), 1e-14)
        return self.mean + cross @ self._weights, np.sqrt(variance)

    def predict_with_slopes(self, features: Array, columns: int) -> tuple[Array, Array, Array, Array]:
        """Mean, deviation, and their slopes by the first `columns` features: shapes (m,), (m,), (m, columns) twice."""
        scaled = features * self._stretch
        kernel, slope = joint(squared_distances(scaled, self._inputs), smooth=self.hyperparameters.smooth)
        signal = self.hyperparameters.signal
        cross, slope = signal * kernel, 2 * signal * slope
        single_slopes = []
        for g in range(self._count if self.hyperparameters.additive else 0):
            if g < columns:  # the first columns are a group each
                gap = np.subtract.outer(features[:, g] * self._single[g], self.features[:, g] * self._single[g])
                distance = np.abs(gap)
            else:
                distance = self._gap(g, features, self.features)
            decay = self._factor * np.exp(-distance)
            cross += (1 + distance + distance * distance / 3) * decay
            if g < columns:
                single_slopes.append((-self._single[g] / 3) * gap * (1 + distance) * decay)
        solved = self.solve(cross.T).T
        deviation = np.sqrt(np.maximum(self._variance - (cross * solved).sum(1), 1e-14))
        inputs, at, stretch = self._inputs[:, :columns], scaled[:, :columns], self._stretch[:columns]
        pull = slope * self._weights
        by_mean = (at * pull.sum(1)[:, None] - pull @ inputs) * stretch
        pull = slope * solved
        by_variance = -2 * (at * pull.sum(1)[:, None] - pull @ inputs) * stretch
        for g, single in enumerate(single_slopes):
            by_mean[:, g] += single @ self._weights
            by_variance[:, g] -= 2 * (single * solved).sum(1)
        return self.mean + cross @ self._weights, deviation, by_mean, by_variance / (2 * deviation[:, None])
