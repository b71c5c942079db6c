"""A search space: parameters in order, conditions, requirements, a map to the unit cube, identity of configurations."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from pellux.core.errors import InvalidSpace
from pellux.core.space.expressions import Expression, holds, names, violation, with_words
from pellux.core.space.limits import MOST_PARAMETERS, MOST_REQUIREMENTS, check_count
from pellux.core.space.parameters import Array, Choice, Fixed, Parameter
from pellux.core.space.values import Value, same, word

Configuration = Mapping[str, Value]


@dataclass(frozen=True)
class Space:
    """The parameters of a search. `searched` are those with more than one value; `fixed` ride along.

    A configuration holds the parameters that are active in it. A point of the unit cube has one position for each
    searched parameter, NaN where it is inactive.
    """

    parameters: tuple[Parameter, ...]
    requirements: tuple[Expression, ...] = ()

    def __post_init__(self) -> None:
        names_ = [parameter.name for parameter in self.parameters]
        check_count("The space", "parameters", len(names_), MOST_PARAMETERS)
        check_count("The space", "requirements", len(self.requirements), MOST_REQUIREMENTS)
        known = frozenset(names_)
        if len(known) < len(names_):
            name = next(n for n in names_ if names_.count(n) > 1)
            raise InvalidSpace(f"{name}: this parameter stands twice in the space.", at=name)
        bound = tuple(p if p.condition is None else replace(p, condition=with_words(p.condition, known)) for p in self.parameters)
        object.__setattr__(self, "parameters", bound)
        object.__setattr__(self, "requirements", tuple(with_words(r, known) for r in self.requirements))
        _ = self.order  # refuses circles

    @cached_property
    def searched(self) -> tuple[Parameter, ...]:
        return tuple(p for p in self.parameters if not isinstance(p, Fixed))

    @property
    def dimension(self) -> int:
        return len(self.searched)

    @cached_property
    def by_name(self) -> dict[str, Parameter]:
        return {p.name: p for p in self.parameters}

    @cached_property
    def place(self) -> dict[str, int]:
        """Which coordinate of a point stands for a searched parameter."""
        return {p.name: i for i, p in enumerate(self.searched)}

    @property
    def conditional(self) -> bool:
        return any(p.condition is not None for p in self.parameters)

    @cached_property
    def order(self) -> tuple[Parameter, ...]:
        """The parameters, each after those that its condition names."""
        left, done, found = list(self.parameters), set[str](), list[Parameter]()
        while left:
            ready = [p for p in left if p.condition is None or set(names(p.condition)) <= done]
            if not ready:
                circle = " → ".join([*_circle(left), _circle(left)[0]])
                raise InvalidSpace(f"The conditions run in a circle: {circle}.", at=left[0].name)
            found += ready
            done |= {p.name for p in ready}
            left = [p for p in left if p.name not in done]
        return tuple(found)

    # The unit cube

    def decode(self, point: Sequence[float] | Array) -> dict[str, Value]:
        """The configuration at a point of the unit cube.

        Parameters
        ----------
        point : sequence of float, length `dimension`
            One position in [0, 1] for each searched parameter, in order; those of inactive parameters do not matter.
        """
        if not self.conditional:
            positions = iter(point)
            return {p.name: p.value if isinstance(p, Fixed) else p.decode(float(next(positions))) for p in self.parameters}
        found: dict[str, Value] = {}
        for p in self.order:
            if p.condition is None or holds(p.condition, found):
                found[p.name] = p.value if isinstance(p, Fixed) else p.decode(_position(point[self.place[p.name]]))
        return {p.name: found[p.name] for p in self.parameters if p.name in found}

    def encode(self, configuration: Configuration) -> Array:
        """The point of the unit cube that stands for a configuration, shape (dimension,); NaN where inactive."""
        return np.array(
            [p.encode(configuration[p.name]) if p.name in configuration else np.nan for p in self.searched], dtype=float
        )

    def snap(self, points: Array) -> Array:
        """`encode(decode(point))` of every row, shape (n, dimension)."""
        found = np.empty_like(points)
        for i, parameter in enumerate(self.searched):
            found[:, i] = parameter.snap(np.where(np.isnan(points[:, i]), 0.5, points[:, i]))
        if self.conditional:
            found[~self.active(found)] = np.nan
        return found

    def active(self, points: Array) -> np.ndarray[tuple[int, ...], np.dtype[np.bool_]]:
        """Which coordinates count at each of many snapped points without NaN, shape (n, dimension)."""
        switches = sorted({self.place[n] for p in self.parameters if p.condition for n in names(p.condition) if n in self.place})
        if not switches:  # conditions on fixed values: the same everywhere
            switches = [0]
            points = np.broadcast_to(points[:1], points.shape)
        patterns, which = np.unique(points[:, switches], axis=0, return_inverse=True)
        # One judgement a combination of switch positions: there are few, unless a condition asks for a real number.
        rows = np.unique(which, return_index=True)[1]
        judged = np.zeros((len(patterns), self.dimension), dtype=bool)
        for k, row in enumerate(rows):
            here = self.decode(points[row])
            judged[k] = [p.name in here for p in self.searched]
        found: np.ndarray[tuple[int, ...], np.dtype[np.bool_]] = judged[which.reshape(-1)]
        return found

    # Requirements and membership

    def violation(self, configuration: Configuration) -> float:
        """How far the requirements are from being met; 0 when they all are."""
        return sum(violation(requirement, configuration) for requirement in self.requirements)

    def fulfils(self, configuration: Configuration) -> bool:
        return not self.requirements or self.violation(configuration) == 0

    def check(self, configuration: Configuration) -> None:
        """Raise InvalidSpace unless the configuration lies in the space."""
        known = {p.name for p in self.parameters}
        for name in sorted(set(configuration) - known):
            raise InvalidSpace(f"{name}: the space has no such parameter.", at=name)
        for p in self.order:
            active = p.condition is None or holds(p.condition, configuration)
            if not active and p.name in configuration:
                raise InvalidSpace(f"{p.name}: it has a value only if {p.condition}.", at=p.name)
            if active and p.name not in configuration:
                raise InvalidSpace(f"{p.name}: no value given.", at=p.name)
            if active and not p.contains(configuration[p.name]):
                raise InvalidSpace(f"{p.name}: {word(configuration[p.name])} is outside the space.", at=p.name)
        for requirement in self.requirements:
            if violation(requirement, configuration):
                shown = ", ".join(f"{n} = {word(configuration[n])}" for n in names(requirement) if n in configuration)
                raise InvalidSpace(f"The requirement {requirement} is not met: {shown}.", at="require")

    def contains(self, configuration: Configuration) -> bool:
        try:
            self.check(configuration)
        except InvalidSpace:
            return False
        return True

    def completed(self, values: Configuration) -> dict[str, Value]:
        """A whole configuration from some values: the rest are the start values, or the middle of their ranges."""
        unknown = set(values) - set(self.by_name)
        if unknown:
            raise InvalidSpace(f"{sorted(unknown)[0]}: the space has no such parameter.", at=sorted(unknown)[0])
        found: dict[str, Value] = {}
        for p in self.order:
            if p.condition is None or holds(p.condition, found):
                found[p.name] = values[p.name] if p.name in values else _usual(p)
        return {p.name: found[p.name] for p in self.parameters if p.name in found}

    def placed(self, configuration: Configuration, defaults: Configuration) -> dict[str, Value] | None:
        """The configuration of this space that means the same, or None when it lies outside.

        Settings that a configuration does not name are at their defaults, here and there.
        """
        whole = {**defaults, **configuration}
        found: dict[str, Value] = {}
        for p in self.order:
            if (p.condition is None or holds(p.condition, found)) and p.name in whole:
                value = whole[p.name]
                exact = isinstance(value, int) and not isinstance(value, bool) and isinstance(p.decode(0.5), float)
                found[p.name] = float(value) if exact else value
        rest = {name: value for name, value in whole.items() if name not in found}
        if any(name not in defaults or not same(value, defaults[name]) for name, value in rest.items()):
            return None
        ordered = {p.name: found[p.name] for p in self.parameters if p.name in found}
        return ordered if self.contains(ordered) else None

    @property
    def start(self) -> dict[str, Value] | None:
        """The first configuration to try, when the space names a start value for any parameter."""
        return self.completed({}) if any(p.start is not None for p in self.parameters) else None


def _usual(parameter: Parameter) -> Value:
    if parameter.start is not None:
        return parameter.start
    if isinstance(parameter, Choice):  # the likeliest option
        return parameter.options[parameter.weights.index(max(parameter.weights))]
    return parameter.decode(0.5)


def _position(position: float) -> float:
    return 0.5 if np.isnan(position) else float(position)


def _circle(left: Iterable[Parameter]) -> list[str]:
    """The names of parameters that wait for one another."""
    waits = {p.name: names(p.condition) for p in left if p.condition is not None}
    name, path = next(iter(waits)), list[str]()
    while name not in path:
        path.append(name)
        name = next(n for n in waits[name] if n in waits)
    return path[path.index(name) :]


def identity(configuration: Configuration) -> str:
    """A text that is equal exactly when two configurations are the same one."""
    return json.dumps(dict(configuration), sort_keys=True, separators=(",", ":"))
