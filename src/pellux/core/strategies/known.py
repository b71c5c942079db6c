"""The history of a search kept ready between proposals, so that a proposal costs as much at trial 50,000 as at trial 5.

What was gathered for the last proposal is brought up to date by what has ended since, in place of being gathered anew.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterable, Iterator, Sequence
from typing import overload

from pellux.core.space import Space
from pellux.core.strategies.contract import Observation
from pellux.core.strategies.partial import Growth, Partial, history

# Histories are sorted by this number, so that they never depend on who ended first; a later one of a number replaces it.
Placed = tuple[int, Observation | Partial]


class Ready(Sequence[Observation]):
    """A history with the identities of its configurations at hand. It is only lent: it changes with the next trial that ends."""

    def __init__(self, observations: list[Observation], identities: set[str]) -> None:
        self._observations, self.identities = observations, identities

    @overload
    def __getitem__(self, at: int) -> Observation: ...
    @overload
    def __getitem__(self, at: slice) -> list[Observation]: ...
    def __getitem__(self, at: int | slice) -> Observation | list[Observation]:
        return self._observations[at]

    def __len__(self) -> int:
        return len(self._observations)

    def __iter__(self) -> Iterator[Observation]:
        return iter(self._observations)


class Known:
    """All that a strategy may learn from: trials of this search, and what was known before it.

    Parameters
    ----------
    growth : Growth
        What the rungs of the search mean.
    learns : bool
        Whether scores matter: without, whatever a trial reached is told as it is.
    """

    def __init__(self, space: Space, growth: Growth, *, learns: bool = True) -> None:
        self._space, self._growth, self._learns = space, growth, learns
        self._places: list[int] = []
        self._found: list[Observation | Partial] = []
        self._alone: list[Observation] = []  # each by itself, where that says all
        self._identities: set[str] = set()
        self._lacking: set[int] = set()  # places of those that can be told only beside others
        self._compared = learns and growth.resource in ("rows", "iterations") and growth.top > 0

    def put(self, news: Iterable[Placed]) -> None:
        """Trials that have ended or gained a result since."""
        for place, found in news:
            at = bisect_left(self._places, place)
            alone = found if isinstance(found, Observation) else found.settled(self._growth.folds)
            if alone is None and isinstance(found, Partial):
                self._lacking.add(place)
                alone = found.bare
            else:
                self._lacking.discard(place)
            assert alone is not None
            if at < len(self._places) and self._places[at] == place:
                self._found[at], self._alone[at] = found, alone
                continue
            self._places.insert(at, place)
            self._found.insert(at, found)
            self._alone.insert(at, alone)
            self._identities.add(alone.identity)

    def history(self) -> Ready:
        """What a strategy learns from: each trial once, by its place, with scores that may be compared."""
        if self._compared or (self._learns and self._lacking):
            growth = self._growth
            return Ready(history(self._space, self._found, growth.folds, growth.resource, growth.top), self._identities)
        return Ready(self._alone, self._identities)
