"""When a trial ends early: one file a rule, and their registry.

To add one, write `verdict` in a file of its own and a line in `RULES`:

>>> RULES["plateau"].resources
('iterations',)
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from pellux.core.errors import InvalidPlan
from pellux.core.settings import names_of
from pellux.core.stopping import (
    asynchronous_halving,
    fold_race,
    hyperband,
    median_rule,
    none,
    one_fold,
    plateau,
    successive_halving,
)
from pellux.core.stopping.contract import KEEP, Enough, Judge, Keep, NoSettings, Park, Prune, TrialContext, Verdict, settings_of
from pellux.core.stopping.ladder import (
    FOLDS,
    ITERATIONS,
    RESOURCES,
    ROWS,
    Ladder,
    bold,
    fold_by_fold,
    geometric,
    points,
    telling_share,
    usual_least,
)
from pellux.core.stopping.record import Curve, Record, best_common


@dataclass(frozen=True)
class Rule:
    """A rule as people meet it.

    Attributes
    ----------
    resources : tuple of str
        What it can work on, the preferred one first.
    climbs : bool
        It compares trials rung by rung on a ladder whose rungs grow by a factor.
    watches : bool
        It looks at curves while fits run, when the resource is iterations.
    placed : function of (number of the proposal, ladder, settings), or None
        Bracket, cohort and cohort size, for rules that compare cohorts.
    one_by_one : bool
        A cohort ends before the next begins.
    ladder : function of (settings, folds), or None
        The rungs, for rules that say so themselves.
    """

    label: str
    sentence: str
    verdict: Judge
    settings: type[Any]
    resources: tuple[str, ...] = ()
    climbs: bool = False
    watches: bool = False
    placed: Callable[[int, Ladder, Any], tuple[int, int, int]] | None = None
    one_by_one: bool = False
    ladder: Callable[[Any, int], Ladder] | None = None

    @property
    def names(self) -> dict[str, tuple[Any, str]]:
        """Its settings as people write them, with default and sentence."""
        return names_of(self.settings)


GROWING = (ITERATIONS, ROWS, FOLDS)
RULES = {
    "none": Rule("None", "Every trial runs in full.", none.verdict, NoSettings, RESOURCES),
    "median rule": Rule(
        "Median rule", "Ends a trial whose best so far is below the median of what others had on average by then.",
        median_rule.verdict, median_rule.MedianSettings, (ITERATIONS, FOLDS), watches=True,
    ),
    "plateau": Rule(
        "Plateau", "Ends a fit whose curve gains no more, and a trial whose curve never left its start.",
        plateau.verdict, plateau.PlateauSettings, (ITERATIONS,), watches=True,
    ),
    "fold race": Rule(
        "Fold race", "After each fold, ends a trial that has next to no chance of overtaking the best one.",
        fold_race.verdict, fold_race.RaceSettings, (FOLDS,),
    ),
    "one fold": Rule(
        "One fold", "Scores trials on one chosen fold, the best few on all: cheap, but the winner may owe its place to that fold.",
        one_fold.verdict, one_fold.OneFoldSettings, (FOLDS,), placed=one_fold.placed, ladder=one_fold.ladder,
    ),
    "successive halving": Rule(
        "Successive halving", "A cohort gets a little, its best part more, and so on: rung by rung, together.",
        successive_halving.verdict, successive_halving.HalvingSettings, GROWING, climbs=True,
        placed=successive_halving.placed, one_by_one=True,
    ),
    "asynchronous halving": Rule(
        "Asynchronous halving", "The best part of each rung goes on as soon as it shows; no worker ever waits.",
        asynchronous_halving.verdict, asynchronous_halving.AsynchronousSettings, GROWING, climbs=True,
    ),
    "hyperband": Rule(
        "Hyperband", "Halving in brackets, some bolder and some more patient, when nobody knows how early curves tell.",
        hyperband.verdict, asynchronous_halving.AsynchronousSettings, GROWING, climbs=True, placed=hyperband.placed,
    ),
}  # fmt: skip


def rule(key: str) -> Rule:
    """A registry entry by its key; InvalidPlan for one that is not known."""
    if key not in RULES:
        raise InvalidPlan(
            f"Early stopping '{key}' is unknown. Allowed: {', '.join([AUTOMATIC, *RULES])}.", at="plan.early stopping"
        )
    return RULES[key]


AUTOMATIC = "automatic"

__all__ = [
    "AUTOMATIC", "FOLDS", "ITERATIONS", "KEEP", "RESOURCES", "ROWS", "RULES", "Curve", "Enough", "Keep", "Ladder", "Park", "Prune",
    "Record", "Rule", "TrialContext", "Verdict", "best_common", "bold", "fold_by_fold", "geometric", "points", "rule", "settings_of", "telling_share", "usual_least",
]  # fmt: skip
