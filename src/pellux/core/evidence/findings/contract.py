"""What a finding is made from and what it says: a code with numbers, the trials behind it, and a change that would follow from it."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pellux.core.errors import InvalidSpace
from pellux.core.evidence.curves import Along
from pellux.core.evidence.importance import Importance, Importances
from pellux.core.evidence.noise import Noise
from pellux.core.evidence.reading import Reading
from pellux.core.space import Choice, Configuration, Parameter, Space, Value, parse, write
from pellux.core.space.expressions import names

Array = NDArray[np.float64]
GOOD = 0.05  # share of the space that counts as good


@dataclass(frozen=True)
class Tried:
    """A trial as findings see it; scores are turned so that larger is better.

    Attributes
    ----------
    id : int
        What it is called by whoever asks.
    mean : float or None
        None where it was not scored in full.
    scores : tuple of float or None, one a fold
    failed : bool
        It told that its configuration does not work.
    seen, pending : int
        Trials known, and under way, when it was proposed; 0 twice where nobody proposed it.
    own : bool
        It belongs to the search that is looked at, and not to an earlier one.
    """

    id: int
    configuration: Configuration
    mean: float | None
    scores: tuple[float | None, ...] = ()
    seconds: float = 0.0
    failed: bool = False
    seen: int = 0
    pending: int = 0
    own: bool = True


@dataclass(frozen=True)
class Change:
    """What to edit in the space and in the plan.

    Attributes
    ----------
    parameters : tuple of Parameter
        They take the places of those of the same names.
    dropped : tuple of str
        Parameters that go, since nothing switches them on any more.
    requirements : tuple of str
        Added, in space notation without the word.
    plan : mapping
        Plan keys with their new values.
    """

    parameters: tuple[Parameter, ...] = ()
    dropped: tuple[str, ...] = ()
    requirements: tuple[str, ...] = ()
    plan: Mapping[str, Any] = field(default_factory=dict)

    def __bool__(self) -> bool:
        return bool(self.parameters or self.requirements or self.plan)

    def applied(self, space: Space) -> Space:
        """The space after it; InvalidSpace where it cannot be made, since another change made it impossible."""
        new = {p.name: p for p in self.parameters}
        changed = Space(tuple(new.get(p.name, p) for p in space.parameters if p.name not in self.dropped), space.requirements)
        lines = [write(changed).rstrip("\n"), *(f"require {r}" for r in self.requirements)]
        return parse("\n".join(lines))


@dataclass(frozen=True)
class Finding:
    """Something that the trials say.

    Attributes
    ----------
    code : str
        Which kind; its sentence stands in service/evidence/sentences.py.
    facts : mapping of str to JSON values
        The numbers in the sentence. Those called `score`, `gain` or `best` are scores, larger is better.
    names : tuple of str
        Parameters that it is about.
    trials : tuple of int
        Ids of the trials behind it.
    weight : float
        By which findings are put in order, the strongest first; from 0 to 1.
    """

    code: str
    facts: Mapping[str, Any]
    names: tuple[str, ...]
    trials: tuple[int, ...]
    weight: float
    change: Change = Change()


@dataclass(frozen=True)
class Material:
    """What is known of a search when findings are looked for.

    Attributes
    ----------
    space : Space
    tried : tuple of Tried
        In the order in which they ended.
    reading, importances, curves, noise
        None and empty where the trials say too little.
    hard : mapping of str to (float, float)
        Ends beyond which a parameter can not go.
    workers : int
    models : bool
        Proposals learn from earlier trials.
    stops : bool
        An early stopping rule is at work.
    """

    space: Space
    tried: tuple[Tried, ...]
    reading: Reading | None = None
    importances: Importances | None = None
    curves: tuple[Along, ...] = ()
    noise: Noise | None = None
    hard: Mapping[str, tuple[float, float]] = field(default_factory=dict)
    workers: int = 1
    models: bool = False
    stops: bool = False

    @cached_property
    def scored(self) -> tuple[Tried, ...]:
        return tuple(t for t in self.tried if t.mean is not None)

    @cached_property
    def ranked(self) -> tuple[Tried, ...]:
        """Scored trials, the best first."""
        return tuple(sorted(self.scored, key=lambda t: -(t.mean or 0.0)))

    def leading(self, share: float, least: int = 3) -> tuple[Tried, ...]:
        """The best share of the scored trials."""
        return self.ranked[: max(least, round(share * len(self.ranked)))]

    @cached_property
    def shares(self) -> dict[str, Importance]:
        return {} if self.importances is None else {one.name: one for one in self.importances.singles}

    @cached_property
    def good(self) -> Array:
        """Points that a function of the reading holds among the best of the space, of every function alike.

        Shape (DRAWS * k, dimension), NaN where inactive: how they lie says where good configurations may be, with all the doubt.
        """
        if self.reading is None:
            return np.empty((0, self.space.dimension))
        values = self.reading.values
        count = max(8, round(GOOD * len(values)))
        best = np.argpartition(-values, count, axis=0)[:count]
        found: Array = self.reading.points[best.ravel()]
        return found

    def numbers(self) -> Iterator[tuple[int, Parameter]]:
        """Searched parameters that are no choices, with their places."""
        for place, parameter in enumerate(self.space.searched):
            if not isinstance(parameter, Choice):
                yield place, parameter

    def choices(self) -> Iterator[tuple[int, Choice]]:
        for place, parameter in enumerate(self.space.searched):
            if isinstance(parameter, Choice):
                yield place, parameter

    def active(self, name: str, among: tuple[Tried, ...] | None = None) -> list[Tried]:
        """Trials in which a parameter has a value."""
        return [t for t in (self.scored if among is None else among) if name in t.configuration]


Kind = Callable[[Material], list[Finding]]


def follow(space: Space, findings: list[Finding]) -> tuple[Space, list[Finding]]:
    """The space after all changes, in order, and the findings whose change could be made."""
    done = []
    for finding in findings:
        try:
            space = finding.change.applied(space)
        except InvalidSpace:
            continue
        done.append(finding)
    return space, done


def tidy(parameter: Parameter, value: Value) -> Value:
    """A real number in three digits where those lie in the range, too; anything else as it is."""
    short = float(f"{value:.3g}") if isinstance(value, float) else value
    return short if parameter.contains(short) else value


SAMPLE = 2048  # points by which it is told what is switched on


def restricted(space: Space, parameter: Parameter) -> Change:
    """The change to a parameter with fewer values, and without what hangs on it and nothing switches on any more."""
    hanging = {parameter.name}
    for p in space.order:
        if p.condition is not None and hanging & set(names(p.condition)):
            hanging.add(p.name)
    before, after = set[str](), set[str]()
    for row in np.random.default_rng(0).random((SAMPLE, space.dimension)):
        drawn = space.decode(row)
        before |= drawn.keys()
        if parameter.name not in drawn or parameter.contains(drawn[parameter.name]):
            after |= drawn.keys()
    gone = (before - after) & hanging - {parameter.name}
    return Change((parameter,), tuple(name for name in space.by_name if name in gone))


def without_start(parameter: Parameter, **changes: Any) -> Parameter:
    """The same with other ends or options; its start value is kept only where it still lies in it."""
    found = replace(parameter, start=None, **changes)
    return replace(found, start=parameter.start) if parameter.start is not None and found.contains(parameter.start) else found
