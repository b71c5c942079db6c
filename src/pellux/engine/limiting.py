"""What is measured of a trial beside its scores, and whether it surely breaks a limit before all of its fits are done."""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import scipy

from pellux.core.judging.aims import Aim, turned
from pellux.core.judging.limits import COSTS, MODEL_MB, Limit, kept, quantity, slacks
from pellux.core.reasons import NONE, Reason, because
from pellux.core.stopping import ITERATIONS, ROWS
from pellux.engine.model import Fit, Trial
from pellux.engine.states import FitState

BREAKS = "breaks a limit"  # the code of why such a trial ended early
SURE = 0.999  # chance that the mean over all folds breaks a limit which is surely broken
LEAST = 0.02  # of a limit: no closer to it is anything sure


def values(fits: Sequence[Fit], measure: str) -> list[float]:
    """Of the fits that are done, what they told of a measure."""
    done = [fit.outcome for fit in fits if fit.outcome is not None and fit.state is FitState.DONE]
    told = [quantity(measure, one.seconds, one.model_bytes, one.recorded) for one in done]
    return [one for one in told if one is not None and math.isfinite(one)]


def measured(trial: Trial, measures: Collection[str]) -> dict[str, float]:
    """The mean over its folds of each quantity, as far as fits told of it; of a trial that has ended as it was then."""
    if trial.measured is not None:
        return trial.measured
    found = {measure: values(list(trial.fits.values()), measure) for measure in measures}
    return {measure: sum(told) / len(told) for measure, told in found.items() if told}


def slack(trial: Trial, limits: Sequence[Limit]) -> tuple[float, ...]:
    """By how much a trial keeps each limit; NaN of what was not measured."""
    return slacks(limits, measured(trial, [limit.measure for limit in limits])) if limits else ()


def beside(trial: Trial, aims: Sequence[Aim]) -> tuple[float, ...]:
    """What its score is weighed against, larger is better; NaN of what was not measured."""
    return turned(aims, measured(trial, [aim.measure for aim in aims])) if aims else ()


def beside_by_fold(trial: Trial, aims: Sequence[Aim], rung: int) -> list[tuple[float, ...]]:
    """The same of each fold of a rung, shape (aims, folds); of a fold that did not tell it the mean of the others."""
    newest: dict[int, Fit] = {}
    for fit in sorted((*trial.past, *trial.fits.values()), key=lambda fit: fit.rung):
        if fit.rung <= rung and fit.state is FitState.DONE:
            newest[fit.fold] = fit
    found = []
    for aim in aims:
        each = [values([newest[fold]], aim.measure) for fold in sorted(newest)]
        told = [one[0] for one in each if one]
        usual = sum(told) / len(told) if told else math.nan  # the size of a model is measured of one fold
        found.append(tuple(aim.sign * (one[0] if one else usual) for one in each))
    return found


class _Scatter(NamedTuple):
    """How folds differ within a trial: sums over all trials of squared distances from their means, and degrees of freedom."""

    squares: float = 0.0
    freedom: int = 0

    def with_trial(self, told: Sequence[float]) -> _Scatter:
        centre = sum(told) / len(told)
        return _Scatter(self.squares + sum((one - centre) ** 2 for one in told), self.freedom + len(told) - 1)

    def doubt(self, folds: int) -> float:
        """How far a mean over so many folds may lie from the truth, by Student's t; without limit while nothing is known."""
        if self.freedom == 0:
            return math.inf
        return float(scipy.special.stdtrit(self.freedom, SURE)) * math.sqrt(self.squares / self.freedom / folds)


@dataclass
class Watch:
    """Knows the limits of a search and how much what is measured differs from fold to fold.

    Attributes
    ----------
    resource : str
        What grows from rung to rung. Where rows or iterations grow a score may still get better, so that only what a fit costs is
        looked at: that only becomes more.
    """

    limits: tuple[Limit, ...]
    resource: str = ""

    def __post_init__(self) -> None:
        self._scatter = {limit.measure: _Scatter() for limit in self.limits}

    def note(self, trial: Trial) -> None:
        """A trial has ended: how its folds differ is known."""
        for measure, scatter in self._scatter.items():
            told = values(list(trial.fits.values()), measure)
            if len(told) > 1:
                self._scatter[measure] = scatter.with_trial(told)

    def breaks(self, trial: Trial) -> bool:
        """Whether a trial breaks a limit by what is measured of it."""
        return not kept(slack(trial, self.limits))

    def surely_broken(self, trial: Trial) -> Reason:
        """Which limit a trial breaks beyond doubt, whatever its other fits come to; false when none."""
        for limit in self.limits:
            if self.resource in (ROWS, ITERATIONS) and limit.measure not in COSTS:
                continue
            told = values(list(trial.fits.values()), limit.measure)
            if not told:
                continue
            mean = sum(told) / len(told)
            # One fold is weighed by how folds of others differ; a model is measured once.
            doubt = 0.0 if limit.measure == MODEL_MB else self._scatter[limit.measure].with_trial(told).doubt(len(told))
            if limit.slack(mean) < -max(doubt, LEAST * abs(limit.bound)):
                return because("breaks a limit", limit=limit.text, measured=mean, folds=len(told))
        return NONE
