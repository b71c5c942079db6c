"""A space as columns of numbers for a surrogate.

Numbers keep their position in [0, 1], already snapped, so that two positions that round alike are one input. A choice
becomes one column an option: two different options are always the same distance apart (Hamming), however they are
listed. Inactive parameters stand at 0.5 and, where no choice tells the branches apart, an indicator column does.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np
from numpy.typing import NDArray

from pellux.core.space import Choice, Space
from pellux.core.space.expressions import names

Array = NDArray[np.float64]
APART = np.sqrt(0.5)  # one-hot columns of this height are one unit apart
NEUTRAL = 0.5  # where an inactive number stands


@dataclass(frozen=True)
class Coding:
    """Columns of features: first the numbers, in the order of their places, then choices, then indicators."""

    space: Space

    @staticmethod
    @lru_cache(maxsize=32)
    def of(space: Space) -> Coding:
        return Coding(space)

    @cached_property
    def numbers(self) -> NDArray[np.intp]:
        """Places of numeric parameters; feature column i stands for place `numbers[i]`."""
        return np.array([i for i, p in enumerate(self.space.searched) if not isinstance(p, Choice)], dtype=np.intp)

    @cached_property
    def choices(self) -> tuple[tuple[int, Choice], ...]:
        return tuple((i, p) for i, p in enumerate(self.space.searched) if isinstance(p, Choice))

    @cached_property
    def continuous(self) -> NDArray[np.bool_]:
        """Which numbers have infinitely many values."""
        return np.array([self.space.searched[i].count is None for i in self.numbers], dtype=bool)

    @cached_property
    def indicated(self) -> NDArray[np.intp]:
        """Places whose activity no choice shows: one for each distinct condition that asks for a number."""
        found: dict[str, int] = {}
        for place, p in enumerate(self.space.searched):
            if p.condition is not None:
                asked = [self.space.by_name[n] for n in names(p.condition)]
                if any(not isinstance(q, Choice) for q in asked):
                    found.setdefault(str(p.condition), place)
        return np.array(list(found.values()), dtype=np.intp)

    @cached_property
    def groups(self) -> NDArray[np.intp]:
        """Which length scale each feature column has: one a number, one a choice, one an indicator."""
        sizes = [1] * len(self.numbers) + [p.count for _, p in self.choices] + [1] * len(self.indicated)
        return np.repeat(np.arange(len(sizes)), sizes)

    @property
    def scales(self) -> int:
        return int(self.groups[-1]) + 1 if len(self.groups) else 0

    def features(self, points: Array) -> Array:
        """Feature columns of points of the unit cube (NaN where inactive), shape (n, columns)."""
        found = np.zeros((len(points), len(self.groups)))
        numbers = points[:, self.numbers]
        found[:, : len(self.numbers)] = np.where(np.isnan(numbers), NEUTRAL, numbers)
        column = len(self.numbers)
        for place, choice in self.choices:
            active = ~np.isnan(points[:, place])
            options = choice.index(np.where(active, points[:, place], 0.0))
            found[np.flatnonzero(active), column + options[active]] = APART
            column += choice.count
        found[:, column:] = np.isnan(points[:, self.indicated])
        return found
