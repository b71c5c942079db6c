"""From a plan's wish for early stopping to rule, resource and rungs; what is left to us is chosen, with the reason."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from pellux.core.errors import InvalidPlan
from pellux.core.objective import Configurable, Judging
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
    points,
    rule,
    settings_of,
    usual_least,
)
from pellux.core.strategies import STRATEGIES, Growing, strategy
from pellux.engine.pruning import Stopping
from pellux.service.planning.requests import SettingsRequest
from pellux.service.planning.schemas import StoppingView

WHOLE_ROWS = 100  # rows are counted in per cent of a fold's training rows
BOLDLY = " What a model proposes needs less sifting: one rung, at a ninth of the rows, of which the best ninth goes on."
WORTHWHILE = 8  # trials from which on comparing them early pays
MOVED = {"interval": "strategy settings"}  # what was a setting of early stopping, and where it belongs now
SHARED = ("resource", "most")


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
    first: int = 0

    def to_json(self) -> dict[str, Any]:
        return {
            "key": self.key, "reason": self.reason, "resource": self.resource, "levels": list(self.levels),
            "settings": dict(self.settings), "grid": list(self.grid), "first": self.first,
        }  # fmt: skip

    @staticmethod
    def from_json(found: Mapping[str, Any]) -> Resolved:
        return Resolved(
            found["key"], found["reason"], found["resource"], tuple(found["levels"]), found["settings"], tuple(found["grid"]),
            found.get("first", 0),
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
        return Stopping(chosen, settings_of(chosen.settings, self.settings), self.ladder, curves=self.resource == ITERATIONS)

    def in_full(self) -> Resolved:
        """The same without early stopping: a trial's whole way."""
        return Resolved("none", "", self.resource if self.resource == ITERATIONS else "", self.levels[-1:], {}, self.grid)


NOTHING = Resolved("none", "", "", (1,), {})  # every trial runs in full, and nothing grows


@dataclass(frozen=True)
class Chosen:
    """What early stopping is resolved for: what is configured, its space, the plan, the strategy's key, how it is judged; whether by
    several metrics together."""

    learner: Configurable
    space: Space
    plan: SettingsRequest
    strategy: str
    judging: Judging
    several: bool = False


def resolve_stopping(what: Chosen, telling: Callable[[], float | None] = lambda: None) -> Resolved:
    """Check early stopping against learner, space, strategy and folds; InvalidPlan says what does not go together.

    `telling` gives the share of rows that still tells something; it is asked only where rows grow.
    """
    given, shared = _given(what.plan)
    plan, chosen, fits = what.plan, what.learner, what.judging.fits
    key, reason = _rule(what) if plan.early_stopping == AUTOMATIC else (plan.early_stopping, "")
    found = rule(key)
    settings = settings_of(found.settings, given)
    resource = _resource(found, what, shared.get("resource"))
    if what.several and found.watches and resource == ITERATIONS:
        raise InvalidPlan(
            f"{found.label} looks at the curve of one metric, and several decide here: what is weak in one may be on the front. "
            "Choose halving, a fold race, or let folds grow.",
            at="plan.early stopping",
        )
    most = most_of(what, resource, shared.get("most"))
    if found.ladder is not None:
        own = found.ladder(settings, fits)
        return Resolved(key, reason or found.sentence, own.resource, own.levels, given, first=own.first)
    if (
        key == "asynchronous halving"
        and resource == ROWS
        and STRATEGIES[what.strategy].modelled
        and "factor" not in given
        and not settings.least  # 0 leaves it to us, said or not
    ):
        own_choice = bold(most, telling())
        given, settings = {**given, **own_choice}, settings_of(found.settings, {**given, **own_choice})
        reason = (reason or found.sentence) + (BOLDLY if own_choice else "")
    levels = _levels(found, settings, resource, most, fits, telling)
    grid = points(levels, chosen.growth.points) if resource == ITERATIONS and chosen.growth else ()
    return Resolved(key, reason or found.sentence, resource, levels, given, grid)


def _given(plan: SettingsRequest) -> tuple[dict[str, Any], dict[str, Any]]:
    """The rule's own settings, and those that any rule may have."""
    given = {key.replace("_", " "): value for key, value in plan.stopping.items()}
    for key, place in MOVED.items():
        if key in given:
            raise InvalidPlan(f"'{key}' is a setting of the strategy: write it under '{place}'.", at=f"plan.stopping.{key}")
    shared = {key: given.pop(key) for key in SHARED if key in given}
    resource = shared.get("resource")
    if resource is not None and resource not in RESOURCES:
        raise InvalidPlan(f"'{resource}' cannot grow. Allowed: {', '.join(RESOURCES)}.", at="plan.stopping.resource")
    return given, shared


def resolve_continuing(what: Chosen) -> tuple[Resolved, Any, int]:
    """Rungs, settings in full and number of trials of a strategy whose trials go on from each other."""
    entry = strategy(what.strategy)
    given, shared = _given(what.plan)
    settings = settings_of(entry.settings, what.plan.strategy_settings, whose="strategy", place="plan.strategy settings")
    if what.plan.early_stopping not in ("none", AUTOMATIC):
        raise InvalidPlan(
            f"{entry.label} ends weak members itself: they go on as copies of strong ones. Choose early stopping 'none'.",
            at="plan.early stopping",
        )
    if given:
        name = next(iter(given))
        raise InvalidPlan(f"'{name}' is not a setting of {what.strategy}.", at=f"plan.stopping.{name}")
    growth = what.learner.growth
    if growth is None or not growth.steerable:
        raise InvalidPlan(f"{what.learner.label} has no setting that may change while it is trained.", at="plan.strategy")
    if not counts(what):
        _refuse_iterations(what.learner)
    if not any(p.name in growth.steerable for p in what.space.searched):
        raise InvalidPlan(
            f"The space searches none of the settings that may change during training: {', '.join(growth.steerable)}.", at="space"
        )
    assert entry.divide is not None
    most = most_of(what, ITERATIONS, shared.get("most"))
    whole, trials, levels = entry.divide(settings, Growing(what.plan.trials, most, growth.steerable))
    reason = f"Members train {levels[0]} iterations at a time; after each the weak become copies of the strong."
    return Resolved("none", reason, ITERATIONS, levels, {}, points(levels, growth.points)), whole, trials


def _rule(what: Chosen) -> tuple[str, str]:
    """What Automatic picks."""
    if what.plan.trials < WORTHWHILE:
        return "none", f"{what.plan.trials} trials are too few to compare early."
    if counts(what):
        assert what.learner.growth is not None
        return (
            "asynchronous halving",
            f"{what.learner.label} is trained in {what.learner.growth.counter}: the weak end after a fraction, and nobody waits.",
        )
    fits = what.judging.fits
    if fits >= 3:
        return "fold race", f"{fits} folds: a trial that cannot win any more skips the rest of them."
    return "none", f"With {fits} folds there is nothing to save by stopping between them."


def counts(what: Chosen) -> bool:
    """Whether iterations can grow: it is trained in them, and their number is not itself searched."""
    growth = what.learner.growth
    return growth is not None and all(p.name != growth.counter for p in what.space.searched)


def _resource(found: Rule, what: Chosen, wanted: Any) -> str:
    chosen = what.learner
    if found.label == "None" and wanted is None:
        return ITERATIONS if chosen.growth and chosen.growth.by_epoch and counts(what) else ""
    options = [r for r in found.resources if (r != ITERATIONS or counts(what)) and (r != ROWS or what.judging.rows)]
    if not what.judging.rows and options == [FOLDS] and what.judging.fits < 2:
        raise InvalidPlan(
            f"{chosen.label} has one fold and is not trained in steps: there is nothing by which to end a trial early.",
            at="plan.early stopping",
        )
    if wanted is None:
        if not options:
            _refuse_iterations(chosen)
        return options[0]
    if wanted == ROWS and not what.judging.rows:
        raise InvalidPlan(f"{chosen.label} has no rows of which a fit could learn a part.", at="plan.stopping.resource")
    if wanted not in found.resources:
        raise InvalidPlan(f"{found.label} works on {' or '.join(found.resources)}, not on {wanted}.", at="plan.stopping.resource")
    if wanted == ITERATIONS and not counts(what):
        _refuse_iterations(chosen)
    return str(wanted) if found.label != "None" or wanted == ITERATIONS else ""


def _refuse_iterations(chosen: Configurable) -> None:
    if chosen.growth is None:
        raise InvalidPlan(f"{chosen.label} is not trained in iterations; let rows or folds grow.", at="plan.stopping.resource")
    name = chosen.growth.counter
    raise InvalidPlan(
        f"{name} is searched, so it cannot grow as well. Give it one value in the space, or let rows or folds grow.",
        at="plan.stopping.resource",
    )


def most_of(what: Chosen, resource: str, given: Any) -> int:
    """All of what grows."""
    if given is not None and (resource != ITERATIONS or not isinstance(given, int) or given < 2):
        raise InvalidPlan(f"'most' is a whole number of iterations, 2 or more. Got {given!r}.", at="plan.stopping.most")
    if resource == ITERATIONS and what.learner.growth is not None:
        counter = what.learner.growth.counter
        fixed = what.space.by_name.get(counter)
        kept = fixed.value if isinstance(fixed, Fixed) else what.learner.defaults[counter]
        return int(given or kept)
    return {ROWS: WHOLE_ROWS, FOLDS: what.judging.fits}.get(resource, 1)


def _levels(
    found: Rule, settings: Any, resource: str, most: int, fits: int, telling: Callable[[], float | None]
) -> tuple[int, ...]:
    if found.climbs:
        enough = telling() if resource == ROWS and not settings.least else None
        least = settings.least or usual_least(resource, most, settings.factor, enough)
        return geometric(resource, least, most, settings.factor).levels
    if resource == FOLDS:
        return fold_by_fold(settings.least, fits).levels
    return (most,)
