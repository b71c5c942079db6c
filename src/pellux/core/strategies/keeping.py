"""What strategies know of limits: a Gaussian process for each limited quantity, or an order in which what keeps them comes first.

The chance that a configuration keeps all limits weighs what is to be gained there (Gardner et al., ICML 2014; Gelbart, Snoek & Adams,
UAI 2014), as logarithms (Ament et al., NeurIPS 2023). For strategies that only order trials one that keeps them is better than any that
does not, and of those the one that breaks them less (Deb 2000).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import scipy
from numpy.typing import NDArray

from pellux.core.strategies.contract import History, Observation
from pellux.core.strategies.known import Ready
from pellux.core.surrogates.coding import Coding
from pellux.core.surrogates.gaussian_process import Posterior, fit
from pellux.core.surrogates.warp import warped

Array = NDArray[np.float64]
FEWEST = 3  # measurements that a model of a limit is made of
FAR = 1e9  # times the usual distance from a limit: what is farther is broken no worse
LOG_ROOT_2PI = 0.5 * np.log(2 * np.pi)


@dataclass(frozen=True)
class Keeping:
    """The chance that points keep every limit.

    Attributes
    ----------
    slacks : tuple of Posterior
        A model a limit, of its straightened slack.
    thresholds : tuple of float
        Where each of them has its 0.
    """

    slacks: tuple[Posterior, ...]
    thresholds: tuple[float, ...]

    @staticmethod
    def of(coding: Coding, features: Array, known: Sequence[Observation], kinds: Sequence[bool]) -> Keeping | None:
        """None where no limit was measured often enough to say anything.

        Parameters
        ----------
        features : array, shape (n, columns)
            Of the known ones.
        kinds : sequence of bool
            See `surrogates.gaussian_process.fit`.
        """
        slack = np.array([o.slack for o in known], dtype=float)
        models, thresholds = [], []
        for column in slack.T:
            there = np.isfinite(column)
            if there.sum() < FEWEST:
                continue
            # The 0 is straightened along with the rest: what keeps a limit keeps it in any unit.
            straight = warped(np.append(column[there], 0.0))
            scores, noise = straight[:-1], np.ones(int(there.sum()))
            h = fit(features[there], scores, noise, coding.groups, kinds=kinds)
            models.append(Posterior(h, features[there], scores, noise, coding.groups))
            thresholds.append(float(straight[-1]))
        return Keeping(tuple(models), tuple(thresholds)) if models else None

    def log_chance(self, features: Array) -> Array:
        """Logarithm of the chance that all limits are kept, shape (m,)."""
        total = np.zeros(len(features))
        for model, threshold in zip(self.slacks, self.thresholds, strict=True):
            mean, deviation = model.predict(features)
            total += scipy.special.log_ndtr((mean - threshold) / deviation)
        return total

    def with_slopes(self, features: Array, columns: int) -> tuple[Array, Array]:
        """The same, and its slopes by the first `columns` features, shapes (m,) and (m, columns)."""
        total, slopes = np.zeros(len(features)), np.zeros((len(features), columns))
        for model, threshold in zip(self.slacks, self.thresholds, strict=True):
            mean, deviation, by_mean, by_deviation = model.predict_with_slopes(features, columns)
            z = (mean - threshold) / deviation
            value = scipy.special.log_ndtr(z)
            total += value
            steep = np.exp(np.minimum(-0.5 * z * z - LOG_ROOT_2PI - value, 300.0)) / deviation
            slopes += steep[:, None] * (by_mean - z[:, None] * by_deviation)
        return total, slopes


def limited(history: History) -> bool:
    """Whether the search has limits: then every trial that it knows of tells by how much it keeps them."""
    return len(history) > 0 and bool(history[-1].slack)


def ordered(history: History) -> History:
    """The same trials, with those that break a limit behind all that keep them, by how far they break them.

    For strategies that ask only which of two trials is better. Distances among those that keep the limits stay as they are.
    """
    if not limited(history):
        return history
    slack = np.array([o.slack or (np.nan,) * _width(history) for o in history], dtype=float)
    if not np.isfinite(slack).any():
        return history  # nothing was measured: there is no order to be made
    unit = np.nanmedian(np.where(np.isfinite(slack).any(0), np.abs(slack), 1.0), axis=0)
    with np.errstate(over="ignore"):  # beside a unit next to nothing anything is far
        broken = np.nansum(np.minimum(np.maximum(-slack, 0.0) / np.where(unit > 0, unit, 1.0), FAR), axis=1)
    means = np.array([np.nan if o.mean is None else o.mean for o in history])
    good = np.isfinite(means) & np.array([o.keeps for o in history])
    worst = float(means[good].min()) if good.any() else 0.0
    width = float(np.ptp(means[good])) if good.any() else 1.0
    width = width if width > 0 else 1.0
    made = [
        o if o.mean is None or keeps else replace(o, estimate=worst - width * (0.1 + float(amount)))
        for o, keeps, amount in zip(history, good, broken, strict=True)
    ]
    return Ready(made, history.identities) if isinstance(history, Ready) else made


def _width(history: History) -> int:
    return next(len(o.slack) for o in history if o.slack)
