"""What a stopping rule is given and what it answers.

A rule is a pure function `verdict(trial, record, settings) -> Verdict`: its only memory is the record, which can be made
anew from the store, so a search that is killed and started again gets the verdicts it would have had. Scores are turned
so that larger is better; a rule never asks for the metric's direction.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, ClassVar, NamedTuple, Protocol

from pellux.core.reasons import Reason
from pellux.core.settings import NoSettings, demanding, settings_of
from pellux.core.stopping.record import Record


@dataclass(frozen=True)
class Keep:
    """Go on: the next rung, or the next iterations."""


@dataclass(frozen=True)
class Prune:
    """End the trial: it is weak."""

    reason: Reason


@dataclass(frozen=True)
class Park:
    """Wait until the rung knows more; the worker is free meanwhile."""

    reason: Reason


@dataclass(frozen=True)
class Enough:
    """End this fit, not the trial: more iterations would not help. What it has reached counts."""

    reason: Reason


Verdict = Keep | Prune | Park | Enough
KEEP = Keep()


class TrialContext(NamedTuple):
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


class RuleSettings(Protocol):
    """A frozen dataclass that validates itself; `sentences` says of every field what it does."""

    sentences: ClassVar[Mapping[str, str]]


Judge = Callable[[TrialContext, Record, Any], Verdict]
demand = demanding("plan.stopping")

__all__ = [
    "KEEP",
    "Enough",
    "Judge",
    "Keep",
    "NoSettings",
    "Park",
    "Prune",
    "RuleSettings",
    "TrialContext",
    "Verdict",
    "demand",
    "settings_of",
]
