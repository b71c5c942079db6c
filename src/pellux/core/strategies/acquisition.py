"""Where the model expects the most: the logarithm of what is to be gained, maximised over a space.

The maximiser looks at an even spread of candidates and at small changes of the best points, climbs from several of them with
gradients, tries the neighbours of what it found in the discrete parameters, and climbs once more.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy
from numpy.random import Generator
from numpy.typing import NDArray

from pellux.core.space import Choice, Space, Value, identity
from pellux.core.strategies.even_spread import sobol
from pellux.core.strategies.fresh import Taken
from pellux.core.strategies.gains import Gain, Improvement
from pellux.core.strategies.keeping import Keeping
from pellux.core.strategies.leaning import Leaning
from pellux.core.strategies.regions import Region

Array = NDArray[np.float64]

SPREAD = 512  # candidates over the whole space
ANCHORS = 5  # best points whose surroundings are looked at
STEPS = (0.2, 0.05, 0.02, 0.005)  # how far, in the unit cube
COPIES = 14  # changed copies for each anchor and step
ALONG = 2  # best points of which single coordinates go everywhere
POSITIONS = 8  # to so many places
CLIMBS = 8  # candidates from which gradients climb
CLIMB_STEPS = 30
LOOKS_A_STEP = 2
MANY = 150  # observations from which on half the candidates must do
HOPE = 3.0  # standard deviations that a score may lie above what is expected
HOPEFUL = 0.25  # of the space is looked at even where the model sees no hope: it may be wrong


@dataclass(frozen=True)
class Found:
    """A configuration, and the logarithm of what is to be gained there."""

    configuration: dict[str, Value] | None
    gain: float


NOTHING = Found(None, -np.inf)


class Maximiser:
    """Finds the untried configuration of a region with the largest gain, less its log_cost.

    Attributes
    ----------
    gain : Gain or None
        None where nothing keeps the limits yet: then the chance of keeping them is all that counts.
    log_cost : array, shape (columns,), or None
        How much each feature column takes off, for instance its share in the logarithm of the cost.
    keeping : Keeping or None
        The chance of keeping the search's limits, by whose logarithm a gain is less.
    leaning : Leaning or None
        Where other problems had their good trials, which counts for something while the search's own are few.
    """

    def __init__(
        self,
        region: Region,
        gain: Gain | None,
        tried: Taken,
        rng: Generator,
        *,
        climb: bool = True,
        log_cost: Array | None = None,
        keeping: Keeping | None = None,
        leaning: Leaning | None = None,
    ) -> None:
        self._gain, self._log_cost, self._keeping, self._leaning = gain, log_cost, keeping, leaning
        self._posterior, self._coding = region.posterior, region.coding
        self._region, self._tried, self._rng, self._climbs = region, tried, rng, climb
        self._space: Space = region.coding.space
        n = region.posterior.observations
        self._thin = 1 if n <= MANY else 2 if n <= 3 * MANY else 3  # candidates cost more the more observations there are

    def best(self, anchors: Array) -> Found:
        """The best configuration found, or none when every candidate is taken or breaks a requirement.

        Parameters
        ----------
        anchors : array, shape (k, dimension)
            The best points so far, best first.
        """
        candidates = self._allowed(np.concatenate([self._even(), self._around(anchors), self._along(anchors)]))
        if not len(candidates):
            return NOTHING
        values = self._values(candidates)
        order = np.argsort(-values, kind="stable")
        pool = self._improved(candidates, order) if self._climbs else candidates[order]
        return self._first_untried(pool)

    def _first_untried(self, pool: Array) -> Found:
        for point in pool:
            configuration = self._space.decode(point)
            if identity(configuration) not in self._tried and self._space.fulfils(configuration):
                return Found(configuration, float(self._worth(self._coding.features(point[None]))[0]))
        return NOTHING

    def least_known(self, best: float) -> Found:
        """The untried configuration that the model is least sure of, in the most hopeful part of an even spread."""
        candidates = self._allowed(self._even())
        if not len(candidates):
            return NOTHING
        mean, deviation = self._posterior.predict(self._coding.features(candidates))
        hope = mean + HOPE * deviation
        if self._keeping is not None:  # as likely to keep the limits as not, or as likely as any
            chance = self._keeping.log_chance(self._coding.features(candidates))
            hope = np.where(chance >= min(np.log(0.5), float(np.quantile(chance, 1 - HOPEFUL))), hope, -np.inf)
        may = np.flatnonzero(hope >= min(best, float(np.quantile(hope, 1 - HOPEFUL, method="higher"))))
        return self._first_untried(candidates[may[np.argsort(-deviation[may], kind="stable")]])

    def _improved(self, candidates: Array, order: NDArray[np.intp]) -> Array:
        """Gradients from the best candidates, then discrete neighbours, then gradients again; best first."""
        # From the best few and from the best few that are apart from them, so that not all climb one hill.
        starts = candidates[_spread_out(candidates[order], CLIMBS, order)]
        pool = self._merge(candidates[order[:CLIMBS]], self._snapped(self._climb(starts)))
        for _ in range(2):
            neighbours = self._neighbours(pool[:2])
            if not len(neighbours):
                break
            pool = self._merge(pool, self._snapped(neighbours))
        if self._coding.continuous.any():
            pool = self._merge(pool, self._snapped(self._climb(pool[:3], fine=True)))
        return pool

    # Candidates

    def _even(self) -> Array:
        return sobol(self._space.dimension, SPREAD // self._thin, self._rng)

    def _around(self, anchors: Array) -> Array:
        """Copies of the anchors with a random few coordinates moved, at every step size."""
        anchors = anchors[:ANCHORS]
        if not len(anchors):
            return np.empty((0, self._space.dimension))
        d = self._space.dimension
        copies = COPIES // self._thin
        base = np.repeat(np.where(np.isnan(anchors), 0.5, anchors), copies * len(STEPS), axis=0)
        steps = np.tile(np.repeat(STEPS, copies), len(anchors))[:, None]
        share = np.tile(np.linspace(1.0 / d, 1.0, copies), len(anchors) * len(STEPS))[:, None]
        moved = self._rng.random(base.shape) < share
        moved[np.arange(len(base)), self._rng.integers(0, d, len(base))] = True
        found: Array = np.clip(base + np.where(moved, steps * self._rng.standard_normal(base.shape), 0.0), 0.0, 1.0)
        for place, _ in self._coding.choices:  # a small step means nothing to a choice: now and then another option
            switched = moved[:, place] & (self._rng.random(len(base)) < 0.3)
            found[:, place] = np.where(switched, self._rng.random(len(base)), base[:, place])
        return found

    def _along(self, anchors: Array) -> Array:
        """The best points with one coordinate moved anywhere: where effects add up, the way to a better basin."""
        count, places = (ALONG, POSITIONS) if self._thin == 1 else (1, POSITIONS // 2)
        base = np.where(np.isnan(anchors[:count]), 0.5, anchors[:count])
        positions = (np.arange(places) + self._rng.random()) / places
        found = np.repeat(base, base.shape[1] * places, axis=0)
        column = np.tile(np.repeat(np.arange(base.shape[1]), places), len(base))
        found[np.arange(len(found)), column] = np.tile(positions, len(base) * base.shape[1])
        return found

    def _allowed(self, points: Array) -> Array:
        """Snapped points that are new, lie in the region and meet the requirements."""
        found = self._space.snap(points)
        found = found[self._region.holds(found)]
        if self._space.requirements:
            found = found[[self._space.fulfils(self._space.decode(point)) for point in found]] if len(found) else found
        if self._finite:
            found = np.unique(found, axis=0)
            free = [identity(self._space.decode(point)) not in self._tried for point in found]
            found = found[np.array(free, dtype=bool)] if len(found) else found
        return found

    @property
    def _finite(self) -> bool:
        """Without continuous parameters candidates meet what was tried already."""
        return not bool(self._coding.continuous.any())

    def _neighbours(self, points: Array) -> Array:
        """One level up and down in each discrete number, every other option of each choice."""
        found = []
        for point in np.where(np.isnan(points), 0.5, points):
            for place, p in enumerate(self._space.searched):
                if p.count is None:
                    continue
                if isinstance(p, Choice):
                    others = [p.encode(option) for option in p.options]
                else:
                    width = self._width(place, point[place])
                    others = [point[place] - width, point[place] + width]
                for other in others:
                    found.append(np.concatenate([point[:place], [min(max(other, 0.0), 1.0)], point[place + 1 :]]))
        return np.array(found).reshape(-1, self._space.dimension)

    def _width(self, place: int, position: float) -> float:
        """About one level at a position of a discrete number."""
        p = self._space.searched[place]
        if not getattr(p, "log", False):
            return 1.0 / (p.count or 1)
        probes = np.clip(position + np.geomspace(1e-4, 0.5, 24), 0.0, 1.0)
        moved = p.snap(probes) > position + 1e-12
        return float(probes[np.argmax(moved)] - position) + 1e-9 if moved.any() else 0.05

    # Values

    def _values(self, points: Array) -> Array:
        features = self._coding.features(points)
        value = self._worth(features)
        return value if self._log_cost is None else value - features @ self._log_cost

    def _worth(self, features: Array) -> Array:
        """What is to be gained at points, by how likely they keep the limits."""
        value = np.zeros(len(features)) if self._gain is None else self._gain.log(features)
        value = value if self._keeping is None else value + self._keeping.log_chance(features)
        return value if self._leaning is None else value + self._leaning(features)

    def _worth_with_slopes(self, features: Array, columns: int) -> tuple[Array, Array]:
        value, slopes = np.zeros(len(features)), np.zeros((len(features), columns))
        if self._gain is not None:
            value, slopes = self._gain.with_slopes(features, columns)
        if self._keeping is not None:
            chance, more = self._keeping.with_slopes(features, columns)
            value, slopes = value + chance, slopes + more
        if self._leaning is not None:
            pull, more = self._leaning.with_slopes(features, columns)
            value, slopes = value + pull, slopes + more
        return value, slopes

    def _merge(self, pool: Array, more: Array) -> Array:
        """Both, best first; of the new ones those that are allowed."""
        more = self._allowed(more) if len(more) else more
        both = np.unique(np.concatenate([pool, more]), axis=0)
        found: Array = both[np.argsort(-self._values(both), kind="stable")]
        return found

    def _snapped(self, points: Array) -> Array:
        return self._space.snap(points)

    def _climb(self, starts: Array, fine: bool = False) -> Array:
        """All starts at once by L-BFGS-B; with `fine` only the continuous coordinates move."""
        numbers = self._coding.numbers
        features = self._coding.features(starts)
        free = ~np.isnan(starts[:, numbers])
        if fine:
            free &= self._coding.continuous[None, :]
        columns = len(numbers)
        if not free.any():
            return starts

        def objective(x: Array) -> tuple[float, Array]:
            features[:, :columns][free] = x
            value, gradient = self._worth_with_slopes(features, columns)
            if self._log_cost is not None:
                value, gradient = value - features @ self._log_cost, gradient - self._log_cost[:columns]
            return -float(value.sum()), -gradient[free]

        begin = features[:, :columns][free]
        steps = CLIMB_STEPS if self._thin == 1 else CLIMB_STEPS // 2
        # At the edge of what keeps a limit, or of what a front covers, line searches could go on and on.
        most = (
            15_000
            if self._keeping is None and self._leaning is None and isinstance(self._gain, Improvement)
            else LOOKS_A_STEP * steps
        )
        options = {"maxiter": steps, "maxfun": most, "maxcor": 10}
        result = scipy.optimize.minimize(
            objective, begin, jac=True, method="L-BFGS-B", bounds=[(0.0, 1.0)] * len(begin), options=options
        )
        ended = starts.copy()
        positions = ended[:, numbers]
        positions[free] = result.x
        ended[:, numbers] = positions
        return ended


def _spread_out(points: Array, count: int, order: NDArray[np.intp]) -> NDArray[np.intp]:
    """Places in `order` of the best points, skipping those close to one chosen already for half of them."""
    filled = np.where(np.isnan(points), 0.5, points)
    chosen = [0]
    for i in range(1, min(len(points), 200)):
        if len(chosen) >= count:
            break
        if np.abs(filled[chosen] - filled[i]).max(1).min() > 0.1 or (len(chosen) < count // 2 and i < count // 2):
            chosen.append(i)
    found: NDArray[np.intp] = order[chosen]
    return found
