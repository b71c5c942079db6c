"""How the next configuration is proposed: one file a strategy, and their registry.

To add one, write `propose` in a file of its own and a line in `STRATEGIES`:

>>> from pellux.core.space import parse
>>> STRATEGIES["random"].propose(parse("depth: 2 .. 4 int"), [], [], 3, Chance(1, 1)).exhausted
False
"""

from __future__ import annotations

from dataclasses import dataclass

from pellux.core.errors import InvalidPlan
from pellux.core.strategies import (
    even_spread,
    evolution,
    gaussian_process,
    grid,
    parzen_density,
    population_training,
    random_draws,
    thrifty_descent,
)
from pellux.core.strategies.automatic import Pick, grid_size, pick
from pellux.core.strategies.contract import Chance, History, Lineage, Observation, Proposed, Strategy
from pellux.core.strategies.partial import Partial


@dataclass(frozen=True)
class Entry:
    """A strategy as people meet it: label, one sentence, the function.

    Attributes
    ----------
    heavy : bool
        A proposal takes long enough to be made in a process of its own.
    modelled : bool
        Proposals are what a model of the score expects most of.
    """

    label: str
    sentence: str
    propose: Strategy
    heavy: bool = False
    modelled: bool = False


AUTOMATIC = "automatic"
STRATEGIES = {
    "grid": Entry(
        "Grid",
        "Every combination of levels, once; only for small spaces, and it learns nothing on the way.",
        grid.propose,
    ),
    "random": Entry(
        "Random",
        "Independent draws, weighted by the priors; the honest yardstick for everything cleverer.",
        random_draws.propose,
    ),
    "even spread": Entry(
        "Even spread",
        "Points that fill the space without gaps or clumps; learns nothing, but leaves nothing unvisited.",
        even_spread.propose,
    ),
    "gaussian process": Entry(
        "Gaussian process",
        "A model of the score with its own doubt; goes where the most improvement is to be expected.",
        gaussian_process.propose,
        heavy=True,
        modelled=True,
    ),
    "parzen density": Entry(
        "Parzen density",
        "Draws where good trials are dense and poor ones rare; cheap with thousands of trials or many conditions.",
        parzen_density.propose,
        heavy=True,
    ),
    "evolution": Entry(
        "Evolution",
        "A population whose members step towards the best and along each other's differences; wants some hundred trials.",
        evolution.propose,
    ),
    "population training": Entry(
        "Population training",
        "Members train in intervals; the weak go on as changed copies of the strong, so settings change during training.",
        population_training.propose,
    ),
    "thrifty descent": Entry(
        "Thrifty descent",
        "Starts with the cheapest and goes where a second of training promises most; costly settings have to earn their price.",
        thrifty_descent.propose,
        heavy=True,
    ),
}


def labelled(key: str) -> str:
    """How a strategy is called on screen."""
    return "Automatic" if key == AUTOMATIC else strategy(key).label


def strategy(key: str) -> Entry:
    if key not in STRATEGIES:
        raise InvalidPlan(f"Strategy '{key}' is unknown. Allowed: {', '.join([AUTOMATIC, *STRATEGIES])}.", at="plan.strategy")
    return STRATEGIES[key]


__all__ = [
    "AUTOMATIC", "STRATEGIES", "Chance", "Entry", "History", "Lineage", "Observation", "Partial", "Pick", "Proposed", "Strategy",
    "grid_size", "labelled", "pick", "strategy",
]  # fmt: skip
