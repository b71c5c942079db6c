"""A history as the Gaussian process takes it: points of the unit cube, straightened scores, how noisy each is."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from pellux.core.space import Space
from pellux.core.strategies.contract import Observation
from pellux.core.strategies.placed import placed
from pellux.core.surrogates.warp import warped

Array = NDArray[np.float64]
MOST = 800  # observations the posterior keeps: the best third, the newest third and an even share of the rest
FAILED_NOISE = 4.0  # a failure's stand-in score is not a measurement


@dataclass(frozen=True)
class Evidence:
    """Points, warped scores, relative noise.

    Attributes
    ----------
    span : float
        How far the best score lies above the median, in units of the warp near the best: what is there to gain.
    """

    points: Array
    scores: Array
    noise: Array
    span: float


def gather(space: Space, known: Sequence[Observation], *, warp: bool = True) -> Evidence:
    """Points, warped scores and noise of what is known; failures stand just below the worst score."""
    chosen = kept(known)
    means = np.array([np.nan if o.mean is None else o.mean for o in chosen])
    failed = np.isnan(means)
    scores = np.zeros(len(chosen))
    scores[~failed] = warped(means[~failed], shape=warp)
    span = _span(means[~failed], scores[~failed])
    if failed.any():
        scores[failed] = scores[~failed].min() - 0.1
    noise = np.where(failed, FAILED_NOISE, relative_noise(chosen, means))
    return Evidence(placed(space, chosen)[0], scores, noise, span)


def kept(known: Sequence[Observation]) -> list[Observation]:
    """All, or the most telling of very many."""
    return most_telling(known, lambda: np.array([-np.inf if o.mean is None else o.mean for o in known]))


def most_telling(known: Sequence[Observation], standing: Callable[[], Array]) -> list[Observation]:
    """All; of very many the best third, the newest third and an even share of the rest, so that what is known of the whole
    space is not forgotten for what lies around the best.

    Parameters
    ----------
    standing : function
        How good each is, shape (n,), larger is better; asked for only where there are very many.
    """
    if len(known) <= MOST:
        return list(known)
    third = MOST // 3
    chosen = np.zeros(len(known), dtype=bool)
    chosen[np.argsort(standing(), kind="stable")[-third:]] = chosen[-third:] = True
    rest = np.flatnonzero(~chosen)
    chosen[rest[np.linspace(0, len(rest) - 1, MOST - int(chosen.sum())).astype(int)]] = True
    return [known[i] for i in np.flatnonzero(chosen).tolist()]


def _span(means: Array, scores: Array) -> float:
    """The raw distance from the best to the median, as the warp would draw it if it were straight near the best:
    trials that crowd around the best make the warp look at them through a magnifying glass."""
    order = np.argsort(-means, kind="stable")
    below = next((i for i in order[max(1, len(order) // 8) :] if scores[i] < scores[order[0]]), None)
    if below is None:
        return 0.0
    best = order[0]
    return float((means[best] - np.median(means)) * (scores[best] - scores[below]) / (means[best] - means[below]))


def relative_noise(chosen: Sequence[Observation], means: Array) -> Array:
    """Relative noise variance of each mean: its fold scatter after fold effects, drawn halfway to everybody's."""
    folds = max(len(o.scores) for o in chosen)
    table = np.array([[np.nan if s is None else s for s in o.scores] + [np.nan] * (folds - len(o.scores)) for o in chosen], float)
    whole = np.isfinite(table).all(1)
    if folds < 2 or whole.sum() < 3:
        return 1.0 / np.array([o.share for o in chosen])
    residual = table - means[:, None]
    residual = residual - residual[whole].mean(0)
    scatter = np.where(whole, np.where(whole[:, None], residual**2, 0.0).mean(1), np.nan)
    typical = float(np.median(scatter[whole]))
    if not typical > 0:
        return 1.0 / np.array([o.share for o in chosen])
    relative = np.where(whole, np.nan_to_num(scatter) / typical, 1.0)
    found: Array = np.clip(0.5 + 0.5 * relative, 0.5, 4.0) / np.array([o.share for o in chosen])
    return found
