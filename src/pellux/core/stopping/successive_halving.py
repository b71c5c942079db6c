"""Successive halving: a cohort climbs together; at each rung the best 1/factor go on (Jamieson & Talwalkar 2016)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import ClassVar

from pellux.core.reasons import because
from pellux.core.stopping.contract import KEEP, Park, Prune, TrialContext, Verdict, demand
from pellux.core.stopping.ladder import Ladder
from pellux.core.stopping.record import Record

RUNGS = {
    "least": "Resource of the first rung; 0 is three rungs below the whole, fewer where so few rows tell little.",
    "factor": "How many times more each rung gives, and what share 1/factor of the trials goes on.",
}


@dataclass(frozen=True)
class HalvingSettings:
    """Settings of the halving rules."""

    factor: int = 3
    least: int = 0
    cohort: int = 0
    sentences: ClassVar[Mapping[str, str]] = {
        **RUNGS, "cohort": "Trials that are compared with each other; 0 takes as many as leave one at the top.",
    }  # fmt: skip

    def __post_init__(self) -> None:
        demand(self.factor >= 2, f"The factor between rungs is 2 or more. Got {self.factor}.", "factor")
        demand(self.least >= 0, f"The first rung has 1 or more; 0 leaves it to the factor. Got {self.least}.", "least")
        demand(self.cohort == 0 or self.cohort >= 2, f"A cohort has at least 2 trials. Got {self.cohort}.", "cohort")


def placed(number: int, ladder: Ladder, settings: HalvingSettings) -> tuple[int, int, int]:
    """Bracket, cohort and cohort size of the trial that is proposed as `number`, from 0."""
    size = settings.cohort or settings.factor**ladder.top
    return 0, number // size, size


def verdict(trial: TrialContext, record: Record, settings: HalvingSettings) -> Verdict:
    """What becomes of the trial; the method and its source stand above."""
    if trial.fold >= 0:
        return KEEP
    if record.working(trial.cohort) > 0 or not whole(trial.cohort, record):
        return Park(because("waits for its cohort", bracket=0, rung=trial.rung + 1))
    return among_the_best(trial, record, settings.factor)


def whole(cohort: int, record: Record) -> bool:
    """Whether nobody will join a cohort any more."""
    return record.closing or record.size(cohort) >= record.expected(cohort)


def among_the_best(trial: TrialContext, record: Record, factor: int) -> Verdict:
    """Keep the best 1/factor of a cohort whose results at a rung are all there; equals are kept together."""
    n = record.cohort_count(trial.cohort, trial.rung)
    go_on = max(1, n // factor)
    rank = record.cohort_rank(trial.number, trial.cohort, trial.rung)
    if rank < go_on:
        return KEEP
    return Prune(because("not among the best", rung=trial.rung + 1, place=rank + 1, of=n, went_on=go_on))
