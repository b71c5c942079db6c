"""What another problem taught: its trials of the same settings, as configurations of the space at hand."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from pellux.core.judging.fronts import standing
from pellux.core.space import Configuration, Space, Value

Array = NDArray[np.float64]
MOST_TRIALS = 64  # of a lesson: the best half, and an even share of the rest
FEWEST = 6  # trials with different scores that a lesson is made of


@dataclass(frozen=True, eq=False)
class Lesson:
    """The trials of another problem. Equal only to itself, so that what is made of it can be remembered.

    Attributes
    ----------
    likeness : float
        How alike that problem is, from 0 to 1.
    configurations : tuple of Configuration
        In the space at hand.
    scores : tuple of float
        Larger is better; in units of their own.
    beside : tuple of tuple of float
        What each trial has of the metrics that the score is weighed against, larger is better; empty where the score alone decides.
    """

    likeness: float
    configurations: tuple[Configuration, ...]
    scores: tuple[float, ...]
    beside: tuple[tuple[float, ...], ...] = ()

    @staticmethod
    def of(
        likeness: float, trials: Sequence[tuple[Configuration, float]], beside: Sequence[tuple[float, ...]] = ()
    ) -> Lesson | None:
        """Of the most telling trials; None where they are too few to tell anything of each metric. `beside` has nothing of any trial,
        or of each what the score is weighed against."""
        if likeness <= 0 or len(trials) < FEWEST:
            return None
        values = np.column_stack([[score for _, score in trials], *zip(*beside, strict=True)])
        if any(len(set(column)) < FEWEST for column in values.T.tolist()):
            return None
        several = values.shape[1] > 1
        kept = _telling(standing(values) if several else values[:, 0])
        told = tuple(beside[i] for i in kept) if several else ()
        return Lesson(likeness, tuple(trials[i][0] for i in kept), tuple(trials[i][1] for i in kept), told)

    @property
    def values(self) -> Array:
        """The score and what it is weighed against, shape (trials, metrics)."""
        return np.column_stack([self.scores, self.beside] if self.beside else [self.scores])


def _telling(scores: np.ndarray) -> list[int]:
    """Which trials to keep, in their order."""
    if len(scores) <= MOST_TRIALS:
        return list(range(len(scores)))
    order = np.argsort(-scores, kind="stable")
    best, rest = order[: MOST_TRIALS // 2], order[MOST_TRIALS // 2 :]
    even = rest[np.linspace(0, len(rest) - 1, MOST_TRIALS - len(best)).astype(int)]
    return sorted({*best.tolist(), *even.tolist()})


def adapted(space: Space, configuration: Mapping[str, Value], defaults: Mapping[str, Value]) -> dict[str, Value] | None:
    """What a configuration of another space comes to in this one, None where it lies outside.

    Settings that are not searched here are left aside: what they did there is taken for noise.
    """
    names = space.by_name
    return space.placed(
        {name: value for name, value in configuration.items() if name in names},
        {name: value for name, value in defaults.items() if name in names},
    )
