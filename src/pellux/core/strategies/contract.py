"""What every strategy is given and what it answers.

A strategy is a pure function `propose(space, history, pending, count, seeds[, settings]) -> Answer`. Its only state is the
history, so a search that is killed and started again gets the proposals it would have had. Scores in a history are turned so
that larger is better; a strategy never asks for the metric's direction.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Protocol

import numpy as np

from pellux.core.judging.limits import kept
from pellux.core.space import Configuration, Space, Value, identity

SHARED = 2**33  # a stream of its own beside those of the proposals


@dataclass(frozen=True)
class SeedStream:
    """Where randomness comes from: one stream a proposal, and one that all proposals of a search share.

    `number` counts the proposals of the search; the streams of a number are the same after any restart.
    """

    seed: int
    number: int

    def own(self) -> np.random.Generator:
        return np.random.default_rng([self.seed, self.number])

    def shared(self) -> np.random.Generator:
        return np.random.default_rng([self.seed, SHARED])

    def later(self, steps: int) -> SeedStream:
        return SeedStream(self.seed, self.number + steps)


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
    slack : tuple of float
        By how much it keeps each limit of the search, NaN where that was not measured; empty in a search without limits.
    beside : tuple of float
        What the score is weighed against, larger is better, NaN where it was not measured; empty where the score decides alone.
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
    slack: tuple[float, ...] = ()
    beside: tuple[float, ...] = ()

    @property
    def keeps(self) -> bool:
        """Whether it keeps all limits of the search."""
        return kept(self.slack)

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
class Suggest:
    """The configurations to try next: as many as were asked for, fewer where the space holds no more."""

    configurations: tuple[dict[str, Value], ...]


@dataclass(frozen=True)
class Wait:
    """Nothing can be said before a pending trial ends."""

    configurations: tuple[dict[str, Value], ...] = ()


@dataclass(frozen=True)
class Exhausted:
    """There is no further configuration to try."""

    configurations: tuple[dict[str, Value], ...] = ()


@dataclass(frozen=True)
class Continue:
    """A configuration that goes on from what another trial learnt.

    Attributes
    ----------
    parent : int or None
        The number of the trial from whose checkpoints it goes on; None for one that begins.
    rung : int
        The one rung that it works on: how far it is to get.
    member : int
        Whose turn it is, of those that go on beside each other.
    """

    configuration: dict[str, Value]
    parent: int | None
    rung: int
    member: int

    @property
    def configurations(self) -> tuple[dict[str, Value], ...]:
        return (self.configuration,)


Answer = Suggest | Wait | Exhausted | Continue


def suggested(found: Sequence[dict[str, Value]]) -> Suggest | Exhausted:
    """What was found; that nothing is left, when it is nothing."""
    return Suggest(tuple(found)) if found else Exhausted()


@dataclass(frozen=True)
class Growing:
    """What a strategy whose trials go on from each other has to divide.

    Attributes
    ----------
    trials : int
        How many the plan asks for.
    most : int
        All iterations of a whole training.
    steerable : tuple of str
        Settings that may change on the way.
    """

    trials: int
    most: int
    steerable: tuple[str, ...]


class Strategy(Protocol):
    """A strategy without settings; one with settings gets them as a last argument."""

    def __call__(
        self, space: Space, history: History, pending: Sequence[Configuration], count: int, seeds: SeedStream
    ) -> Answer: ...
