"""Asynchronous halving: nobody waits; whoever is among the best 1/factor of a rung so far goes on (Li et al. 2020)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import ClassVar

from pellux.core.reasons import because
from pellux.core.stopping.contract import KEEP, Park, Prune, TrialContext, Verdict, demand
from pellux.core.stopping.record import Record
from pellux.core.stopping.successive_halving import RUNGS


@dataclass(frozen=True)
class AsynchronousSettings:
    """Settings of asynchronous halving."""

    factor: int = 3
    least: int = 0
    sentences: ClassVar[Mapping[str, str]] = RUNGS

    def __post_init__(self) -> None:
        demand(self.factor >= 2, f"The factor between rungs is 2 or more. Got {self.factor}.", "factor")
        demand(self.least >= 0, f"The first rung has 1 or more; 0 leaves it to the factor. Got {self.least}.", "least")


def verdict(trial: TrialContext, record: Record, settings: AsynchronousSettings) -> Verdict:
    """What becomes of the trial; the method and its source stand above."""
    if trial.fold >= 0:
        return KEEP
    n = record.count(trial.bracket, trial.rung)
    rank = record.rank(trial.number, trial.bracket, trial.rung)
    # At the end of a search with few trials somebody must reach the top.
    if rank < (max(1, n // settings.factor) if record.closing else n // settings.factor):
        return KEEP
    most = max(1, record.trials // settings.factor ** (trial.rung + 1))
    if rank >= most:
        return Prune(because("cannot go on any more", rung=trial.rung + 1, place=rank + 1, of=n, most=most))
    return Park(because("waits at its rung", rung=trial.rung + 1, place=rank + 1, of=n, go_on=n // settings.factor))
