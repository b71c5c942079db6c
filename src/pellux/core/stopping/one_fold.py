"""One fold: the search looks at one chosen fold only, and its best few trials get all of them at the end.

Cheap, and people do it to save time; its risk is that the winner owes its place to that fold. So the finalists are judged
on every fold, and a trial that saw one fold is never ranked among them.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import ClassVar

from pellux.core.reasons import because
from pellux.core.stopping.contract import KEEP, Park, Prune, TrialContext, Verdict, demand
from pellux.core.stopping.ladder import Ladder
from pellux.core.stopping.record import Record
from pellux.core.stopping.successive_halving import whole

EVERYBODY = 10**9  # the cohort is complete when no further trial begins, not before


@dataclass(frozen=True)
class OneFoldSettings:
    """Settings of the one-fold mode."""

    fold: int = 1
    finalists: int = 5
    sentences: ClassVar[Mapping[str, str]] = {
        "fold": "The fold that every trial is scored on.",
        "finalists": "How many of the best are scored on all folds at the end.",
    }

    def __post_init__(self) -> None:
        demand(self.fold >= 1, f"Folds are counted from 1. Got {self.fold}.", "fold")
        demand(self.finalists >= 1, f"At least 1 finalist gets all folds. Got {self.finalists}.", "finalists")


def placed(number: int, ladder: Ladder, settings: OneFoldSettings) -> tuple[int, int, int]:
    """All trials of a search are compared with each other."""
    return 0, 0, EVERYBODY


def ladder(settings: OneFoldSettings, folds: int) -> Ladder:
    """One fold, then all."""
    demand(settings.fold <= folds, f"There are {folds} folds; fold {settings.fold} is not among them.", "fold")
    return Ladder("folds", (1, folds), settings.fold - 1)


def verdict(trial: TrialContext, record: Record, settings: OneFoldSettings) -> Verdict:
    """What becomes of the trial; the method and its source stand above."""
    if trial.fold >= 0:
        return KEEP
    if record.working(trial.cohort) > 0 or not whole(trial.cohort, record):
        return Park(because("waits for the others", fold=settings.fold))
    rank = record.cohort_rank(trial.number, trial.cohort, trial.rung)
    if rank < settings.finalists:
        return KEEP
    n = record.cohort_count(trial.cohort, trial.rung)
    return Prune(because("not among the finalists", fold=settings.fold, place=rank + 1, of=n, went_on=settings.finalists))
