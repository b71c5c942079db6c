"""Hyperband: halving brackets that start at different rungs, for nobody knows how early curves tell (Li et al. 2018)."""

from __future__ import annotations

from pellux.core.reasons import because
from pellux.core.stopping.asynchronous_halving import AsynchronousSettings
from pellux.core.stopping.contract import KEEP, Park, TrialContext, Verdict
from pellux.core.stopping.ladder import Ladder
from pellux.core.stopping.record import Record
from pellux.core.stopping.successive_halving import among_the_best, whole


def brackets(ladder: Ladder, factor: int) -> list[tuple[int, int]]:
    """For each bracket its first rung and how many trials begin there: ceil((s_max + 1) / (s + 1) · factor**s)."""
    top = ladder.top
    return [(top - s, -(-(top + 1) * factor**s // (s + 1))) for s in range(top, -1, -1)]


def placed(number: int, ladder: Ladder, settings: AsynchronousSettings) -> tuple[int, int, int]:
    """Bracket, cohort and cohort size of a proposal."""
    return place(number, ladder, settings.factor)


def place(number: int, ladder: Ladder, factor: int) -> tuple[int, int, int]:
    """Bracket, cohort and cohort size of the trial that is proposed as `number`, from 0."""
    sizes = [size for _, size in brackets(ladder, factor)]
    turn, within = divmod(number, sum(sizes))
    bracket = 0
    while within >= sizes[bracket]:
        within -= sizes[bracket]
        bracket += 1
    return bracket, turn * len(sizes) + bracket, sizes[bracket]


def verdict(trial: TrialContext, record: Record, settings: AsynchronousSettings) -> Verdict:
    """What becomes of the trial; the method and its source stand above."""
    if trial.fold >= 0:
        return KEEP
    if record.working(trial.cohort) > 0 or not whole(trial.cohort, record):
        return Park(because("waits for its cohort", bracket=trial.bracket + 1, rung=trial.rung + 1))
    return among_the_best(trial, record, settings.factor)
