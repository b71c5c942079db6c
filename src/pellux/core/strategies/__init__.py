"""How the next configuration is proposed: one file a strategy, and their registry.

To add one, write `propose` in a file of its own and a line in `STRATEGIES`:

>>> from numpy.random import default_rng
>>> from pellux.core.space import parse
>>> STRATEGIES["random"].propose(parse("depth: 2 .. 4 int"), [], [], 3, default_rng(1)).exhausted
False
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pellux.core.errors import InvalidPlan
from pellux.core.strategies import random_draws
from pellux.core.strategies.contract import History, Observation, Proposed, Strategy


@dataclass(frozen=True)
class Entry:
    """A strategy as people meet it: label, one sentence, the function."""

    label: str
    sentence: str
    propose: Strategy


STRATEGIES = {
    "random": Entry(
        "Random",
        "Independent draws, weighted by the priors; the honest yardstick for everything cleverer.",
        random_draws.propose,
    ),
}


def strategy(key: str) -> Entry:
    if key not in STRATEGIES:
        raise InvalidPlan(f"Strategy '{key}' is unknown. Allowed: {', '.join(STRATEGIES)}.", at="plan.strategy")
    return STRATEGIES[key]


def generator(seed: int, number: int) -> np.random.Generator:
    """The random generator of proposal `number` of a search: the same after any restart."""
    return np.random.default_rng([seed, number])


__all__ = ["STRATEGIES", "Entry", "History", "Observation", "Proposed", "Strategy", "generator", "strategy"]
