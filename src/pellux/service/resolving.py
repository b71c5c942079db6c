"""From a plan's wish for early stopping to rule, resource and rungs; what is left to us is chosen, with the reason."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from pellux.core.errors import InvalidPlan
from pellux.core.judging import Brief
from pellux.core.space import Fixed, Space
from pellux.core.stopping import (
    AUTOMATIC,
    FOLDS,
    ITERATIONS,
    RESOURCES,
    ROWS,
    Ladder,
    Rule,
    bold,
    fold_by_fold,
    geometric,
    rule,
    settings_of,
    usual_least,
)
from pellux.core.strategies import STRATEGIES
from pellux.engine.referee import Stopping
from pellux.learners.growing import points
from pellux.learners.settings import Learner
from pellux.service.few_rows import Telling, unknown
from pellux.service.requests import SettingsRequest
from pellux.service.views import StoppingView

WHOLE_ROWS = 100  # rows are counted in per cent of a fold's training rows
BOLDLY = " What a model proposes needs less sifting: one rung, at a ninth of the rows, of which the best ninth goes on."
WORTHWHILE = 8  # trials from which on comparing them early pays
POPULATION = "population training"
INTERVALS = 9  # of a population's training, when nothing else is asked for
SHARED = ("resource", "most", "interval")


@dataclass(frozen=True)
class Resolved:
    """Early stopping as a search will apply it; kept with the search.

    Attributes
    ----------
    grid : tuple of int
        The iterations at which scores are told; empty when fits are not looked into.
    """

    key: str
    reason: str
    resource: str
    levels: tuple[int, ...]
    settings: Mapping[str, Any]
    grid: tuple[int, ...] = ()
    segments: bool = False
    first: int = 0

    def to_json(self) -> dict[str, Any]:
        return {
            "key": self.key, "reason": self.reason, "resource": self.resource, "levels": list(self.levels),
            "settings": dict(self.settings), "grid": list(self.grid), "segments": self.segments, "first": self.first,
        }  # fmt: skip

    @staticmethod
    def from_json(found: Mapping[str, Any]) -> Resolved:
        """As it was kept; searches from before there was early stopping kept nothing."""
        if not found:
            return Resolved("none", "", "", (1,), {})
        return Resolved(
            found["key"], found["reason"], found["resource"], tuple(found["levels"]), found["settings"], tuple(found["grid"]),
            found["segments"], found.get("first", 0),
        )  # fmt: skip

    def view(self) -> StoppingView:
        return StoppingView(
            key=self.key, label=rule(self.key).label, reason=self.reason, resource=self.resource, levels=list(self.levels),
            settings=dict(self.settings),
        )  # fmt: skip

    @property
    def ladder(self) -> Ladder:
        return Ladder(self.resource, self.levels, self.first)

    def stopping(self) -> Stopping:
        chosen = rule(self.key)
        return Stopping(
            chosen, settings_of(chosen.settings, self.settings), self.ladder, self.segments, curves=self.resource == ITERATIONS
        )

    def in_full(self) -> Resolved:
        """The same without early stopping: a trial's whole way."""
        return Resolved("none", "", self.resource if self.resource == ITERATIONS else "", self.levels[-1:], {}, self.grid)


def resolve_stopping(
    chosen: Learner, space: Space, plan: SettingsRequest, strategy: str, brief: Brief, telling: Telling = unknown
) -> Resolved:
    """Check early stopping against learner, space, strategy and folds; InvalidPlan says what does not go together."""
    given = {key.replace("_", " "): value for key, value in plan.stopping.items()}
    shared = {key: given.pop(key) for key in SHARED if key in given}
    resource = shared.get("resource")
    if resource is not None and resource not in RESOURCES:
        raise InvalidPlan(f"'{resource}' cannot grow. Allowed: {', '.join(RESOURCES)}.", at="plan.stopping.resource")
    if strategy == POPULATION:
        return _population(chosen, space, plan, shared, given, brief)
    key, reason = _rule(chosen, space, plan, brief) if plan.early_stopping == AUTOMATIC else (plan.early_stopping, "")
    found = rule(key)
    settings = settings_of(found.settings, given)
    kept = {name: value for name, value in given.items() if name not in SHARED}
    if "interval" in shared:
        raise InvalidPlan("An interval is a setting of population training only.", at="plan.stopping.interval")
    resource = _resource(found, chosen, space, resource)
    most = _most(chosen, space, resource, shared, brief)
    if found.ladder is not None:
        own = found.ladder(settings, brief.split.fits)
        return Resolved(key, reason or found.sentence, own.resource, own.levels, kept, first=own.first)
    if (
        key == "asynchronous halving"
        and resource == ROWS
        and STRATEGIES[strategy].modelled
        and "factor" not in given
        and not settings.least  # 0 leaves it to us, said or not
    ):
        own_choice = bold(most, telling())
        kept, settings = {**kept, **own_choice}, settings_of(found.settings, {**given, **own_choice})
        reason = (reason or found.sentence) + (BOLDLY if own_choice else "")
    levels = _levels(found, settings, resource, most, brief, telling)
    grid = points(levels, chosen.growth.points) if resource == ITERATIONS and chosen.growth else ()
    return Resolved(key, reason or found.sentence, resource, levels, kept, grid)


def _rule(chosen: Learner, space: Space, plan: SettingsRequest, brief: Brief) -> tuple[str, str]:
    """What Automatic picks."""
    if plan.trials < WORTHWHILE:
        return "none", f"{plan.trials} trials are too few to compare early."
    if _counts(chosen, space):
        return (
            "asynchronous halving",
            f"{chosen.label} is trained in {chosen.growth.counter}: the weak end after a fraction, and nobody waits.",  # type: ignore[union-attr]
        )
    if brief.split.fits >= 3:
        return "fold race", f"{brief.split.fits} folds: a trial that cannot win any more skips the rest of them."
    return "none", f"With {brief.split.fits} folds there is nothing to save by stopping between them."


def _counts(chosen: Learner, space: Space) -> bool:
    """Whether a learner's iterations can grow: it is trained in them, and their number is not itself searched."""
    growth = chosen.growth
    return growth is not None and all(p.name != growth.counter for p in space.searched)


def _resource(found: Rule, chosen: Learner, space: Space, wanted: Any) -> str:
    if found.label == "None" and wanted is None:
        return ITERATIONS if chosen.growth and chosen.growth.by_epoch and _counts(chosen, space) else ""
    options = [r for r in found.resources if r != ITERATIONS or _counts(chosen, space)]
    if wanted is None:
        if not options:
            _refuse_iterations(chosen)
        return options[0]
    if wanted not in found.resources:
        raise InvalidPlan(f"{found.label} works on {' or '.join(found.resources)}, not on {wanted}.", at="plan.stopping.resource")
    if wanted == ITERATIONS and not _counts(chosen, space):
        _refuse_iterations(chosen)
    return str(wanted) if found.label != "None" or wanted == ITERATIONS else ""


def _refuse_iterations(chosen: Learner) -> None:
    if chosen.growth is None:
        raise InvalidPlan(f"{chosen.label} is not trained in iterations; let rows or folds grow.", at="plan.stopping.resource")
    name = chosen.growth.counter
    raise InvalidPlan(
        f"{name} is searched, so it cannot grow as well. Give it one value in the space, or let rows or folds grow.",
        at="plan.stopping.resource",
    )


def _most(chosen: Learner, space: Space, resource: str, shared: Mapping[str, Any], brief: Brief) -> int:
    given = shared.get("most")
    if given is not None and (resource != ITERATIONS or not isinstance(given, int) or given < 2):
        raise InvalidPlan(f"'most' is a whole number of iterations, 2 or more. Got {given!r}.", at="plan.stopping.most")
    if resource == ITERATIONS and chosen.growth is not None:
        fixed = space.by_name.get(chosen.growth.counter)
        kept = fixed.value if isinstance(fixed, Fixed) else chosen.defaults[chosen.growth.counter]
        return int(given or kept)
    return {ROWS: WHOLE_ROWS, FOLDS: brief.split.fits}.get(resource, 1)


def _levels(found: Rule, settings: Any, resource: str, most: int, brief: Brief, telling: Telling) -> tuple[int, ...]:
    if found.climbs:
        enough = telling() if resource == ROWS and not settings.least else None
        least = settings.least or usual_least(resource, most, settings.factor, enough)
        return geometric(resource, least, most, settings.factor).levels
    if resource == FOLDS:
        return fold_by_fold(settings.least, brief.split.fits).levels
    return (most,)


def _population(
    chosen: Learner, space: Space, plan: SettingsRequest, shared: Mapping[str, Any], given: Mapping[str, Any], brief: Brief
) -> Resolved:
    if plan.early_stopping not in ("none", AUTOMATIC):
        raise InvalidPlan(
            "Population training ends weak members itself: they go on as copies of strong ones. Choose early stopping 'none'.",
            at="plan.early stopping",
        )
    if given:
        raise InvalidPlan(
            f"'{next(iter(given))}' is not a setting of population training.", at=f"plan.stopping.{next(iter(given))}"
        )
    growth = chosen.growth
    if growth is None or not growth.steerable:
        raise InvalidPlan(f"{chosen.label} has no setting that may change while it is trained.", at="plan.strategy")
    if not _counts(chosen, space):
        _refuse_iterations(chosen)
    if not any(p.name in growth.steerable for p in space.searched):
        raise InvalidPlan(
            f"The space searches none of the settings that may change during training: {', '.join(growth.steerable)}.", at="space"
        )
    most = _most(chosen, space, ITERATIONS, shared, brief)
    interval = shared.get("interval", max(most // INTERVALS, 1))
    if not isinstance(interval, int) or not 1 <= interval < most:
        raise InvalidPlan(f"An interval is 1 to {most - 1} iterations. Got {interval!r}.", at="plan.stopping.interval")
    levels = tuple(sorted({*range(interval, most, interval), most}))
    reason = f"Members train {interval} iterations at a time; after each the weak become copies of the strong."
    return Resolved("none", reason, ITERATIONS, levels, {}, points(levels, growth.points), segments=True)
