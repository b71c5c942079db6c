"""Entrants of a face-off replayed: scores come from a model of the trials so far and what it leaves open; the strategies, the stopping rules
and the coordinator are the real ones, on a virtual clock.

What folds do to a configuration they do to its neighbours, too: how folds differ is no noise between trials. What is, is how far trials lie
from the model, and by that much a score here is lucky or not; a run is credited with its luck, as one with real fits is. Luck has a place:
fits of settings that are nearly the same score nearly the same, so that nobody gains by asking again next door. Over how short a way it
changes the trials cannot tell, but not over longer ones than they lie apart: it is a random function with half of that as its length scale.
Where a trial was fitted its luck is known: there the function is what that trial had, and a replay that tries the same scores the same.
"""

from __future__ import annotations

import zlib
from collections.abc import Sequence
from dataclasses import dataclass
from statistics import median
from typing import Any

import numpy as np
import scipy
from numpy.typing import NDArray

from pellux.core.errors import Conflict
from pellux.core.evidence.faceoff import Played
from pellux.core.evidence.reading import MOST, Reading, read
from pellux.core.space import Configuration, identity, parse
from pellux.core.strategies import Partial, SeedStream, Suggest, strategy
from pellux.core.strategies.partial import history
from pellux.core.surrogates.gaussian_process import telling
from pellux.engine.coordinator import Coordinator
from pellux.engine.model import Limits
from pellux.engine.pruning import Stopping
from pellux.engine.runners.simulated import SimulatedWorld
from pellux.engine.simulation import simulate
from pellux.engine.states import TrialState
from pellux.service.evidence.gathered import Gathered

Array = NDArray[np.float64]
SECONDS = 1.0  # of a fit, where no trial has taken any
APART = 0.5  # of how far trials lie apart: the length over which luck changes
WAVES = 256
EXACT = 0.01  # of the variance of luck, that a trial's own may be off: two of one configuration need not agree


@dataclass(frozen=True)
class Entrant:
    """A way to search, resolved."""

    strategy: str
    settings: Any
    stopping: Stopping
    workers: int


def replay(
    known: Gathered, entrants: Sequence[Entrant], folds: int, budget: str, amount: int, repeats: int, seed: int
) -> dict[str, Any]:
    """Every repeat of every entrant, as plain lists; in a process of its own. The same for the same trials and seed."""
    scored = [t for t in known.tried if t.mean is not None]
    space = parse(known.space)
    reading = read(
        space, [t.configuration for t in scored], np.array([t.mean for t in scored], dtype=float), np.random.default_rng(known.seed)
    )
    if reading is None:
        raise Conflict("Too few trials are scored, or all scored alike, to replay anything: let the entrants be fitted.")
    world = _World(known, reading, folds)
    runs = []
    for repeat in range(repeats):
        for place, entrant in enumerate(entrants):
            played = _play(world, entrant, budget, amount, seed + repeat)
            runs.append(
                {
                    "entrant": place, "repeat": repeat, "ends": played.ends.tolist(),
                    "scores": [None if np.isnan(s) else float(s) for s in played.scores], "seconds": played.seconds.tolist(),
                }
            )  # fmt: skip
    return {"runs": runs, "explained": reading.explained}


class _World:
    """What a fit would score and take: the model's mean, luck that has a place, how folds differ, and how fits scatter about that."""

    def __init__(self, known: Gathered, reading: Reading, folds: int) -> None:
        self.reading, self._known, self._lucks = reading, dict[str, tuple[Array, float]](), dict[int, Array]()
        table = np.array([row for row in known.whole if len(row) == folds] or np.zeros((0, folds)), dtype=float)
        self.folds, self.sign = folds, known.sign
        self.luck = float(reading.unit * reading.noise)
        self.ease, self.scatter = np.zeros(folds), self.luck * np.sqrt(folds)
        if len(table) >= 3:
            apart = table - table.mean(1, keepdims=True)
            self.ease = apart.mean(0)
            rest = apart - self.ease
            self.scatter = float(np.sqrt((rest**2).sum() / max((len(table) - 1) * (folds - 1), 1)))
        taken = [t.seconds / max(len(t.scores), 1) for t in known.tried if t.seconds > 0 and t.scores]
        self.seconds = median(taken) if taken else SECONDS
        self._luck = _Luck.of(reading)

    def at(self, configuration: Configuration) -> tuple[Array, float]:
        """Its place in the unit cube, and what the model expects there."""
        key = identity(configuration)
        if key not in self._known:
            point = _place(self.reading.space.encode(configuration))
            features = self.reading.coding.features(self.reading.space.snap(point[None]))
            self._known[key] = point, float(self.reading.in_scores(self.reading.posteriors[0].expected(features))[0])
        return self._known[key]

    def score(self, configuration: Configuration, fold: int, seed: int) -> float:
        """In the metric's own direction; the same for the same configuration, fold and seed."""
        if seed not in self._lucks:
            self._lucks[seed] = self._luck.drawn(np.random.default_rng([seed, WAVES]))
        place, expected = self.at(configuration)
        each = np.random.default_rng([seed, zlib.crc32(identity(configuration).encode())]).standard_normal(self.folds)
        # Over all folds their scatter comes to nothing: what is left of a mean is luck, and has its place.
        about = self.scatter * float(each[fold] - each.mean())
        return float(self.sign * (expected + self.luck * self._luck.at(place, self._lucks[seed]) + self.ease[fold] + about))


@dataclass(frozen=True)
class _Luck:
    """Random functions of the unit cube with variance 1, by random Fourier features (Rahimi & Recht 2007), which are pulled to the luck that
    fitted trials had (Matheron's rule, as in core/evidence/functions.py)."""

    length: float
    directions: Array
    phases: Array
    places: Array  # of the trials, shape (n, dimension)
    had: Array  # their luck

    @staticmethod
    def of(reading: Reading) -> _Luck:
        chosen = telling(reading.standard, MOST)
        features = reading.coding.features(reading.known[chosen])
        had = (reading.standard[chosen] - reading.posteriors[0].expected(features)) / max(reading.noise, 1e-9)
        dimension, rng = reading.space.dimension, np.random.default_rng(WAVES)
        length = APART * reading.trials ** (-1 / dimension)
        directions, phases = rng.standard_normal((dimension, WAVES)) / length, rng.uniform(0, 2 * np.pi, WAVES)
        return _Luck(length, directions, phases, _place(reading.known[chosen]), had)

    def drawn(self, rng: np.random.Generator) -> Array:
        """The weights of one function: of its waves, then of its pulls."""
        waves = rng.standard_normal(WAVES)
        alike = self._alike(self.places) + EXACT * np.eye(len(self.places))
        missing = self.had - self._waves(self.places) @ waves
        return np.concatenate([waves, np.linalg.solve(alike, missing)])

    def at(self, place: Array, weights: Array) -> float:
        return float((np.hstack([self._waves(place[None]), self._alike(place[None])]) @ weights)[0])

    def _waves(self, places: Array) -> Array:
        found: Array = np.cos(places @ self.directions + self.phases) * np.sqrt(2 / WAVES)
        return found

    def _alike(self, places: Array) -> Array:
        found: Array = np.exp(-0.5 * scipy.spatial.distance.cdist(places, self.places, "sqeuclidean") / self.length**2)
        return found


def _place(points: Array) -> Array:
    """Points with parameters that are inactive in the middle."""
    return np.nan_to_num(points, nan=0.5)


def _play(world: _World, entrant: Entrant, budget: str, amount: int, seed: int) -> Played:
    chosen, space = strategy(entrant.strategy), world.reading.space
    ladder = entrant.stopping.ladder
    ended: list[tuple[float, int]] = []
    fits = {"count": 0, "now": 0.0}

    def propose(number: int, coordinator: Coordinator) -> Configuration | None:
        if (budget == "fits" and fits["count"] >= amount) or (budget == "seconds" and fits["now"] >= amount):
            return None
        trials = [coordinator.trials[n] for n in sorted(coordinator.trials)]
        partial = [
            Partial(
                t.configuration, {r: tuple(world.sign * s for s in scores if s is not None) for r, scores in t.results.items()}, t.seconds,
                t.state.value, t.number, t.rung, t.cohort, tuple(None if s is None else world.sign * s for s in t.scores),
            )
            for t in trials
            if t.results or t.state.ended
        ]  # fmt: skip
        pending = [t.configuration for t in trials if not t.state.ended and not t.results]
        seen = history(space, partial, world.folds, ladder.resource, ladder.top)
        answer = chosen.ask(space, seen, pending, 1, SeedStream(seed, number), entrant.settings)
        return answer.configurations[0] if isinstance(answer, Suggest) and answer.configurations else None

    def on_end(fit: Any, seconds: float, at: float) -> None:
        fits["count"] += 1
        fits["now"] = at
        ended.append((at, fit.trial))

    simulated = SimulatedWorld(
        duration=lambda configuration, fold, before, level: world.seconds,
        score=lambda configuration, fold, level: world.score(configuration, fold, seed),
    )
    limits = Limits(
        trials=amount if budget == "trials" else 10_000, workers=entrant.workers, folds=world.folds,
        minutes=amount / 60 if budget == "seconds" else None, sign=world.sign,
    )  # fmt: skip
    course = simulate(limits, propose, simulated, stopping=entrant.stopping, on_end=on_end)
    last = {trial: at for at, trial in ended}
    done = sorted((n for n in course.coordinator.trials if n in last), key=lambda n: last[n])
    trials = [course.coordinator.trials[n] for n in done]
    scores = [np.nan if t.state is not TrialState.SCORED or t.mean is None else world.sign * t.mean for t in trials]
    return Played(
        np.array([last[n] for n in done]), np.array(scores, dtype=float), np.array([t.seconds for t in trials], dtype=float)
    )
