"""A parameter drawn from a distribution instead of a range: `jitter: ~ normal(0, 0.1)`.

The map to [0, 1] is the distribution function itself, so an even draw of positions is a draw from the distribution.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np
import scipy

from pellux.core.errors import InvalidSpace
from pellux.core.space.parameters import GRID_LEVELS, Array, Parameter, check_levels
from pellux.core.space.values import Value

TAIL = 1e-6  # share of each tail that is never drawn; a normal ends 4.75 standard deviations out


@dataclass(frozen=True)
class Family:
    """A kind of distribution: its arguments, its quantile and distribution functions, its least value."""

    arguments: tuple[str, ...]
    quantile: Callable[..., float]
    cumulative: Callable[..., float]
    positive: tuple[str, ...]
    least: float = -math.inf
    most: float = math.inf


FAMILIES = {
    "normal": Family(
        ("mean", "sd"),
        lambda p, mean, sd: mean + sd * scipy.special.ndtri(p),
        lambda x, mean, sd: scipy.special.ndtr((x - mean) / sd),
        positive=("sd",),
    ),
    "lognormal": Family(
        ("median", "sd of the log"),
        lambda p, median, sd: median * math.exp(sd * scipy.special.ndtri(p)),
        lambda x, median, sd: scipy.special.ndtr(math.log(x / median) / sd) if x > 0 else 0.0,
        positive=("median", "sd of the log"),
        least=math.ulp(0.0),
    ),
    "exponential": Family(
        ("mean",),
        lambda p, mean: -mean * math.log1p(-p),
        lambda x, mean: -math.expm1(-x / mean),
        positive=("mean",),
        least=0.0,
    ),
    "beta": Family(
        ("a", "b"),
        lambda p, a, b: scipy.special.betaincinv(a, b, p),
        lambda x, a, b: scipy.special.betainc(a, b, x),
        positive=("a", "b"),
        least=0.0,
        most=1.0,
    ),
}


@dataclass(frozen=True, kw_only=True)
class Distributed(Parameter):
    """A real number drawn from a named distribution."""

    family: str
    arguments: tuple[float, ...]
    levels: int | None = None

    def __post_init__(self) -> None:
        super().__post_init__()
        check_levels(self.name, self.levels)
        if self.family not in FAMILIES:
            allowed = ", ".join(f"{key}({', '.join(f.arguments)})" for key, f in FAMILIES.items())
            raise InvalidSpace(f"{self.name}: '{self.family}' is no distribution known here. Allowed: {allowed}.", at=self.name)
        wanted = self._family.arguments
        if len(self.arguments) != len(wanted):
            raise InvalidSpace(
                f"{self.name}: {self.family} takes {len(wanted)} numbers ({', '.join(wanted)}). Got {len(self.arguments)}.",
                at=self.name,
            )
        for label, value in zip(wanted, self.arguments, strict=True):
            if not math.isfinite(value) or (label in self._family.positive and value <= 0):
                raise InvalidSpace(f"{self.name}: the {label} of a {self.family} is above 0. Got {value:g}.", at=self.name)
        self._check_start()

    @property
    def _family(self) -> Family:
        return FAMILIES[self.family]

    @property
    def count(self) -> None:
        return None

    def decode(self, position: float) -> float:
        return float(self._family.quantile(min(max(position, TAIL), 1 - TAIL), *self.arguments))

    def encode(self, value: Value) -> float:
        return float(min(max(self._family.cumulative(float(value), *self.arguments), 0.0), 1.0))

    def contains(self, value: object) -> bool:
        if isinstance(value, bool) or not isinstance(value, (int, float)) or not math.isfinite(value):
            return False
        return self._family.least <= value <= self._family.most

    def values(self) -> Iterator[Value]:
        raise TypeError("A distribution has no list of values.")

    def snap(self, positions: Array) -> Array:
        return np.clip(positions, TAIL, 1 - TAIL)

    def grid(self) -> tuple[Value, ...]:
        """The middles of equally likely shares."""
        levels = self.levels or GRID_LEVELS
        return tuple(self.decode((i + 0.5) / levels) for i in range(levels))
