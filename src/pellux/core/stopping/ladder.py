"""Rungs: how much of a resource a trial gets before each verdict.

The last rung is always the full resource; every rung below has `factor` times less, down to `least`.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from pellux.core.errors import InvalidPlan

ROWS, ITERATIONS, FOLDS = "rows", "iterations", "folds"
RESOURCES = (ROWS, ITERATIONS, FOLDS)
USUAL_BELOW = 3  # rungs below the whole
CAREFUL_BELOW = 2  # where rows grow and nobody knows how much so few of them tell
BOLD = 9  # by how much the one rung rises where a model proposes
TELLING_FOR_BOLD = 1 / 27  # of the rows must tell something for it
OF_EACH_CLASS = 30  # rows of the rarest class, and rows in all where numbers are predicted, from which on
OF_NUMBERS = 60  # a model says something about the whole. Measured: 79 rows do, 13 of the rarest class do not (docs/benchmarks.md)


@dataclass(frozen=True)
class Ladder:
    """Rising amounts of a resource.

    Attributes
    ----------
    resource : str
        'rows', 'iterations' or 'folds'; empty when nothing grows (then there is one rung, of amount 1).
    levels : tuple of int
        Rows, iterations or folds after each rung; the last is all.
    first : int
        Which fold comes first, from 0; the others follow in their order.
    """

    resource: str = ""
    levels: tuple[int, ...] = (1,)
    first: int = 0

    @property
    def most(self) -> int:
        return self.levels[-1]

    @property
    def top(self) -> int:
        """The last rung's number, from 0."""
        return len(self.levels) - 1

    def share(self, rung: int) -> float:
        """How much of a whole trial's work is done after a rung.

        Rows are learnt anew at every rung; iterations and folds go on where the last rung ended.
        """
        if rung < 0:
            return 0.0
        spent = sum(self.levels[: rung + 1]) if self.resource == ROWS else self.levels[rung]
        return spent / self.most

    def folds(self, rung: int, folds: int) -> Sequence[int]:
        """The folds that are fitted at a rung."""
        if self.resource != FOLDS:
            return range(folds)
        here = slice(self.levels[rung - 1] if rung else 0, self.levels[rung])
        if self.first == 0:
            return range(folds)[here]
        return [self.first, *(fold for fold in range(folds) if fold != self.first)][here]


def telling_share(learnt: int, rarest: int | None) -> float:
    """The share of a fold's training rows below which a model would say little about the whole.

    Parameters
    ----------
    learnt : int
        Rows that the fold learns from.
    rarest : int or None
        Rows of the rarest class among them; None where numbers are predicted.
    """
    wanted, there = (OF_NUMBERS, learnt) if rarest is None else (OF_EACH_CLASS, rarest)
    return min(wanted / max(there, 1), 1.0)


def usual_least(resource: str, most: int, factor: int, telling: float | None = None) -> int:
    """Where the first rung lies when nobody says; never under 1.

    Three rungs below the whole. Few rows mislead more than few iterations do: where rows grow, not below the `telling`
    share of them but one rung below the whole at the least, and two rungs where that share is not known.
    """
    rungs = USUAL_BELOW
    if resource == ROWS and telling is None:
        rungs = CAREFUL_BELOW
    elif resource == ROWS and telling is not None:
        rungs = next((n for n in range(USUAL_BELOW, 1, -1) if factor**-n >= telling), 1)
    return max(round(most / int(factor**rungs)), 1)


def bold(most: int, telling: float | None) -> dict[str, int]:
    """Settings of asynchronous halving where rows grow and a model proposes; none where rows are few.

    One rung, at a ninth of the rows, and the best ninth of it goes on. Every rung learns its rows anew, so each of them
    costs as much as the whole; what a model proposes is good already, and needs less sifting and more scores in full.
    Where even a 27th of the rows tells something, a ninth ranks well enough for it: see docs/benchmarks.md.
    """
    return {"factor": BOLD, "least": round(most / BOLD)} if telling is not None and telling <= TELLING_FOR_BOLD else {}


def geometric(resource: str, least: int, most: int, factor: int) -> Ladder:
    """A ladder whose rungs grow by `factor`; InvalidPlan says what is wrong with the numbers."""
    if factor < 2:
        raise InvalidPlan(f"The factor between rungs is 2 or more. Got {factor}.", at="plan.stopping.factor")
    if least < 1:
        raise InvalidPlan(f"The first rung has at least 1 of {resource}. Got {least}.", at="plan.stopping.least")
    if least >= most:
        raise InvalidPlan(
            f"The first rung ({least:,} {resource}) must lie below the whole ({most:,} {resource}); else nothing could stop early.",
            at="plan.stopping.least",
        )
    levels = [most]
    while levels[0] > least:
        below = max(round(most / factor ** len(levels)), 1)
        if below < least or below >= levels[0]:
            break
        levels.insert(0, below)
    if len(levels) < 2:
        levels.insert(0, least)
    return Ladder(resource, tuple(levels))


def fold_by_fold(least: int, folds: int) -> Ladder:
    """A rung for every fold from `least` on."""
    if least >= folds:
        raise InvalidPlan(
            f"{least} folds before the first verdict of {folds} in all leave nothing to stop early.", at="plan.stopping.least"
        )
    return Ladder(FOLDS, tuple(range(least, folds + 1)))


def points(levels: Sequence[int], most_points: int) -> tuple[int, ...]:
    """The iterations at which scores are told: every rung, and evenly between, about `most_points` in all."""
    most = levels[-1]
    step = max(1, -(-most // most_points))
    return tuple(sorted({*levels, *range(step, most + 1, step)}))
