"""A tiny objective: a function of two numbers, trained in steps. No table, no folds file, no learner.

What it needs of the product is what any objective needs, so it shows that the seams hold.
"""

from __future__ import annotations

import os
import signal
import time
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from pellux.core.errors import InvalidPlan, InvalidSpace
from pellux.core.judging import Tested
from pellux.core.likeness import Traits
from pellux.core.objective import Elsewhere, FitContext, FitFailed, FitOrder, FitResult, Holds, Judging, Kept, Left, Terms
from pellux.core.reasons import because
from pellux.core.space import Space, Value, parse
from pellux.objectives.registry import Stored

KIND = "two numbers"
PACE = "TWO_NUMBERS_PACE"  # seconds that a fit waits, where a test wants fits that last and cost nothing
FOLDS = 3
STEPS = 9
ENDLESS, DEADLY, FAILING = 7.0, -7.0, 5.0  # values of x that run until nobody waits, kill their process, and fail


def truth(x: float, y: float, fold: int, step: int) -> float:
    """Larger is better; the top is 0 at (0.3, -0.2), reached in the limit of many steps on the first fold."""
    return -((x - 0.3) ** 2) - (y + 0.2) ** 2 - 0.1 / step - 0.01 * fold


@dataclass(frozen=True)
class Steps:
    counter: str = "steps"
    points: int = STEPS
    steerable: tuple[str, ...] = ()
    by_epoch: bool = False


@dataclass(frozen=True)
class Pair:
    """What is configured: two numbers."""

    key: str = ""
    label: str = "Two numbers"
    growth: Steps = field(default_factory=Steps)

    @property
    def defaults(self) -> dict[str, Value]:
        return {"x": 0.0, "y": 0.0, "steps": STEPS}

    def baselines(self, space: Space) -> tuple[dict[str, Value], ...]:
        return (self.defaults,)

    def settle(self, configuration: Mapping[str, Any]) -> tuple[Pair, dict[str, Any]]:
        return self, dict(configuration)

    def whole(self, configuration: Mapping[str, Any]) -> dict[str, Any]:
        return {**self.defaults, **configuration}

    def default_space(self) -> Space:
        return parse("x: -1 .. 1\ny: -1 .. 1")

    def ends(self) -> dict[str, tuple[float, float]]:
        return {"x": (-10.0, 10.0)}

    def check(self, space: Space) -> None:
        for parameter in space.parameters:
            if parameter.name not in self.defaults:
                raise InvalidSpace(f"{parameter.name}: there are x, y and steps.", at=parameter.name)

    def check_configuration(self, configuration: Mapping[str, Value]) -> None:
        for name in configuration:
            if name not in self.defaults:
                raise InvalidSpace(f"{name}: there are x, y and steps.", at=name)


@dataclass(frozen=True)
class Source:
    terms: Terms = field(default_factory=Terms)

    def open(self) -> Source:
        return self

    def files(self) -> Mapping[str, str]:
        return {}

    def moved(self, place: Elsewhere) -> Source:
        return self

    def tidy(self) -> None:
        pass

    def evaluate(self, order: FitOrder, context: FitContext) -> FitResult:
        x, y = float(order.configuration["x"]), float(order.configuration.get("y", 0.0))
        if x == DEADLY:
            os.kill(os.getpid(), signal.SIGKILL)
        time.sleep(float(os.environ.get(PACE, 0)))  # as long as a fit would compute
        if x == FAILING:
            raise FitFailed(because("error", kind="ValueError", text="five is not a number here"))
        known = context.kept.get(order.trial, order.fold, "checkpoint")
        begun, curve = context.clock(), list[tuple[int, float]]()
        step = int(known or b"0")
        while (x == ENDLESS or step < max(order.level, 1)) and not context.nobody_waits():
            step += 1
            curve.append((step, truth(x, y, order.fold, step)))
            context.point(*curve[-1])
            if x == ENDLESS:
                time.sleep(0.02)
        size = context.kept.put(order.trial, order.fold, "checkpoint", str(step).encode())
        print(f"trial {order.trial}, fold {order.fold}: {step} steps")
        told = tuple(curve) if self.terms.grid else ()
        score = curve[-1][1] if curve else truth(x, y, order.fold, step)
        return FitResult(score, context.clock() - begun, curve=told, checkpoint_bytes=size)


@dataclass(frozen=True)
class TwoNumbers:
    """The objective. `kind` is also how it is opened: it is its own registry line."""

    kind: str = KIND
    key: str = KIND

    @property
    def judging(self) -> Judging:
        return Judging("closeness", larger_is_better=True, folds=FOLDS, fits=FOLDS, most=0.0, rows=False)

    def open(self, stored: Stored) -> TwoNumbers:
        return self

    def configurable(self, key: str) -> Pair:
        if key:
            raise InvalidPlan(f"There is nothing called '{key}' here.", at="learner")
        return Pair()

    def default_space(self, key: str) -> Space:
        return self.configurable(key).default_space()

    def translated(self, to: str, key: str, configuration: Mapping[str, Value]) -> dict[str, Value] | None:
        return dict(configuration)

    @property
    def holds(self) -> Holds:
        return Holds()

    def evaluators(self, terms: Terms) -> Source:
        return Source(terms)

    def left_at(self, kept: Kept, trial: int, fold: int, level: int) -> Left | None:
        return None

    def tested(self) -> Tested:
        return Tested(0, 1 / (FOLDS - 1))

    def traits(self, scatter: float | None) -> Traits:
        return Traits("two numbers", metric=self.judging.metric, scatter=scatter)

    def telling_share(self) -> float | None:
        return None
