"""Gaussian process: Bayesian optimisation with log expected improvement (Jones 1998; Ament et al. 2023).

Every proposal fits the model anew from the history alone, so nothing depends on what this process did before. Pending
trials are believed to score what the model expects of them (Ginsbourger et al. 2010). Every fourth proposal works on
another basin than the incumbent's: plain expected improvement polishes the first basin it finds, although a rival that
it left half-climbed may be higher.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np
from numpy.typing import NDArray

from pellux.core.space import Configuration, Space, Value
from pellux.core.strategies import even_spread
from pellux.core.strategies.acquisition import Maximiser, Region
from pellux.core.strategies.basins import tops
from pellux.core.strategies.contract import Chance, History, Observation, Proposed
from pellux.core.strategies.fresh import one_by_one, taken
from pellux.core.surrogates.coding import Coding
from pellux.core.surrogates.gaussian_process import Posterior, fit
from pellux.core.surrogates.warp import warped

Array = NDArray[np.float64]
MOST = 1200  # observations the posterior keeps: the best half and the newest
FAILED_NOISE = 4.0  # a failure's stand-in score is not a measurement


@dataclass(frozen=True)
class Design:
    """The choices in this strategy that can be left out, each to be seen in `benchmarks/strategies/ablations.py`.

    Attributes
    ----------
    rival_every : int
        Which proposals work on another basin than the incumbent's; 0 for none.
    warp : bool
        Scores are straightened by a Yeo-Johnson transform.
    additive : bool
        The kernel has a part that is a sum over parameters.
    climb : bool
        Candidates are improved by gradients and by their discrete neighbours.
    """

    rival_every: int = 4
    warp: bool = True
    additive: bool = True
    climb: bool = True


USUAL = Design()


@dataclass(frozen=True)
class Evidence:
    """A history as the model takes it: points, warped scores, relative noise."""

    points: Array
    scores: Array
    noise: Array


def propose(
    space: Space, history: History, pending: Sequence[Configuration], count: int, chance: Chance, design: Design = USUAL
) -> Proposed:
    return one_by_one(space, history, pending, count, chance, partial(_single, space, history, design))


def first_trials(space: Space) -> int:
    """How many trials are spread evenly before the model is asked."""
    options = sum((p.count or 0) - 1 for _, p in Coding.of(space).choices)
    return int(min(max(4, space.dimension + 2, options + 3), 16))


def _single(
    space: Space, history: History, design: Design, pending: Sequence[Configuration], chance: Chance
) -> dict[str, Value] | None:
    known = [o for o in history if o.mean is not None or o.bad]
    begun = len(history) + len(pending)
    if begun < first_trials(space) or sum(o.mean is not None for o in known) < 2:
        return even_spread.point(space, chance)
    coding = Coding.of(space)
    evidence = gather(space, known, warp=design.warp)
    features = coding.features(evidence.points)
    posterior = _fitted(coding, evidence, features, additive=design.additive)
    expected = posterior.predict(features)[0]
    order = np.argsort(-expected, kind="stable")
    if pending:
        posterior = _believing(posterior, coding, space, evidence, pending)
    region = Region(posterior, coding)
    if design.rival_every and chance.number % design.rival_every == design.rival_every - 1:
        region = _rival(region, features, expected, order, chance.number // design.rival_every)
        inside = order[region.holds(evidence.points[order])]
        order = inside if len(inside) else order
    tried = taken(history, pending)
    maximiser = Maximiser(region, float(expected[order[0]]), tried, chance.own(), climb=design.climb)
    return maximiser.configuration(evidence.points[order])


def _fitted(coding: Coding, evidence: Evidence, features: Array, *, additive: bool = True) -> Posterior:
    hyperparameters = fit(features, evidence.scores, evidence.noise, coding.groups, additive=additive)
    return Posterior(hyperparameters, features, evidence.scores, evidence.noise, coding.groups)


def _rival(region: Region, features: Array, expected: Array, order: NDArray[np.intp], turn: int) -> Region:
    """The surroundings of one of the basins beside the incumbent's, by turns; everywhere when there is only one."""
    found = tops(region.posterior, region.coding, features, expected, order)
    if len(found) == 1:
        return region
    chosen = 1 + turn % (len(found) - 1)
    others = [top for place, top in enumerate(found) if place != chosen]
    return Region(region.posterior, region.coding, features[[found[chosen], *others]])


def gather(space: Space, known: Sequence[Observation], *, warp: bool = True) -> Evidence:
    """Points, warped scores and noise of what is known; failures stand just below the worst score."""
    kept = _kept(known)
    means = np.array([np.nan if o.mean is None else o.mean for o in kept])
    failed = np.isnan(means)
    scores = np.zeros(len(kept))
    scores[~failed] = warped(means[~failed], shape=warp)
    if failed.any():
        scores[failed] = scores[~failed].min() - 0.1
    noise = np.where(failed, FAILED_NOISE, _noise(kept, means))
    return Evidence(np.array([space.encode(o.configuration) for o in kept]), scores, noise)


def _kept(known: Sequence[Observation]) -> list[Observation]:
    if len(known) <= MOST:
        return list(known)
    order = sorted(range(len(known)), key=lambda i: -np.inf if known[i].mean is None else known[i].mean or 0.0)
    chosen = {*order[-MOST // 2 :], *range(len(known) - MOST // 2, len(known))}
    return [known[i] for i in sorted(chosen)]


def _noise(kept: Sequence[Observation], means: Array) -> Array:
    """Relative noise variance of each mean: its fold scatter after fold effects, drawn halfway to everybody's."""
    folds = max(len(o.scores) for o in kept)
    table = np.array([[np.nan if s is None else s for s in o.scores] + [np.nan] * (folds - len(o.scores)) for o in kept], float)
    whole = np.isfinite(table).all(1)
    if folds < 2 or whole.sum() < 3:
        return 1.0 / np.array([o.share for o in kept])
    residual = table - means[:, None]
    residual = residual - residual[whole].mean(0)
    scatter = np.where(whole, np.where(whole[:, None], residual**2, 0.0).mean(1), np.nan)
    typical = float(np.median(scatter[whole]))
    if not typical > 0:
        return 1.0 / np.array([o.share for o in kept])
    relative = np.where(whole, np.nan_to_num(scatter) / typical, 1.0)
    found: Array = np.clip(0.5 + 0.5 * relative, 0.5, 4.0) / np.array([o.share for o in kept])
    return found


def _believing(
    posterior: Posterior, coding: Coding, space: Space, evidence: Evidence, pending: Sequence[Configuration]
) -> Posterior:
    """The posterior as if pending trials had scored what it expects of them: their surroundings are known already."""
    points = np.array([space.encode(c) for c in pending])
    features = coding.features(np.concatenate([evidence.points, points]))
    believed = posterior.predict(features[len(evidence.points) :])[0]
    scores = np.concatenate([evidence.scores, believed])
    noise = np.concatenate([evidence.noise, np.ones(len(pending))])
    return Posterior(posterior.hyperparameters, features, scores, noise, coding.groups)


def recommend(space: Space, history: History) -> Observation:
    """The trial the model expects most of: on noisy scores a better choice than the luckiest one."""
    known = [o for o in history if o.mean is not None]
    if len(known) < 3:
        return max(known, key=lambda o: o.mean or -np.inf)
    coding = Coding.of(space)
    evidence = gather(space, known)
    features = coding.features(evidence.points)
    expected = _fitted(coding, evidence, features).predict(features)[0]
    return _kept(known)[int(np.argmax(expected))]
