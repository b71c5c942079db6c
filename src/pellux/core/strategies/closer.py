"""A closer look at the best: a model of its own for the trials around it, in coordinates that are stretched to them.

A model of the whole space cannot see what is smaller than its length scales, and near the best of a crowd it polishes in vain. This one
knows only the nearest trials and looks only into the box that they span (Eriksson et al., NeurIPS 2019, who keep whole searches in such
boxes): as trials crowd the box shrinks, and it moves with the best. How near a trial is, is measured along each number by how far the best
trials lie apart.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import scipy
from numpy.random import Generator
from numpy.typing import NDArray

from pellux.core.space import Configuration, Space, Value, identity
from pellux.core.strategies.contract import Observation
from pellux.core.strategies.even_spread import sobol
from pellux.core.strategies.evidence import relative_noise
from pellux.core.strategies.fresh import Taken
from pellux.core.strategies.gains import Improvement, telling_noise
from pellux.core.strategies.placed import placed
from pellux.core.surrogates.coding import Coding
from pellux.core.surrogates.gaussian_process import Posterior, fit
from pellux.core.surrogates.warp import warped

Array = NDArray[np.float64]
EACH, NEAREST = 10, (30, 100)  # trials a number that the model is made of; at least, at most
LEADERS = 4  # trials a number, beside one: how far the best ones lie apart
NARROWEST = 1e-9  # of a number's range: half the width of a box
FORETOLD = 0.35  # of the variance of the scores around the best: where the others foretell less of each, closer is no clearer
WORTH = 1e-3  # over the number of trials: that part of what there was to gain, the better half of the box has to have left
# What there was to gain is told by the better quarter of so many trials: most scores of some metrics are beyond all measure, and later
# trials crowd around the best.
EARLY, QUARTER = 100, 0.75
SPREAD, CLIMBS, CLIMB_STEPS, LOOKS = 128, 6, 30, 150
ANCHORS, COPIES, STEPS = 3, 5, (0.1, 0.03, 0.01, 0.003)  # best points, changed copies of each for each step, of the box


@dataclass(frozen=True)
class Box:
    """A part of the space around a point, as a cube of its own.

    Attributes
    ----------
    centre, half : arrays, shape (numbers,)
        In the unit cube of the space.
    """

    centre: Array
    half: Array

    def inward(self, places: Array) -> Array:
        found: Array = (places - self.centre) / (2 * self.half) + 0.5
        return found

    def outward(self, inside: Array) -> Array:
        found: Array = np.clip(self.centre + (inside - 0.5) * 2 * self.half, 0.0, 1.0)
        return found

    @property
    def ends(self) -> tuple[Array, Array]:
        """What of it lies in the space, as the box sees it."""
        return np.clip(self.inward(np.zeros_like(self.centre)), 0, 1), np.clip(self.inward(np.ones_like(self.centre)), 0, 1)


def closer(
    space: Space, known: Sequence[Observation], pending: Sequence[Configuration], tried: Taken, rng: Generator, *,
    to_the_last: bool = False,
) -> dict[str, Value] | None:  # fmt: skip
    """The next configuration around the best trial, with the options chosen as there.

    None where there is nothing to see: too few trials with the same options, no numbers, mere noise, or, unless it shall go on
    `to_the_last` digit, next to nothing left to gain.
    """
    coding, scored = Coding.of(space), [o for o in known if o.mean is not None]
    numbers, means = len(coding.numbers), np.array([o.mean for o in scored], dtype=float)
    points = placed(space, scored)[0]
    features, top = coding.features(points), int(np.argmax(means))
    alike = np.flatnonzero((features[:, numbers:] == features[top, numbers:]).all(1))
    if not numbers or len(alike) < NEAREST[0]:
        return None
    near, box = _surroundings(coding, features[alike, :numbers], means[alike], features[top, :numbers])
    near = alike[near]
    left, span = means[top] - float(np.median(means[near])), means[top] - float(np.quantile(means[:EARLY], QUARTER))
    if left <= (0.0 if to_the_last else WORTH / len(known) * span):
        return None
    waiting = coding.features(np.array([space.encode(c) for c in pending]).reshape(-1, space.dimension))
    waiting = box.inward(waiting[(waiting[:, numbers:] == features[top, numbers:]).all(1), :numbers])
    waiting = waiting[((waiting >= 0) & (waiting <= 1)).all(1)]
    chosen = [scored[i] for i in near.tolist()]
    gain = _gain(box.inward(features[near, :numbers]), means[near], relative_noise(chosen, means[near]), waiting)
    if gain is None:
        return None
    order = np.argsort(-means[near], kind="stable")[:ANCHORS]
    for inside in _best_first(gain, box, box.inward(features[near[order], :numbers]), rng):
        point = points[top].copy()
        point[coding.numbers] = np.where(np.isnan(point[coding.numbers]), np.nan, box.outward(inside))
        found = space.decode(space.snap(point[None])[0])
        if identity(found) not in tried and space.fulfils(found):
            return found
    return None


def _surroundings(coding: Coding, places: Array, means: Array, best: Array) -> tuple[NDArray[np.intp], Box]:
    """The trials nearest to the best, nearest first, and the box around it that they span."""
    away, numbers = np.abs(places - best), len(best)
    leaders = np.argsort(-means, kind="stable")[: LEADERS * numbers + 1]
    apart = np.maximum(np.median(away[leaders], axis=0), NARROWEST)
    near = np.argsort(((away / apart) ** 2).sum(1), kind="stable")[: int(np.clip(EACH * numbers, *NEAREST))]
    levels = np.array([1.0 / (coding.space.searched[place].count or 1 / NARROWEST) for place in coding.numbers])
    return near, Box(best, np.maximum(away[near].max(0), levels))


def _gain(inside: Array, means: Array, noise: Array, waiting: Array) -> Improvement | None:
    """What is to be gained in a box, as if what is pending there had scored what is expected of it; None in mere noise."""
    groups, scores = np.arange(inside.shape[1]), warped(means)
    if not scores.any():
        return None
    h = fit(inside, scores, noise, groups, additive=False)
    posterior = Posterior(h, inside, scores, noise, groups)
    missed, _ = posterior.left_out(scores)
    if float((missed**2).mean()) > 1 - FORETOLD:
        return None
    if len(waiting):
        scores = np.concatenate([scores, posterior.expected(waiting)])
        inside, noise = np.concatenate([inside, waiting]), np.concatenate([noise, np.ones(len(waiting))])
        posterior = Posterior(h, inside, scores, noise, groups)
    return Improvement(posterior, float(posterior.expected(inside).max()), telling_noise(h.noise))


def _best_first(gain: Improvement, box: Box, anchors: Array, rng: Generator) -> Array:
    """Places in the box by what is to be gained, the best of an even spread and of changed anchors climbed from."""
    numbers = anchors.shape[1]
    low, high = box.ends
    steps = np.tile(np.repeat(STEPS, COPIES), len(anchors))[:, None]
    changed = np.repeat(anchors, COPIES * len(STEPS), axis=0)
    changed = changed + steps * rng.standard_normal(changed.shape)
    places = np.concatenate([low + sobol(numbers, SPREAD, rng) * (high - low), np.clip(changed, low, high)])
    starts = places[np.argsort(-gain.log(places), kind="stable")[:CLIMBS]]

    def objective(x: Array) -> tuple[float, Array]:
        value, slopes = gain.with_slopes(x.reshape(starts.shape), numbers)
        return -float(value.sum()), -slopes.ravel()

    bounds = list(zip(np.tile(low, len(starts)), np.tile(high, len(starts)), strict=True))
    options = {"maxiter": CLIMB_STEPS, "maxfun": LOOKS}
    climbed = scipy.optimize.minimize(objective, starts.ravel(), jac=True, method="L-BFGS-B", bounds=bounds, options=options).x
    places = np.concatenate([climbed.reshape(starts.shape), places])
    found: Array = places[np.argsort(-gain.log(places), kind="stable")]
    return found
