"""What every strategy is given and what it answers.

A strategy is a pure function `propose(space, history, pending, count, rng) -> Proposed`. Its only state is the history,
so a search that is killed and started again gets the proposals it would have had. Scores in a history are turned so
that larger is better; a strategy never asks for the metric's direction.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Protocol

from numpy.random import Generator

from pellux.core.space import Configuration, Space, identity


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
    """

    configuration: Configuration
    scores: tuple[float | None, ...]
    seconds: float
    state: str

    @cached_property
    def identity(self) -> str:
        """Equal exactly for observations of the same configuration."""
        return identity(self.configuration)


History = Sequence[Observation]


@dataclass(frozen=True)
class Proposed:
    """An answer: the configurations to try next; `exhausted` when the space holds no further one."""

    configurations: tuple[dict[str, float | int | str | bool], ...]
    exhausted: bool = False


class Strategy(Protocol):
    def __call__(
        self, space: Space, history: History, pending: Sequence[Configuration], count: int, rng: Generator
    ) -> Proposed: ...
