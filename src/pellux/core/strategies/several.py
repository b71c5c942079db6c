"""Several metrics at once: proposals towards the front, and an order for strategies that only ask which of two trials is better.

A Gaussian process for each metric; the next trial is where the volume that the front covers is expected to grow most (`gains.py`), by the
chance of keeping the limits where there are any. Values keep their units, for volume is not the same once they are bent; only what lies
beyond the reference point, where nothing is to be gained, is drawn in. Strategies without models get an order by layers of fronts and,
within one, by loneliness (Deb et al. 2002).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from itertools import zip_longest

import numpy as np
from numpy.typing import NDArray

from pellux.core.judging.fronts import layers, on_front, reference_point, standing
from pellux.core.space import Configuration, Space, Value
from pellux.core.strategies.acquisition import Found, Maximiser
from pellux.core.strategies.contract import History, Observation, SeedStream
from pellux.core.strategies.evidence import FAILED_NOISE, most_telling, relative_noise
from pellux.core.strategies.fresh import Taken
from pellux.core.strategies.gains import Gain, Improvement, VolumeImprovement
from pellux.core.strategies.keeping import Keeping, limited
from pellux.core.strategies.known import Ready
from pellux.core.strategies.regions import Everywhere
from pellux.core.surrogates.coding import Coding
from pellux.core.surrogates.gaussian_process import Beliefs, Posterior, fit

Array = NDArray[np.float64]
Mask = NDArray[np.bool_]
POOR = 0.25  # the worst quarter of the trials is what nothing is to be gained from
END_EVERY = 5  # proposals, of which one tries to move an end of the front: beyond its ends a front has no volume to be gained
WORTH = float(np.log(0.1))  # standard deviations of a metric that moving an end has to promise
SPREAD = (4, 16)  # at least and at most so many trials are spread evenly first, else two more than there are parameters
FEWEST = 3  # trials of which all metrics are known before a model speaks


def several(history: History) -> bool:
    """Whether the score is weighed against anything: then every trial that the search knows of tells of it."""
    return len(history) > 0 and bool(history[-1].beside)


def values(history: History) -> Array:
    """Score and what it is weighed against, larger is better, NaN where it is not known; shape (trials, metrics)."""
    width = len(history[-1].beside)
    return np.array(
        [(np.nan if o.mean is None else o.mean, *(o.beside or (np.nan,) * width)) for o in history], dtype=float
    ).reshape(-1, width + 1)  # fmt: skip


def ordered_by_front(history: History) -> History:
    """The same trials with a score that is their place among fronts, 0 or more on the first; those that break a limit keep theirs, for
    they come last anyhow."""
    if not several(history):
        return history
    found = values(history)
    found[[not o.keeps for o in history]] = np.nan
    places = standing(found)
    worst = float(places[np.isfinite(places)].min(initial=0.0)) - 1.0
    made = [
        o if o.mean is None else replace(o, estimate=float(place) if np.isfinite(place) else worst)
        for o, place in zip(history, places, strict=True)
    ]
    return Ready(made, history.identities) if isinstance(history, Ready) else made


def known_enough(space: Space, history: History, begun: int) -> bool:
    """Whether models of all metrics can be made, and as many trials have begun as a front needs to be seen from."""
    spread = int(np.clip(space.dimension + 2, *SPREAD))
    return begun >= spread and int(np.isfinite(values(history)).all(1).sum()) >= FEWEST


def towards_front(
    space: Space, known: Sequence[Observation], pending: Sequence[Configuration], seeds: SeedStream, tried: Taken,
    *, climb: bool, kinds: Sequence[bool], log_cost: Array | None, beliefs: Sequence[Beliefs] = (),
) -> dict[str, Value] | None:  # fmt: skip
    """The next configuration, or None where nothing untried is found.

    Parameters
    ----------
    known : sequence of Observation
        Trials with a score, and those that failed.
    log_cost : array, shape (columns,), or None
        See `Maximiser`.
    beliefs : sequence of Beliefs
        Of each metric's hyperparameters, where that is known better than by the usual priors.
    """
    known = most_telling(known, lambda: standing(values(known)))
    coding = Coding.of(space)
    points = np.array([space.encode(c) for c in (*(o.configuration for o in known), *pending)])
    features = coding.features(points)
    measured, waiting = features[: len(known)], features[len(known) :]
    drawn_in, reference = _drawn_in(values(known), np.array([o.keeps for o in known]))
    posteriors, expected = [], []
    for column, believed_of in zip_longest(drawn_in.T, beliefs):
        posterior, means = _modelled(coding, known, measured, waiting, column, kinds, believed_of)
        posteriors.append(posterior)
        expected.append(means)
    keeping = _limits(coding, known, measured, kinds)
    usable = _usable(known, keeping, waiting)
    believed = np.column_stack(expected)
    rng = seeds.own()

    def best(gain: Gain | None, anchors: NDArray[np.intp]) -> Found:
        region = Everywhere(posteriors[0], coding)
        return Maximiser(region, gain, tried, rng, climb=climb, log_cost=log_cost, keeping=keeping).best(points[anchors])

    if not usable.any():
        return best(None, np.argsort(-keeping.log_chance(features) if keeping is not None else np.zeros(len(points)))).configuration
    if seeds.number % END_EVERY == 0:
        end = seeds.number // END_EVERY % believed.shape[1]
        order = np.lexsort((-believed[:, end], ~usable))
        found = best(Improvement(posteriors[end], float(believed[order[0], end])), order)
        if found.configuration is not None and found.gain > WORTH:
            return found.configuration
    front = believed[usable][on_front(believed[usable])]
    order = _front_first(np.where(usable[:, None], believed, np.nan), rng)
    return best(VolumeImprovement(posteriors, front, reference), order).configuration


def _drawn_in(found: Array, keeps: Mask) -> tuple[Array, Array]:
    """Values in standard deviations, with what lies beyond the reference point drawn in logarithmically; and where that point is then."""
    whole = np.isfinite(found).all(1)
    good = found[whole & keeps] if (whole & keeps).any() else found[whole]
    # Generous: beyond the worst of a front that is still short lies what would make it longer.
    reference = np.minimum(reference_point(good), np.quantile(good, POOR, axis=0))
    best = good.max(0)
    unit = np.where(best > reference, best - reference, 1.0)
    above = (found - reference) / unit
    with np.errstate(invalid="ignore"):
        bent = np.where(above < 0, -np.log1p(np.maximum(-above, 0.0)), above)
    centre, width = np.nanmean(bent, axis=0), np.nanstd(bent, axis=0)
    width = np.where(width > 0, width, 1.0)
    return (bent - centre) / width, -centre / width


def _modelled(
    coding: Coding, known: Sequence[Observation], measured: Array, waiting: Array, column: Array, kinds: Sequence[bool],
    beliefs: Beliefs | None,
) -> tuple[Posterior, Array]:  # fmt: skip
    """A model of one metric with what is pending as it is expected, and what it expects of every point, shape (known + pending,)."""
    failed = np.array([o.bad for o in known])
    there = np.isfinite(column) | failed
    chosen = [o for o, here in zip(known, there, strict=True) if here]
    scores = np.where(failed, np.nanmin(column) - 0.1, column)[there]
    means = np.where(failed[there], np.nan, scores)
    noise = np.where(failed[there], FAILED_NOISE, relative_noise(chosen, means))
    features = measured[there]
    h = fit(features, scores, noise, coding.groups, kinds=kinds, beliefs=beliefs)
    posterior = Posterior(h, features, scores, noise, coding.groups)
    if len(waiting):
        believed = posterior.expected(waiting)
        posterior = Posterior(
            h, np.concatenate([features, waiting]), np.concatenate([scores, believed]), np.concatenate([noise, np.ones(len(waiting))]), coding.groups
        )  # fmt: skip
    return posterior, posterior.expected(np.concatenate([measured, waiting]))


def _limits(coding: Coding, known: Sequence[Observation], features: Array, kinds: Sequence[bool]) -> Keeping | None:
    if not limited(known):
        return None
    there = [place for place, o in enumerate(known) if o.slack]
    return Keeping.of(coding, features[there], [known[place] for place in there], kinds)


def _usable(known: Sequence[Observation], keeping: Keeping | None, waiting: Array) -> Mask:
    """Which points can be on the front: scored, and keeping the limits as measured; what is pending, as is likelier."""
    found = np.array([not o.bad and o.keeps and (bool(o.slack) or keeping is None) for o in known], dtype=bool)
    likely = (
        keeping.log_chance(waiting) > np.log(0.5) if keeping is not None and len(waiting) else np.ones(len(waiting), dtype=bool)
    )
    return np.concatenate([found, likely])


def _front_first(believed: Array, rng: np.random.Generator) -> NDArray[np.intp]:
    """Places of points: those of the front in random order, then layer by layer."""
    depth = layers(believed)
    depth = np.where(depth < 0, depth.max(initial=0) + 1, depth)
    return np.lexsort((rng.random(len(depth)), depth))
