"""What a learner says about itself: its settings, in words, with defaults and sensible ranges."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from importlib.util import find_spec
from typing import Any

from pellux.core.errors import InvalidSpace
from pellux.core.judging.metrics import TASKS
from pellux.core.space import Choice, Distributed, Fixed, Integer, Parameter, Real, Space, Value, YesNo, parse

MORE_COSTS_MORE, MORE_COSTS_LESS, NO_COST = "more costs more", "more costs less", "no effect on cost"
YES_COSTS_MORE = "yes costs more"
OF_LEARNER, OF_PREPARATION = "learner", "preparation"


@dataclass(frozen=True)
class Setting:
    """One setting of a learner.

    Attributes
    ----------
    domain : str
        The default range to search, in space notation.
    limits : str
        Everything the learner accepts, in space notation.
    part : str
        'learner', or 'preparation' for what is done to the columns before.
    for_uneven : bool
        Whether a default space searches it only where the classes are uneven: what costs much and helps few others.
    """

    name: str
    sentence: str
    default: Value
    domain: str
    limits: str
    cost: str = NO_COST
    tasks: tuple[str, ...] = TASKS
    part: str = OF_LEARNER
    for_uneven: bool = False

    @property
    def allowed(self) -> Parameter:
        return parse(f"{self.name}: {self.limits}").parameters[0]

    @property
    def cheap(self) -> Value:
        """The value of its range that is quickest to fit: a good first try when fits are slow."""
        ends = parse(f"{self.name}: {self.domain}").parameters[0]
        if self.cost in (NO_COST, YES_COSTS_MORE) or not isinstance(ends, (Real, Integer)):
            return self.default
        return ends.low if self.cost == MORE_COSTS_MORE else ends.high


@dataclass(frozen=True)
class Circumstances:
    """What a learner is told about the fit beside its settings."""

    task: str
    seed: int
    category_columns: tuple[int, ...] = ()


@dataclass(frozen=True)
class Growth:
    """How a learner is trained in iterations.

    Attributes
    ----------
    counter : str
        The setting that says how many iterations there are in all.
    points : int
        About how many points a whole fit's curve has: judging costs time too.
    grow : function of (model, rows, target, weights of the rows or None, iterations done, iterations wanted)
    steer : function of (model, settings)
        Gives a model on its way the settings that may change; they are named in `steerable`.
    parameter : str
        What the estimator itself calls its counter.
    by_epoch : bool
        Its own `fit` would train it otherwise than epoch by epoch.
    """

    counter: str
    points: int
    grow: Callable[[Any, Any, Any, Any, int, int], None]
    steer: Callable[[Any, Mapping[str, Any]], None]
    steerable: tuple[str, ...] = ()
    parameter: str = ""
    by_epoch: bool = False


@dataclass(frozen=True)
class Learner:
    """An entry of the catalogue.

    Attributes
    ----------
    preparation : str
        How columns are made ready inside each fold unless its settings say otherwise; see preparation.py.
    missing, categories : bool
        Whether it takes missing values and category codes as they are.
    weights : bool
        Whether rows can be given weights.
    package : str
        What has to be installed besides; empty when nothing has.
    """

    key: str
    label: str
    sentence: str
    tasks: tuple[str, ...]
    preparation: str
    settings: tuple[Setting, ...]
    build: Callable[[Mapping[str, Any], Circumstances], Any]
    growth: Growth | None = None
    missing: bool = False
    categories: bool = False
    weights: bool = True
    package: str = ""

    @property
    def installed(self) -> bool:
        return not self.package or find_spec(self.package) is not None

    @property
    def defaults(self) -> dict[str, Value]:
        return {s.name: s.default for s in self.settings}

    def baselines(self, space: Space) -> tuple[dict[str, Value], ...]:
        """What is scored before anything is searched: the defaults, of each learner if there are several."""
        return (self.defaults,)

    def settle(self, configuration: Mapping[str, Any]) -> tuple[Learner, dict[str, Any]]:
        """Which learner a configuration means, and that one's settings in it."""
        return self, dict(configuration)

    def whole(self, configuration: Mapping[str, Any]) -> dict[str, Any]:
        """The configuration with every setting in it."""
        return {**self.defaults, **configuration}

    def for_task(self, task: str) -> Learner:
        """The same learner with the settings that matter for a task."""
        return replace(self, settings=tuple(s for s in self.settings if task in s.tasks))

    def line(self, setting: Setting) -> str:
        """A setting's default range as a line of space notation."""
        return f"{setting.name}: {setting.domain}"

    def default_space(self, uneven: bool = False) -> Space:
        """Its own settings; those of the preparation ride along at their defaults unless a person searches them.

        `uneven` says that some classes are much rarer than others.
        """
        return parse("\n".join(self.line(s) for s in self.settings if s.part == OF_LEARNER and (uneven or not s.for_uneven)))

    def ends(self) -> dict[str, tuple[float, float]]:
        """Beyond which its numbers cannot go."""
        allowed = [(s.name, s.allowed) for s in self.settings]
        return {name: (p.low, p.high) for name, p in allowed if isinstance(p, (Real, Integer))}

    def check(self, space: Space) -> None:
        """Raise InvalidSpace when the space names an unknown setting or a value the learner does not accept."""
        known = {s.name: s for s in self.settings}
        for parameter in space.parameters:
            if parameter.name not in known:
                raise InvalidSpace(
                    f"{parameter.name}: {self.label} has no such setting. It has: {', '.join(known)}.", at=parameter.name
                )
            check_within(parameter, known[parameter.name])

    def check_configuration(self, configuration: Mapping[str, Value]) -> None:
        """Refuse a setting that the learner does not have or a value that it does not accept."""
        member, settings = self.settle(configuration)
        for name, value in settings.items():
            member.check(Space((Fixed(name=name, value=value),)))
        for name in configuration:
            if all(s.name != name for s in self.settings) and name not in settings:
                raise InvalidSpace(f"{name}: {self.label} has no such setting.", at=name)


def check_within(parameter: Parameter, setting: Setting) -> None:
    allowed = setting.allowed
    if isinstance(parameter, (Real, Distributed)) and not isinstance(allowed, Real):
        hint = " Add 'int'." if isinstance(allowed, Integer) else ""
        raise InvalidSpace(f"{parameter.name}: a real number does not fit; it takes {setting.limits}.{hint}", at=parameter.name)
    if isinstance(parameter, (Real, Integer)) and isinstance(allowed, (Choice, YesNo)):
        raise InvalidSpace(f"{parameter.name}: a range does not fit; it takes {setting.limits}.", at=parameter.name)
    for value in _extremes(parameter):
        if not accepts(allowed, value):
            shown = {True: "yes", False: "no"}.get(value, value) if isinstance(value, bool) else value
            raise InvalidSpace(f"{parameter.name}: {shown} is not accepted; it takes {setting.limits}.", at=parameter.name)


def accepts(allowed: Parameter, value: Value) -> bool:
    """Whether a learner's limits admit a value; a whole number may stand where a real is asked for."""
    if isinstance(allowed, Fixed):
        return True
    return allowed.contains(value)


def _extremes(parameter: Parameter) -> list[Value]:
    match parameter:
        case Real() | Integer():
            return [parameter.low, parameter.high]
        case Distributed():
            return [parameter.decode(0.0), parameter.decode(1.0)]
        case Choice():
            return list(parameter.options)
        case Fixed():
            return [parameter.value]
    return []
