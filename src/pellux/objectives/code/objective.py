"""The objective whose fits are somebody's own code: what the engine may know of it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from pellux.core.errors import InvalidPlan, InvalidSpace
from pellux.core.judging import Tested
from pellux.core.likeness import Traits
from pellux.core.objective import EvaluatorSource, Holds, Judging, Kept, Left, Terms
from pellux.core.space import Space, Value, parse
from pellux.objectives.code.brief import FUNCTION, OUTSIDE, PROGRAM, CodeBrief, spelt_alike
from pellux.objectives.code.function import FunctionSource
from pellux.objectives.code.left import read_left
from pellux.objectives.code.outside import OutsideSource
from pellux.objectives.code.program import ProgramSource
from pellux.objectives.code.templates import RESERVED, check_names
from pellux.objectives.registry import Stored


@dataclass(frozen=True)
class Counted:
    """How a program is trained: in a word of the user's, told at every step of it."""

    counter: str
    points: int
    steerable: tuple[str, ...] = ()
    by_epoch: bool = True


@dataclass(frozen=True)
class Own:
    """What a search configures: whatever settings its space names."""

    brief: CodeBrief
    key: str = ""

    @property
    def label(self) -> str:
        return self.brief.label

    @property
    def growth(self) -> Counted | None:
        grows = self.brief.grows
        return None if grows is None else Counted(grows.what, grows.most, grows.may_change if grows.goes_on else ())

    @property
    def defaults(self) -> dict[str, Value]:
        return {self.brief.grows.what: self.brief.grows.most} if self.brief.grows else {}

    def baselines(self, space: Space) -> tuple[dict[str, Value], ...]:
        return (space.completed({}),)

    def settle(self, configuration: Mapping[str, Any]) -> tuple[Own, dict[str, Any]]:
        return self, dict(configuration)

    def whole(self, configuration: Mapping[str, Any]) -> dict[str, Any]:
        return dict(configuration)

    def default_space(self) -> Space:
        if not self.brief.space.strip():
            raise InvalidPlan(
                f"The space of {self.label} is yours to write: a line for each setting, such as rate: 1e-4 .. 1 log.", at="space"
            )
        return parse(self.brief.space)

    def ends(self) -> dict[str, tuple[float, float]]:
        return {}  # a program does not say

    def check(self, space: Space) -> None:
        names = [parameter.name for parameter in space.parameters]
        alike = spelt_alike(names)
        if alike is not None:
            raise InvalidSpace(
                f"{alike[0]} and {alike[1]} would be one environment variable; name one of them otherwise.", at=alike[1]
            )
        if self.brief.kind == PROGRAM:
            check_names(self.brief.runs, names)
        for name in names:
            if self.brief.grows is not None and name == self.brief.grows.what:
                raise InvalidSpace(f"{name}: it is what grows, so the space does not search it.", at=name)
            if name in RESERVED:
                raise InvalidSpace(f"{name}: this word means something else already; name the setting otherwise.", at=name)

    def check_configuration(self, configuration: Mapping[str, Value]) -> None:
        """Which settings there are is for the space to say."""


@dataclass(frozen=True)
class CodeObjective:
    """A code brief, and where functions that came by value lie."""

    brief: CodeBrief
    own: Path

    @property
    def kind(self) -> str:
        return self.brief.kind

    @property
    def judging(self) -> Judging:
        brief = self.brief
        return Judging(
            brief.metric, brief.larger_is_better, brief.folds, brief.folds, also=brief.recorded, seed=brief.seed, rows=False,
            quantities=brief.quantities, limits=brief.limits, against=brief.against,
        )  # fmt: skip

    @property
    def holds(self) -> Holds:
        return replace(self.brief.holds, elsewhere=self.brief.kind != FUNCTION or self.brief.holds.devices > 0)

    def configurable(self, key: str) -> Own:
        if key:
            raise InvalidPlan(f"{self.brief.label} is your own code, not a learner: leave '{key}' out.", at="learner")
        return Own(self.brief)

    def default_space(self, key: str) -> Space:
        return self.configurable(key).default_space()

    def translated(self, to: str, key: str, configuration: Mapping[str, Value]) -> dict[str, Value] | None:
        return dict(configuration)

    def traits(self, scatter: float | None) -> Traits:
        # The same words in another folder are other code.
        runs = " ".join([self.brief.kind, self.brief.folder, *self.brief.runs, self.brief.function])
        return Traits(runs, metric=self.brief.metric, scatter=scatter)

    def evaluators(self, terms: Terms) -> EvaluatorSource:
        if self.brief.kind == OUTSIDE:
            return OutsideSource()
        if self.brief.kind == PROGRAM:
            return ProgramSource(self.brief, terms)
        return FunctionSource(self.brief, terms, sent_file(self.own, self.brief.sent) if self.brief.sent else None)

    def left_at(self, kept: Kept, trial: int, fold: int, level: int) -> Left | None:
        return read_left(kept, trial, fold, level)

    def tested(self) -> Tested:
        return Tested(0, 1 / max(self.brief.folds - 1, 1))

    def telling_share(self) -> float | None:
        return None


def sent_file(own: Path, digest: str) -> Path:
    """Where a function lies that came by value."""
    return own / "functions" / f"{digest}.pickle"


@dataclass(frozen=True)
class CodeKind:
    """A registry line: program, function or outside."""

    key: str

    def open(self, stored: Stored) -> CodeObjective:
        return CodeObjective(CodeBrief.from_json(stored.brief), stored.own)


CODE_KINDS = (CodeKind(PROGRAM), CodeKind(FUNCTION), CodeKind(OUTSIDE))
