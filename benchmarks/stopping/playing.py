"""A search played on a table: the real coordinator and rules on a virtual clock, scores looked up, nothing computed."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import dataclass, field

import numpy as np

from benchmarks.stopping.tables import Table, telling
from pellux.core.stopping import FOLDS, Ladder, bold, fold_by_fold, geometric, rule, settings_of, usual_least
from pellux.core.strategies import Partial, SeedStream, even_spread
from pellux.core.strategies.gains import log_expected_improvement
from pellux.core.strategies.gaussian_process import FIRST_TRIALS, believe
from pellux.core.strategies.partial import history
from pellux.core.surrogates.coding import Coding
from pellux.engine.coordinator import Coordinator
from pellux.engine.messages import StartFit
from pellux.engine.model import Limits
from pellux.engine.pruning import Stopping
from pellux.engine.runners.simulated import SimulatedWorld
from pellux.engine.simulation import Course, simulate

Asker = Callable[[int, Coordinator], dict[str, int] | None]


class Reached(Exception):
    """The score that was waited for is there."""


@dataclass
class Player:
    """Proposes rows of a table: at random, or as the Gaussian process does."""

    table: Table
    seed: int
    model: bool = False
    taken: set[int] = field(default_factory=set)

    def __post_init__(self) -> None:
        self.order = [int(i) for i in np.random.default_rng([self.seed, 5]).permutation(len(self.table.points))]
        self.space, self.coding = self.table.space, Coding.of(self.table.space)
        self.configurations = self.table.configurations
        self.features = self.coding.features(self.table.points)

    def ask(self, number: int, coordinator: Coordinator) -> dict[str, int] | None:
        if len(self.taken) == len(self.order):
            return None
        row = next(i for i in self.order if i not in self.taken)
        if self.model:
            best = self._best(coordinator)
            row = self.first(len(self.taken)) if best is None else best
        self.taken.add(row)
        return {"row": row}

    def first(self, tried: int) -> int:
        """As the strategy begins: the row nearest to the middle of the space, then those nearest to an even spread."""
        middle = self.space.decode(np.full(self.space.dimension, 0.5))
        wanted = even_spread.point(self.space, SeedStream(self.seed, tried + 1)) if tried else middle
        free = np.array([i for i in range(len(self.order)) if i not in self.taken])
        gap = self.features[free] - self.coding.features(self.space.encode(wanted or middle)[None])
        return int(free[int(np.argmin((gap * gap).sum(1)))])

    def _best(self, coordinator: Coordinator) -> int | None:
        """The row of the largest log expected improvement, after what the strategy would learn from the same trials."""
        trials = [coordinator.trials[n] for n in sorted(set(coordinator.changed_since(0)))]
        known = [
            Partial(self._of(t), t.results, t.seconds, t.state.value, t.number, t.rung, 0, tuple(t.scores)) for t in trials
        ]  # fmt: skip
        ladder = coordinator.pruning.ladder
        seen = history(self.space, known, coordinator.limits.folds, ladder.resource, ladder.top)
        scored = [o for o in seen if o.mean is not None]
        if len(trials) < FIRST_TRIALS or len(scored) < 2:
            return None
        model = believe(self.space, scored, [self._of(t) for t in coordinator.live if not t.results])
        free = np.array([i for i in range(len(self.order)) if i not in self.taken])
        mean, deviation = model.posterior.predict(self.features[free])
        gain = log_expected_improvement(mean, deviation, float(model.expected.max()))[0]
        return int(free[int(np.argmax(gain))])

    def _of(self, trial: object) -> dict[str, object]:
        return self.configurations[trial.configuration["row"]]  # type: ignore[attr-defined]


def stopping(key: str, table: Table, model: bool = False, **settings: float) -> Stopping:
    """A rule on a table's resource, by the product's own defaults; races and medians on its folds."""
    chosen, source = rule(key), table.source
    if model and source.resource == "rows" and not settings:
        settings = dict(bold(source.levels[-1], telling(table.name)))
    made = settings_of(chosen.settings, {k.replace("_", " "): v for k, v in settings.items()})
    if chosen.climbs:
        factor, whole = made.factor, source.levels[-1]
        enough = telling(table.name) if source.resource == "rows" else None
        ladder = geometric(source.resource, made.least or usual_least(source.resource, whole, factor, enough), whole, factor)
    else:
        ladder = fold_by_fold(made.least, source.folds) if FOLDS in chosen.resources and key != "none" else Ladder()
    return Stopping(chosen, made, ladder)


def best_so_far(table: Table) -> np.ndarray:
    """Mean over folds, the best up to each level where they are iterations: shape (configurations, levels)."""
    means: np.ndarray = table.scores.mean(axis=2)
    return np.maximum.accumulate(means, axis=1) if table.source.resource == "iterations" else means


def work_until(
    table: Table, key: str, seed: int, wanted: Sequence[float], *, model: bool = False, workers: int = 1, **settings: float
) -> list[float]:
    """Units of the resource spent until a configuration's score in full is at least each of `wanted`; inf when it never is."""
    means, levels = best_so_far(table), table.source.levels
    place = {level: i for i, level in enumerate(levels)}
    rule_ = stopping(key, table, model, **settings)
    whole = levels[-1]
    spent, reached = 0.0, [float("inf")] * len(wanted)

    def cost(row: int, before: int, level: int) -> float:
        return float(level if table.source.resource == "rows" else level - before)

    def score(configuration: dict[str, int], fold: int, level: int) -> float:
        return float(means[configuration["row"], place[level if key != "none" else whole]])

    def duration(configuration: dict[str, int], fold: int, before: int, level: int) -> float:
        return cost(configuration["row"], before, level if key != "none" else whole)

    def on_end(fit: StartFit, seconds: float, end: float) -> None:
        nonlocal spent
        spent += seconds
        if key != "none" and fit.level != whole:
            return
        found = means[fit.configuration["row"], -1]  # type: ignore[index]
        reached[:] = [min(before, spent) if found >= goal else before for before, goal in zip(reached, wanted, strict=True)]
        if np.isfinite(reached).all():
            raise Reached

    limits = Limits(trials=len(table.points), workers=workers, folds=1)
    player = Player(table, seed, model)
    with suppress(Reached):
        simulate(limits, player.ask, SimulatedWorld(duration, score), stopping=rule_, on_end=on_end)  # type: ignore[arg-type]
    return reached


def raced(table: Table, seed: int, trials: int, key: str = "fold race", **settings: float) -> Course:
    """A search of some trials in random order with their real fold scores."""
    player = Player(table, seed)
    last = table.scores[:, -1, :]
    world = SimulatedWorld(lambda *_: 1.0, lambda c, fold, level: float(last[c["row"], fold]))  # type: ignore[index, call-overload]
    limits = Limits(trials=trials, workers=1, folds=table.source.folds)
    return simulate(limits, player.ask, world, stopping=stopping(key, table, **settings))


__all__ = ["Player", "Reached", "best_so_far", "raced", "stopping", "work_until"]
