"""The kinds of parameter. Each checks itself, maps to [0, 1] and back, and counts its values.

`decode` rounds inside the map (`int`, `step`), so two positions that round alike are one value;
`encode` gives the middle of a value's interval, so `decode(encode(v)) == v`; `snap` does both for many positions at once.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from pellux.core.errors import InvalidSpace
from pellux.core.space.expressions import Expression
from pellux.core.space.limits import MOST_LEVELS, MOST_OPTIONS, check_count, check_value
from pellux.core.space.values import Value, word

Array = NDArray[np.float64]
GRID_LEVELS = 5  # values of a range on a grid when the space does not say
NAME = re.compile(r"[A-Za-z_][A-Za-z0-9_]*\Z")


@dataclass(frozen=True, kw_only=True)
class Parameter:
    """A named setting of the configuration.

    Attributes
    ----------
    condition : Expression or None
        Where the parameter has a value at all; everywhere when None.
    start : value or None
        What the first trial takes.
    costly : bool
        The cost of a fit grows with it.
    """

    name: str
    condition: Expression | None = None
    start: Value | None = None
    costly: bool = False

    def __post_init__(self) -> None:
        if not NAME.match(self.name):
            raise InvalidSpace(
                f"'{self.name}' is not a parameter name: letters, digits and _ only, not a digit first.", at=self.name
            )

    @property
    def count(self) -> int | None:
        """Number of distinct values; None when there are infinitely many."""
        raise NotImplementedError

    def decode(self, position: float) -> Value:
        raise NotImplementedError

    def encode(self, value: Value) -> float:
        raise NotImplementedError

    def contains(self, value: object) -> bool:
        raise NotImplementedError

    def values(self) -> Iterator[Value]:
        """All values in order; only for parameters with a `count`."""
        raise NotImplementedError

    def snap(self, positions: Array) -> Array:
        """`encode(decode(p))` of every position, shape (n,)."""
        raise NotImplementedError

    def grid(self) -> tuple[Value, ...]:
        """The values that a grid takes."""
        return tuple(self.values())

    def _check_start(self) -> None:
        if self.start is not None and not self.contains(self.start):
            raise InvalidSpace(f"{self.name}: the start {word(self.start)} is outside its range.", at=self.name)


@dataclass(frozen=True, kw_only=True)
class _Range(Parameter):
    """Shared by real and integer ranges: both ends belong, `log` needs a positive lower end."""

    low: float
    high: float
    log: bool = False
    step: float | None = None
    levels: int | None = None  # how many values a grid takes

    def __post_init__(self) -> None:
        super().__post_init__()
        check_levels(self.name, self.levels)
        for end in (self.low, self.high, *([self.step] if self.step is not None else [])):
            check_value(self.name, end)
        if not math.isfinite(self.high - self.low):
            raise InvalidSpace(f"{self.name}: the ends are too far apart for a difference.", at=self.name)
        if self.low >= self.high:
            raise InvalidSpace(
                f"{self.name}: the lower end must be below the upper end. Got {self.low:g} .. {self.high:g}."
                + (f" For one value write '{self.name}: {self.low:g}'." if self.low == self.high else ""),
                at=self.name,
            )
        if self.log and self.low <= 0:
            raise InvalidSpace(f"{self.name}: a log range needs a lower end above 0. Got {self.low:g}.", at=self.name)
        if self.step is not None and self.step <= 0:
            raise InvalidSpace(f"{self.name}: a step must be above 0. Got {self.step:g}.", at=self.name)
        if self.step is not None and self.step > self.high - self.low:
            raise InvalidSpace(
                f"{self.name}: a step of {self.step:g} leaves one value in {self.low:g} .. {self.high:g}.", at=self.name
            )

    @cached_property
    def _levels(self) -> int | None:
        return None if self.step is None else math.floor((self.high - self.low) / self.step + 1e-9) + 1

    @property
    def count(self) -> int | None:
        return self._levels

    def level(self, index: int) -> Value:
        raise NotImplementedError

    def values(self) -> Iterator[Value]:
        return (self.level(index) for index in range(self.count or 0))

    def grid(self) -> tuple[Value, ...]:
        """Evenly spaced on the parameter's own scale, both ends in; fewer when two would be the same value."""
        wanted = self.levels or GRID_LEVELS
        if self.count is not None and self.count <= wanted:
            return tuple(self.values())
        if wanted == 1:
            return (self.decode(0.5),)
        found = [self.low if i == 0 else self.high if i == wanted - 1 else self._on_scale(i / (wanted - 1)) for i in range(wanted)]
        return tuple(dict.fromkeys(self._nearest(value) for value in found))

    def _nearest(self, value: float) -> Value:
        """The allowed value nearest to a number inside the range."""
        if self.count is None:
            return float(value)
        return self.level(min(max(self._level_of(value), 0), self.count - 1))

    def snap(self, positions: Array) -> Array:
        positions = np.clip(positions, 0.0, 1.0)
        levels = self.count
        if levels is None:
            return positions
        if not self.log:
            found: Array = (np.minimum(np.floor(positions * levels), levels - 1) + 0.5) / levels
            return found
        step, ratio = self.step or 1, math.log(self.high) - math.log(self.low)
        index = np.rint((self.low * np.exp(positions * ratio) - self.low) / step).clip(0, levels - 1)
        below = np.log((self.low + (index - 0.5) * step).clip(self.low, self.high) / self.low) / ratio
        above = np.log((self.low + (index + 0.5) * step).clip(self.low, self.high) / self.low) / ratio
        above = np.where(index == levels - 1, 1.0, above)
        middle: Array = (below + above) / 2
        return middle

    def _on_scale(self, position: float) -> float:
        """The unrounded value at a position, by the range's own scale."""
        position = min(max(position, 0.0), 1.0)
        if self.log:
            return math.exp(math.log(self.low) + position * (math.log(self.high) - math.log(self.low)))
        return self.low + position * (self.high - self.low)

    def _position(self, value: float) -> float:
        if self.log:
            return (math.log(value) - math.log(self.low)) / (math.log(self.high) - math.log(self.low))
        return (value - self.low) / (self.high - self.low)

    def _interval(self, index: int) -> tuple[float, float]:
        """The stretch of [0, 1] that rounds to a level: equal shares, or log-spaced between the midpoints."""
        levels = self.count or 1
        if not self.log:
            return index / levels, (index + 1) / levels
        edges = [
            0.0 if index == 0 else self._between(index - 1),
            1.0 if index == levels - 1 else self._between(index),
        ]
        return edges[0], edges[1]

    def _between(self, index: int) -> float:
        middle = (float(self.level(index)) + float(self.level(index + 1))) / 2
        return min(self._position(middle), 1.0)

    def _nearest_level(self, position: float) -> Value:
        levels = self.count or 1
        if not self.log:
            return self.level(min(int(min(max(position, 0.0), 1.0) * levels), levels - 1))
        step = self.step or 1
        index = round((self._on_scale(position) - self.low) / step)
        return self.level(min(max(index, 0), levels - 1))

    def _level_of(self, value: float) -> int:
        return round((value - self.low) / (self.step or 1))


@dataclass(frozen=True, kw_only=True)
class Real(_Range):
    """A real number between two ends."""

    def __post_init__(self) -> None:
        super().__post_init__()
        self._check_start()

    def level(self, index: int) -> float:
        # Twelve significant digits: 0.1 * 3 reads 0.3, and the same level is always the same float.
        return float(f"{self.low + index * (self.step or 0.0):.12g}")

    def decode(self, position: float) -> float:
        if self.step is not None:
            return float(self._nearest_level(position))
        if position <= 0:
            return float(self.low)
        if position >= 1:
            return float(self.high)
        return min(max(self._on_scale(position), self.low), self.high)

    def encode(self, value: Value) -> float:
        if self.step is not None:
            return sum(self._interval(self._level_of(float(value)))) / 2
        return min(max(self._position(float(value)), 0.0), 1.0)

    def contains(self, value: object) -> bool:
        if isinstance(value, bool) or not isinstance(value, (int, float)) or not self.low <= value <= self.high:
            return False
        return self.step is None or math.isclose(self.level(self._level_of(value)), value, rel_tol=1e-9, abs_tol=1e-12)


@dataclass(frozen=True, kw_only=True)
class Integer(_Range):
    """A whole number between two ends; a Python int everywhere."""

    low: int
    high: int
    step: int | None = None

    def __post_init__(self) -> None:
        super().__post_init__()
        for end in (self.low, self.high, self.step):
            if end is not None and end != int(end):
                raise InvalidSpace(f"{self.name}: an int range takes whole numbers. Got {end:g}.", at=self.name)
        self._check_start()

    @property
    def count(self) -> int:
        return (self.high - self.low) // (self.step or 1) + 1

    def level(self, index: int) -> int:
        return self.low + index * (self.step or 1)

    def decode(self, position: float) -> int:
        return int(self._nearest_level(position))

    def encode(self, value: Value) -> float:
        return sum(self._interval(self._level_of(float(value)))) / 2

    def contains(self, value: object) -> bool:
        if isinstance(value, bool) or not isinstance(value, int) or not self.low <= value <= self.high:
            return False
        return (value - self.low) % (self.step or 1) == 0


@dataclass(frozen=True, kw_only=True)
class Choice(Parameter):
    """One of several values; a prior weight says how often a random draw takes it."""

    options: tuple[Value, ...]
    weights: tuple[float, ...]

    def __post_init__(self) -> None:
        super().__post_init__()
        if len(self.options) < 2:
            raise InvalidSpace(f"{self.name}: a choice needs at least two options.", at=self.name)
        if len(self.weights) != len(self.options):
            raise InvalidSpace(f"{self.name}: every option has one weight.", at=self.name)
        check_count(self.name, "options", len(self.options), MOST_OPTIONS)
        for option in self.options:
            check_value(self.name, option)
        if len({(type(option), option) for option in self.options}) < len(self.options):
            raise InvalidSpace(f"{self.name}: an option stands twice in the choice.", at=self.name)
        for weight in self.weights:
            if not (weight > 0 and math.isfinite(weight)):
                raise InvalidSpace(f"{self.name}: a weight must be above 0. Got {weight:g}.", at=self.name)
        if self.costly:
            raise InvalidSpace(f"{self.name}: only a number can be costly; a choice has no direction.", at=self.name)
        self._check_start()

    @property
    def count(self) -> int:
        return len(self.options)

    @cached_property
    def _edges(self) -> tuple[float, ...]:
        """Cumulative shares: option i owns the interval from edge i to edge i + 1."""
        total, edges, reached = sum(self.weights), [0.0], 0.0
        for weight in self.weights:
            reached += weight / total
            edges.append(reached)
        return (*edges[:-1], 1.0)

    def decode(self, position: float) -> Value:
        for option, edge in zip(self.options, self._edges[1:], strict=True):
            if position < edge:
                return option
        return self.options[-1]

    def encode(self, value: Value) -> float:
        index = self._index(value)
        return (self._edges[index] + self._edges[index + 1]) / 2

    def _index(self, value: Value) -> int:
        return next(i for i, option in enumerate(self.options) if type(option) is type(value) and option == value)

    def index(self, positions: Array) -> NDArray[np.intp]:
        """Which option each position means, shape (n,)."""
        return np.searchsorted(np.array(self._edges[1:-1]), positions, side="right")

    def snap(self, positions: Array) -> Array:
        edges = np.array(self._edges)
        middle: Array = ((edges[:-1] + edges[1:]) / 2)[self.index(positions)]
        return middle

    def contains(self, value: object) -> bool:
        return any(type(option) is type(value) and option == value for option in self.options)

    def values(self) -> Iterator[Value]:
        return iter(self.options)


@dataclass(frozen=True, kw_only=True)
class YesNo(Choice):
    """A switch: True or False."""

    options: tuple[Value, ...] = (True, False)
    weights: tuple[float, ...] = (1.0, 1.0)


@dataclass(frozen=True, kw_only=True)
class Fixed(Parameter):
    """A setting held at one value: written into every configuration, never searched."""

    value: Value

    def __post_init__(self) -> None:
        super().__post_init__()
        check_value(self.name, self.value)
        if self.costly or self.start is not None:
            raise InvalidSpace(f"{self.name}: a fixed value is neither started nor costly; it never changes.", at=self.name)

    @property
    def count(self) -> int:
        return 1

    def decode(self, position: float) -> Value:
        return self.value

    def encode(self, value: Value) -> float:
        return 0.5

    def contains(self, value: object) -> bool:
        return type(value) is type(self.value) and value == self.value

    def values(self) -> Iterator[Value]:
        return iter((self.value,))

    def snap(self, positions: Array) -> Array:
        return np.full(len(positions), 0.5)


def check_levels(name: str, levels: int | None) -> None:
    """InvalidSpace for fewer than one level of a grid; None leaves their number open."""
    if levels is not None and levels < 1:
        raise InvalidSpace(f"{name}: a grid takes at least 1 level. Got {levels}.", at=name)
    if levels is not None:
        check_count(name, "levels of a grid", levels, MOST_LEVELS)
