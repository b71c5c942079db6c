"""Made-up searches whose truth is known: a random landscape, planted traits, noise, failures; and what each finding has to be to be right."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from pellux.core.evidence.curves import along
from pellux.core.evidence.findings import Finding, Material, Tried
from pellux.core.evidence.importance import importances
from pellux.core.evidence.noise import noise as noise_of
from pellux.core.evidence.reading import read
from pellux.core.space import Choice, Configuration, Integer, Real, Space, parse
from pellux.core.strategies import History, Observation, SeedStream, Suggest, gaussian_process, parzen_density
from pellux.core.strategies.even_spread import sobol

Array = NDArray[np.float64]
FOLDS = 5
SAMPLE = 2_500  # points of the space by which a truth is weighed
STRATEGIES = ("random draws", "even spread", "parzen density", "gaussian process")


@dataclass
class Landscape:
    """`value` of a configuration is the true score; `fails` where it can not be fitted. `parts` are effects of single parameters."""

    space: Space
    parts: dict[str, Callable[[float], float]]
    ridges: dict[tuple[str, str], float] = field(default_factory=dict)
    corner: tuple[tuple[str, float], ...] = ()
    offset: float = 0.0

    def value(self, configuration: Configuration) -> float:
        found = self.offset
        for name, effect in self.parts.items():
            if name in configuration:
                found += effect(self._at(name, configuration))
        for (a, b), weight in self.ridges.items():
            along_ = self._at(a, configuration) + np.sign(weight) * self._at(b, configuration) - (1.0 if weight > 0 else 0.0)
            found -= abs(weight) * along_**2
        return float(found)

    def _at(self, name: str, configuration: Configuration) -> float:
        """A number by its place on the scale that the effect is made for, which goes on beyond the ends of the space."""
        p = self.space.by_name[name]
        value = configuration[name]
        if isinstance(p, Choice):
            return float(p.options.index(value))
        assert isinstance(p, (Real, Integer))
        if p.log or name == "wide":
            return float(np.log(max(float(value), 1e-9) / p.low) / np.log(p.high / p.low))
        return (float(value) - p.low) / (p.high - p.low)

    def fails(self, configuration: Configuration) -> bool:
        return bool(self.corner) and all(self._at(name, configuration) > edge for name, edge in self.corner)


@dataclass
class MadeUp:
    """A search on a landscape, and what is true of it."""

    landscape: Landscape
    material: Material
    strategy: str
    noise: float
    points: Array
    truths: Array  # of the points of the sample

    @property
    def spread(self) -> float:
        return float(self.truths.std()) or 1.0


def landscape(rng: np.random.Generator) -> Landscape:
    """3 to 7 parameters; each trait is planted in a share of the landscapes."""
    lines, parts, ridges = list[str](), dict[str, Callable[[float], float]](), dict[tuple[str, str], float]()
    numbers = []
    for i in range(int(rng.integers(2, 5))):
        name = f"n{i}"
        numbers.append(name)
        lines.append(f"{name}: {'1e-4 .. 1 log' if rng.random() < 0.4 else '0 .. 10'}")
        top, weight = (
            float(rng.choice([rng.uniform(-0.5, -0.1), rng.uniform(0.1, 0.9), rng.uniform(0.1, 0.9), rng.uniform(1.1, 1.5)])),
            rng.uniform(0.5, 4),
        )
        parts[name] = _hill(top, weight, bool(rng.random() < 0.5))
    if rng.random() < 0.5:
        lines.append("idle: 0 .. 1" if rng.random() < 0.5 else "idle: 1 .. 9 int")
    if rng.random() < 0.4:
        lines.append("wide: 1 .. 1000" + (" int" if rng.random() < 0.5 else ""))
        parts["wide"] = _hill(float(rng.uniform(0.05, 0.95)), 6.0, False)
    if rng.random() < 0.6:
        count = int(rng.integers(2, 5))
        lines.append("kind: " + " | ".join("pqrs"[:count]))
        effects = rng.uniform(-1.2, 0, count)
        parts["kind"] = lambda at, effects=effects: float(effects[int(at)])  # type: ignore[misc]
        if rng.random() < 0.5:
            lines.append("own: 0 .. 1 if kind == p")
            parts["own"] = _hill(float(rng.uniform(0, 1)), 2.0, False)
    if len(numbers) > 2 and rng.random() < 0.4:
        a, b = numbers[:2]
        ridges[a, b] = float(rng.choice([-1, 1]) * rng.uniform(6, 14))
        for name in (a, b):
            parts[name] = _hill(0.5, 0.3, False)
    corner: tuple[tuple[str, float], ...] = ()
    if rng.random() < 0.3:
        corner = (
            (numbers[-1], float(rng.uniform(0.6, 0.85))),
            *(((numbers[0], float(rng.uniform(0.4, 0.7))),) if rng.random() < 0.5 else ()),
        )
    return Landscape(parse("\n".join(lines)), parts, ridges, corner)


def _hill(top: float, weight: float, sharp: bool) -> Callable[[float], float]:
    return (lambda at: -weight * abs(at - top)) if sharp else (lambda at: -weight * (at - top) ** 2)


def search(seed: int) -> MadeUp:
    """A search of 20 to 200 trials by any strategy (the costlier ones shorter), with fold scores and noise."""
    rng = np.random.default_rng([seed, 24])
    land = landscape(rng)
    strategy = str(rng.choice(STRATEGIES))
    trials = int(rng.choice([20, 30, 45, 70, 100, 140, 200] if strategy != "gaussian process" else [20, 30, 45, 70]))
    points = np.random.default_rng([seed, 25]).random((SAMPLE, land.space.dimension))
    truths = np.array([land.value(land.space.decode(row)) for row in points])
    level = float(rng.choice([0.02, 0.1, 0.3, 1.0, 30.0], p=[0.3, 0.3, 0.2, 0.1, 0.1])) * float(truths.std())
    tried = play(land, strategy, trials, level, seed, rng)
    material = material_of(land.space, tried, strategy, seed)
    return MadeUp(land, material, strategy, level, points, truths)


def play(
    land: Landscape, strategy: str, trials: int, level: float, seed: int, rng: np.random.Generator, *,
    space: Space | None = None, known: Sequence[Tried] = (),
) -> list[Tried]:  # fmt: skip
    """Trials of a strategy; `level` is the standard deviation of a trial's mean. In the landscape's own space, or in another one with
    what is known from before."""
    space = space or land.space
    found = list[Tried]()
    history = [Observation(t.configuration, t.scores, 1.0, "failed" if t.failed else "scored", elsewhere=True) for t in known]
    even = sobol(space.dimension, trials, rng)
    ease = rng.standard_normal(FOLDS) * level
    for number in range(1, trials + 1):
        configuration = _proposed(space, strategy, history, even, number, seed, rng)
        if configuration is None:
            break
        failed = land.fails(configuration)
        scores = tuple(float(land.value(configuration) + e) for e in ease + level * np.sqrt(FOLDS) * rng.standard_normal(FOLDS))
        mean = None if failed else float(np.mean(scores))
        found.append(Tried(number, configuration, mean, () if failed else scores, 1.0, failed))
        history.append(Observation(configuration, () if failed else scores, 1.0, "failed" if failed else "scored", number=number))
    return found


def _proposed(
    space: Space, strategy: str, history: History, even: Array, number: int, seed: int, rng: np.random.Generator
) -> Configuration | None:  # fmt: skip
    if strategy == "random draws":
        return space.decode(rng.random(space.dimension))
    if strategy == "even spread":
        return space.decode(even[number - 1])
    propose = {"parzen density": parzen_density.propose, "gaussian process": gaussian_process.propose}[strategy]
    answer = propose(space, history, [], 1, SeedStream(seed, number))
    return answer.configurations[0] if isinstance(answer, Suggest) else None


def material_of(space: Space, tried: list[Tried], strategy: str, seed: int, **more: object) -> Material:
    rng = np.random.default_rng([seed, 26])
    scored = [t for t in tried if t.mean is not None]
    reading = read(space, [t.configuration for t in scored], np.array([t.mean for t in scored], dtype=float), rng)
    learns = strategy in ("parzen density", "gaussian process")
    if reading is None:
        return Material(space, tuple(tried), models=learns)
    whole = [[float(s or 0.0) for s in t.scores] for t in scored]
    return Material(
        space, tuple(tried), reading, importances(reading, rng), along(reading), noise_of(whole, 1 / (FOLDS - 1)), models=learns
    )  # fmt: skip


# What makes a finding right


def right(made: MadeUp, finding: Finding) -> bool:
    return TRUTHS[finding.code](made, finding)


def _best_along(made: MadeUp, name: str, positions: Array) -> Array:
    """The best true value that can be had at each position of a parameter."""
    land, place = made.landscape, made.landscape.space.place[name]
    order = np.argsort(-made.truths)[:200]
    found = []
    for position in positions:
        rows = made.points[order].copy()
        rows[:, place] = position
        values = [land.value(c) for row in rows if name in (c := land.space.decode(row)) and not land.fails(c)]
        found.append(max(values, default=-np.inf))
    return np.array(found)


def _crowded_end(made: MadeUp, finding: Finding) -> bool:
    """What can be reached still rises, or is level, up to that end."""
    along_ = _best_along(made, finding.names[0], np.linspace(0, 1, 21))
    along_ = along_ if finding.facts["upper"] else along_[::-1]
    return bool(along_[-1] >= along_.max() - 0.02 * made.spread and along_[-1] > along_[-5])


def _dead(made: MadeUp, finding: Finding) -> bool:
    """It makes less than two per cent of what the score can differ by near the best, and in all."""
    name = finding.names[0]
    part = made.landscape.parts.get(name)
    pairs = [w for pair, w in made.landscape.ridges.items() if name in pair]
    if part is None and not pairs:
        return True
    along_ = _best_along(made, name, np.linspace(0, 1, 21))
    return bool(np.ptp(along_[np.isfinite(along_)]) < 0.1 * made.spread)


def _collapsed(made: MadeUp, finding: Finding) -> bool:
    """The part holds the best that there is, but for a twentieth of a standard deviation."""
    name = finding.names[0]
    p, new = made.landscape.space.by_name[name], finding.change.parameters[0]
    positions = np.linspace(0, 1, 41)
    along_ = _best_along(made, name, positions)
    inside = np.array([new.contains(p.decode(float(at))) for at in positions])
    return bool(along_[inside].max() >= along_.max() - 0.05 * made.spread)


def _log_axis(made: MadeUp, finding: Finding) -> bool:
    """The best of it lies in the lowest fifth of the linear range."""
    along_ = _best_along(made, finding.names[0], np.linspace(0, 1, 201))
    return bool(along_.argmax() <= 40)


def _losing(made: MadeUp, finding: Finding) -> bool:
    """Nothing that goes with the options dropped comes up to the best of the others."""
    choice = made.landscape.space.by_name[finding.names[0]]
    assert isinstance(choice, Choice)
    along_ = _best_along(made, choice.name, np.array([choice.encode(option) for option in choice.options]))
    dropped = [str(option) in finding.facts["options"] for option in choice.options]
    return bool(along_[np.array(dropped)].max() < along_[~np.array(dropped)].max())


def _ridge(made: MadeUp, finding: Finding) -> bool:
    return any(set(pair) == set(finding.names) for pair in made.landscape.ridges)


def _corner(made: MadeUp, finding: Finding) -> bool:
    """Of what the requirement excludes, at least seven tenths fails in truth; of what it allows, at most a tenth."""
    land = made.landscape
    kept = finding.change.applied(land.space)
    shut = [(land.fails(c), kept.fulfils(c)) for row in made.points[:1000] if (c := land.space.decode(row))]
    outside = [failed for failed, fulfils in shut if not fulfils]
    inside = [failed for failed, fulfils in shut if fulfils]
    return bool(outside and np.mean(outside) >= 0.7 and (not inside or np.mean(inside) <= 0.1))


def _little(made: MadeUp, finding: Finding) -> bool:
    """Its best is not far behind: within half a standard deviation of the landscape of the best there is."""
    choice = made.landscape.space.by_name[finding.names[0]]
    assert isinstance(choice, Choice)
    along_ = _best_along(made, choice.name, np.array([choice.encode(option) for option in choice.options]))
    k = [str(option) for option in choice.options].index(finding.facts["option"])
    return bool(along_[k] >= along_.max() - 0.5 * made.spread)


def _within(made: MadeUp, finding: Finding) -> bool:
    """The true scores of the trials differ by less than their noise."""
    truths = [made.landscape.value(t.configuration) for t in made.material.scored]
    return bool(np.std(truths) < made.noise)


def _nothing(made: MadeUp, finding: Finding) -> bool:
    """The best trial's true score is within a tenth of a standard deviation, or the noise, of the best there is."""
    [best] = [t for t in made.material.tried if t.id == finding.trials[0]]
    return bool(made.landscape.value(best.configuration) >= made.truths.max() - max(0.1 * made.spread, made.noise))


def _flat(made: MadeUp, finding: Finding) -> bool:
    """None of the trials that would have been cut is the truly best one by more than the noise."""
    by_id = {t.id: made.landscape.value(t.configuration) for t in made.material.scored}
    return max(by_id[i] for i in finding.trials) <= by_id[finding.facts["best"]] + made.noise


TRUTHS: dict[str, Callable[[MadeUp, Finding], bool]] = {
    "crowded end": _crowded_end, "dead setting": _dead, "collapsed range": _collapsed, "log axis": _log_axis, "losing option": _losing,
    "ridge": _ridge, "failing corner": _corner, "little tried": _little, "within noise": _within, "nothing gained": _nothing,
    "flat runs": _flat,
}  # fmt: skip


# What there is to be found, so that it can be said how much of it is

Trait = tuple[str, ...]


def trait(finding: Finding) -> Trait:
    """What a finding says is there."""
    if finding.code == "crowded end":
        return finding.code, finding.names[0], "upper" if finding.facts["upper"] else "lower"
    return (finding.code,) if finding.code == "failing corner" else (finding.code, *sorted(finding.names))


def planted(made: MadeUp) -> set[Trait]:
    """What is there by the landscape, of the kinds for which that can be said."""
    land, found = made.landscape, set[Trait]()
    for p in land.space.searched:
        if p.name not in land.parts and not any(p.name in pair for pair in land.ridges):
            found.add(("dead setting", p.name))
        if isinstance(p, Choice):
            reached = _best_along(made, p.name, np.array([p.encode(option) for option in p.options]))
            if reached.min() < reached.max() - 0.3 * made.spread:
                found.add(("losing option", p.name))
            continue
        reached = _best_along(made, p.name, np.linspace(0, 1, 21))
        for side, ends in (("upper", reached), ("lower", reached[::-1])):
            if p.name != "wide" and ends[-1] >= ends.max() and ends[-1] > ends[-5] + 0.2 * made.spread:
                found.add(("crowded end", p.name, side))
    found |= {("ridge", *sorted(pair)) for pair in land.ridges}
    return found | ({("failing corner",)} if land.corner else set())
