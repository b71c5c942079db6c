"""What every strategy is given and what it answers.

A strategy is a pure function `propose(space, history, pending, count, chance) -> Proposed`. Its only state is the history,
so a search that is killed and started again gets the proposals it would have had. Scores in a history are turned so
that larger is better; a strategy never asks for the metric's direction.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Protocol

import numpy as np

from pellux.core.space import Configuration, Space, Value, identity

SHARED = 2**33  # a stream of its own beside those of the proposals


@dataclass(frozen=True)
class Chance:
    """Where randomness comes from: one stream a proposal, and one that all proposals of a search share.

    `number` counts the proposals of the search; the streams of a number are the same after any restart.
    """

    seed: int
    number: int

    def own(self) -> np.random.Generator:
        return np.random.default_rng([self.seed, self.number])

    def shared(self) -> np.random.Generator:
        return np.random.default_rng([self.seed, SHARED])

    def later(self, steps: int) -> Chance:
        return Chance(self.seed, self.number + steps)


@dataclass(frozen=True)
class Observation:
    """One finished trial as a strategy sees it.

    Attributes
    ----------
    scores : tuple of float or None, one a fold
        Larger is better; None for a fold that was not scored.
    seconds : float
        Cost of all its fits.
    state : str
        'scored', 'pruned', 'failed' or 'withdrawn'.
    elsewhere : bool
        It comes from another search or a file: known, but not one of this search's own proposals.
    estimate : float or None
        The mean it would have in full, of a trial that ended early but can be compared.
    share : float
        How much of the folds that rests on.
    number, rung, member : int
        Its number in the search, the rung it reached and, in a population, whose it is.
    """

    configuration: Configuration
    scores: tuple[float | None, ...]
    seconds: float
    state: str
    elsewhere: bool = False
    estimate: float | None = None
    share: float = 1.0
    number: int = 0
    rung: int = 0
    member: int = 0

    @cached_property
    def identity(self) -> str:
        """Equal exactly for observations of the same configuration."""
        return identity(self.configuration)

    @cached_property
    def mean(self) -> float | None:
        """Mean score of a trial that was scored in full, or its estimate; else None."""
        if self.estimate is not None:
            return self.estimate
        found = [score for score in self.scores if score is not None]
        if self.state != "scored" or not found or len(found) < len(self.scores):
            return None
        mean = sum(found) / len(found)
        return mean if np.isfinite(mean) else None

    @property
    def bad(self) -> bool:
        """It told that this configuration does not work."""
        return self.state == "failed" or (self.state == "scored" and self.mean is None)


History = Sequence[Observation]


@dataclass(frozen=True)
class Lineage:
    """Where a proposal of a population goes on: from which trial, to which rung, as whose next interval."""

    parent: int | None
    rung: int
    member: int


@dataclass(frozen=True)
class Proposed:
    """An answer: the configurations to try next; `exhausted` when the space holds no further one.

    `waits` when nothing can be said before a pending trial ends. `lineage` goes with the configurations of a population.
    """

    configurations: tuple[dict[str, Value], ...]
    exhausted: bool = False
    waits: bool = False
    lineage: tuple[Lineage, ...] = ()


class Strategy(Protocol):
    def __call__(
        self, space: Space, history: History, pending: Sequence[Configuration], count: int, chance: Chance
    ) -> Proposed: ...
