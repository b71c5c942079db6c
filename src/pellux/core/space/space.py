"""A search space: parameters in order, a map to the unit cube, counting, identity of configurations."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from math import prod

import numpy as np
from numpy.typing import NDArray

from pellux.core.errors import InvalidSpace
from pellux.core.space.parameters import Fixed, Parameter, Value

Configuration = Mapping[str, Value]
Array = NDArray[np.float64]


@dataclass(frozen=True)
class Space:
    """The parameters of a search. `searched` are those with more than one value; `fixed` ride along."""

    parameters: tuple[Parameter, ...]

    def __post_init__(self) -> None:
        names = [parameter.name for parameter in self.parameters]
        for name in names:
            if names.count(name) > 1:
                raise InvalidSpace(f"{name}: this parameter stands twice in the space.", at=name)

    @cached_property
    def searched(self) -> tuple[Parameter, ...]:
        return tuple(p for p in self.parameters if not isinstance(p, Fixed))

    @property
    def dimension(self) -> int:
        return len(self.searched)

    @cached_property
    def count(self) -> int | None:
        """Number of configurations; None when a real parameter makes them infinitely many."""
        counts = [p.count for p in self.parameters]
        return None if any(c is None for c in counts) else prod(c or 1 for c in counts)

    def decode(self, point: Sequence[float] | Array) -> dict[str, Value]:
        """The configuration at a point of the unit cube.

        Parameters
        ----------
        point : sequence of float, length `dimension`
            One position in [0, 1] for each searched parameter, in order.
        """
        positions = iter(point)
        return {p.name: p.value if isinstance(p, Fixed) else p.decode(float(next(positions))) for p in self.parameters}

    def encode(self, configuration: Configuration) -> Array:
        """The point of the unit cube that stands for a configuration, shape (dimension,)."""
        return np.array([p.encode(configuration[p.name]) for p in self.searched], dtype=float)

    def nth(self, index: int) -> dict[str, Value]:
        """The configuration with a given index, 0 <= index < count, in a finite space."""
        configuration: dict[str, Value] = {}
        for parameter in reversed(self.parameters):
            index, place = divmod(index, parameter.count or 1)
            configuration[parameter.name] = _nth_value(parameter, place)
        return {p.name: configuration[p.name] for p in self.parameters}

    def check(self, configuration: Configuration) -> None:
        """Raise InvalidSpace unless the configuration lies in the space."""
        for parameter in self.parameters:
            if parameter.name not in configuration:
                raise InvalidSpace(f"{parameter.name}: no value given.", at=parameter.name)
            if not parameter.contains(configuration[parameter.name]):
                raise InvalidSpace(f"{parameter.name}: {configuration[parameter.name]!r} is outside the space.", at=parameter.name)
        unknown = set(configuration) - {p.name for p in self.parameters}
        if unknown:
            name = sorted(unknown)[0]
            raise InvalidSpace(f"{name}: the space has no such parameter.", at=name)


def _nth_value(parameter: Parameter, index: int) -> Value:
    level = getattr(parameter, "level", None)  # ranges reach a level without walking there
    if level is not None:
        value: Value = level(index)
        return value
    return list(parameter.values())[index]


def identity(configuration: Configuration) -> str:
    """A text that is equal exactly when two configurations are the same one."""
    return json.dumps(dict(configuration), sort_keys=True, separators=(",", ":"))
