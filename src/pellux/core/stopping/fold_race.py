"""Fold race: after each fold a trial is compared with the incumbent, fold by fold; without a chance of winning it ends.

Where several metrics decide it ends when some trial of the front is surely ahead in all of them.

Racing as in Maron & Moore (1994) and Birattari et al. (2002). Folds differ, so differences are paired by fold. How much
paired differences scatter is learnt from all trials (residuals of a two-way additive fit), for two folds of one trial
say almost nothing about it. The chance that the mean over all folds ends above the incumbent's is a Student t.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import ClassVar

import numpy as np
import scipy

from pellux.core.reasons import because
from pellux.core.stopping.contract import KEEP, Prune, TrialContext, Verdict, demand
from pellux.core.stopping.record import Record

OWN_WEIGHT = 2.0  # degrees of freedom that the scatter of the incumbent's own folds is worth, as a first guess
ENOUGH = 8  # degrees of freedom from which on no guess is needed


@dataclass(frozen=True)
class RaceSettings:
    """Settings of the fold race."""

    least: int = 2
    chance: float = 0.25
    sentences: ClassVar[Mapping[str, str]] = {
        "least": "Folds before the first verdict.",
        "chance": "A trial ends when its probability of overtaking the best is below this.",
    }

    def __post_init__(self) -> None:
        demand(self.least >= 1, f"At least 1 fold comes before the first verdict. Got {self.least}.", "least")
        demand(0 < self.chance < 0.5, f"The probability lies between 0 and 0.5. Got {self.chance}.", "chance")


def verdict(trial: TrialContext, record: Record, settings: RaceSettings) -> Verdict:
    """What becomes of the trial; the method and its source stand above."""
    if trial.fold >= 0 or trial.number in record.rivals:
        return KEEP
    done = len(record.fold_scores(trial.number))
    if done >= record.folds:
        return KEEP
    for rival in record.rivals:
        behind = [behind_in(one, rival, trial.number) for one in record.each]
        chance = max(winning(one, rival, by, done) for one, by in zip(record.each, behind, strict=True))
        if chance >= settings.chance:
            continue
        if len(behind) > 1:
            return Prune(because("outrun in all", folds=done, best=rival, chance=chance))
        return Prune(because("outrun", folds=done, best=rival, behind=behind[0], chance=chance))
    return KEEP


def behind_in(record: Record, rival: int, number: int) -> float:
    """By how much a trial lies behind a rival on the folds that both have."""
    scores = record.fold_scores(number)
    return float((record.fold_scores(rival)[: len(scores)] - scores).mean())


def winning(record: Record, rival: int, behind: float, done: int) -> float:
    """The probability that a trial `behind` a rival on `done` folds is ahead of it on all of them."""
    left = record.folds - done
    variance, freedom = record.scatter
    own = float(np.var(record.fold_scores(rival), ddof=1)) if record.folds > 1 else 0.0
    guess = OWN_WEIGHT * max(0.0, 1 - freedom / ENOUGH)
    weight = guess + freedom
    pooled = (guess * own + freedom * variance) / weight
    # Twice: the difference of two trials. The folds to come scatter about a mean that is known from `done` folds only.
    spread = left / record.folds * np.sqrt(2 * pooled * (1 / done + 1 / left))
    if spread <= 0:
        return 1.0 if behind <= 0 else 0.0
    return float(scipy.special.stdtr(weight, -behind / spread))
