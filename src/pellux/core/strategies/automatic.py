"""Automatic: picks a strategy by size of the space, conditions, budget and cost, and says why in one sentence."""

from __future__ import annotations

from dataclasses import dataclass

from pellux.core.errors import InvalidSpace
from pellux.core.space import Choice, Counting, Space
from pellux.core.strategies.gaussian_process import FIRST_TRIALS
from pellux.core.strategies.grid import lattice

MANY_PARAMETERS = 200  # up to here the Gaussian process was measured, and is far ahead (benchmarks/strategies/many.py)
MANY_TRIALS = 5000
SHORT = 3.0  # minutes below which money matters more than trials, when settings are costly


@dataclass(frozen=True)
class Pick:
    """A strategy and the reason for it."""

    key: str
    reason: str


def pick(space: Space, trials: int, minutes: float | None = None) -> Pick:
    """The strategy for a space and a budget.

    Parameters
    ----------
    trials : int
        How many trials the budget allows.
    minutes : float or None
        How long it may take.
    """
    total = Counting.of(space).total
    if total is not None and total <= trials:
        return Pick("grid", f"The space holds {total:,} configurations and the budget {trials:,} trials: all are tried.")
    if trials <= FIRST_TRIALS:
        return Pick(
            "even spread", f"With {trials} trials for {_parameters(space)} a model would learn too little; they are spread evenly."
        )
    if minutes is not None and minutes <= SHORT and any(p.costly for p in space.parameters):
        costly = ", ".join(p.name for p in space.parameters if p.costly)
        return Pick(
            "gain per second", f"{minutes:g} minutes are short and {costly} is costly: start cheap, pay more only while it helps."
        )
    if trials > MANY_TRIALS:
        return Pick(
            "parzen density", f"{trials:,} trials: a density keeps proposals cheap where a Gaussian process would slow down."
        )
    if space.dimension > MANY_PARAMETERS:
        return Pick(
            "parzen density",
            f"{space.dimension} parameters are more than a model was measured with; densities stay quick with any number.",
        )
    why = "a model of the score finds good configurations in the fewest trials"
    return Pick("gaussian process", f"{trials:,} trials for {_parameters(space)}: {why}.")


def _parameters(space: Space) -> str:
    choices = sum(isinstance(p, Choice) for p in space.searched)
    conditions = ", some conditional" if space.conditional else ""
    plural = "" if space.dimension == 1 else "s"
    return f"{space.dimension} parameter{plural}" + (
        f" ({choices} choice{'' if choices == 1 else 's'}{conditions})" if choices else conditions
    )


def grid_size(space: Space) -> int | None:
    """How many points a grid would have; None when it is too large to walk."""
    try:
        return Counting.of(lattice(space)).total
    except InvalidSpace:
        return None
