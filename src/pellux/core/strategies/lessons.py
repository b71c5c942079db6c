"""What another problem taught: its trials of the same settings, as configurations of the space at hand."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from pellux.core.space import Configuration, Space, Value

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
    """

    likeness: float
    configurations: tuple[Configuration, ...]
    scores: tuple[float, ...]

    @staticmethod
    def of(likeness: float, trials: Sequence[tuple[Configuration, float]]) -> Lesson | None:
        """Of the most telling trials; None where they are too few to tell anything."""
        if likeness <= 0 or len({score for _, score in trials}) < FEWEST:
            return None
        kept = [trials[i] for i in _telling(np.array([score for _, score in trials]))]
        return Lesson(likeness, tuple(c for c, _ in kept), tuple(score for _, score in kept))


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
