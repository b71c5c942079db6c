"""Median rule: a trial ends when its best so far is below the median of what others had on average by then (Golovin 2017).

Over folds, the mean of the first folds is compared with other trials' means of the same folds; over iterations, a
fold's curve with the curves of the same fold.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import ClassVar

from pellux.core.reasons import because
from pellux.core.stopping.contract import KEEP, Prune, TrialContext, Verdict, demand
from pellux.core.stopping.record import Record


@dataclass(frozen=True)
class MedianSettings:
    """Settings of the median rule."""

    least: int = 1
    others: int = 5
    sentences: ClassVar[Mapping[str, str]] = {
        "least": "Folds or iterations before the first verdict.",
        "others": "How many other trials must have come as far before there is a verdict.",
    }

    def __post_init__(self) -> None:
        demand(self.least >= 1, f"At least 1 comes before the first verdict. Got {self.least}.", "least")
        demand(self.others >= 1, f"At least 1 other trial is needed to compare with. Got {self.others}.", "others")


def verdict(trial: TrialContext, record: Record, settings: MedianSettings) -> Verdict:
    """What becomes of the trial; the method and its source stand above."""
    if trial.fold < 0:
        scores = record.fold_scores(trial.number)
        for one in record.each:  # where several metrics decide, whoever is not below the median of one may be on the front
            median, others = one.median_of_folds(len(scores))
            if others <= settings.others or one.fold_scores(trial.number).mean() >= median:
                return KEEP
        if len(record.each) > 1:
            return Prune(because("below every median", folds=len(scores), metrics=len(record.each), others=others))
        mean = record.sign * float(scores.mean())
        return Prune(because("below the median", folds=len(scores), mean=mean, median=record.sign * median, others=others))
    curve = record.curve(trial.number, trial.fold)
    iteration = curve.iterations[-1]
    median, others = record.median_of_averages(trial.fold, iteration)
    if iteration < settings.least or others < settings.others or curve.best[-1] >= median:
        return KEEP
    facts = {"best": record.sign * curve.best[-1], "median": record.sign * median, "others": others}
    return Prune(because("curve below the median", fold=trial.fold + 1, iteration=iteration, **facts))
