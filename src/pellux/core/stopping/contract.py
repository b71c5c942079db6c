"""What a stopping rule is given and what it answers.

A rule is a pure function `verdict(trial, record, settings) -> Verdict`: its only memory is the record, which can be made
anew from the store, so a search that is killed and started again gets the verdicts it would have had. Scores are turned
so that larger is better; a rule never asks for the metric's direction.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, fields
from typing import Any, ClassVar, Protocol

from pellux.core.errors import InvalidPlan
from pellux.core.stopping.record import Record


@dataclass(frozen=True)
class Keep:
    """Go on: the next rung, or the next iterations."""


@dataclass(frozen=True)
class Prune:
    """End the trial: it is weak. `reason` is shown to people."""

    reason: str


@dataclass(frozen=True)
class Park:
    """Wait until the rung knows more; the worker is free meanwhile."""

    reason: str


@dataclass(frozen=True)
class Enough:
    """End this fit, not the trial: more iterations would not help. What it has reached counts."""

    reason: str


Verdict = Keep | Prune | Park | Enough
KEEP = Keep()


@dataclass(frozen=True)
class Sight:
    """What a rule sees of the trial it judges.

    Attributes
    ----------
    rung : int
        The rung whose results are all there, from 0; in the midst of a fit the rung it works on.
    bracket, cohort : int
        Which ladder the trial climbs, and with whom.
    fold : int
        The fold whose curve has grown; -1 when a rung is complete.
    """

    number: int
    rung: int
    bracket: int = 0
    cohort: int = 0
    fold: int = -1


@dataclass(frozen=True)
class NoSettings:
    """A rule without settings."""

    sentences: ClassVar[Mapping[str, str]] = {}


class RuleSettings(Protocol):
    """A frozen dataclass that validates itself; `sentences` says of every field what it does."""

    sentences: ClassVar[Mapping[str, str]]


Judge = Callable[[Sight, Record, Any], Verdict]


def settings_of(kind: type[Any], given: Mapping[str, Any]) -> Any:
    """A rule's settings from what a person gave; InvalidPlan with the key when one is unknown or of the wrong kind."""
    known = {f.name.replace("_", " "): f for f in fields(kind)}
    made: dict[str, Any] = {}
    for key, value in given.items():
        name = key.replace("_", " ")
        if name not in known:
            allowed = ", ".join(known) or "none"
            raise InvalidPlan(f"'{key}' is not a setting of this rule. It has: {allowed}.", at=f"plan.stopping.{key}")
        wanted: type[Any] = type(known[name].default)
        if isinstance(value, bool) != (wanted is bool) or not isinstance(value, (int, float)):
            raise InvalidPlan(f"'{key}' must be a number. Got {value!r}.", at=f"plan.stopping.{key}")
        if wanted is int and float(value) != int(value):
            raise InvalidPlan(f"'{key}' must be a whole number. Got {value!r}.", at=f"plan.stopping.{key}")
        made[known[name].name] = wanted(value)
    return kind(**made)


def demand(true: bool, sentence: str, at: str) -> None:
    """Refuse a setting."""
    if not true:
        raise InvalidPlan(sentence, at=f"plan.stopping.{at}")
