"""Several metrics at once: how much of what can be covered the front of a strategy covers.

python -m benchmarks.strategies.several        # its part of docs/benchmarks.md; seeds from 600

ZDT1 to 3 (Zitzler, Deb & Thiele 2000), Branin and Currin (Belakaria, Deshwal & Doppa 2019), DTLZ2 with three metrics (Deb et al. 2002), and two
tables of real fits: error against prediction time. What can be covered is known by formula, or by a fine grid or many draws here, apart from any
strategy. Reference points are fixed for judging; the strategies find their own.
"""

from __future__ import annotations

import os

os.environ.update(OMP_NUM_THREADS="1", OPENBLAS_NUM_THREADS="1")

import math
import resource
import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from benchmarks.strategies import prediction_times, tables
from benchmarks.strategies.functions import Configuration
from benchmarks.strategies.parts import write
from pellux.core.judging.fronts import course, hypervolume, on_front
from pellux.core.settings import NoSettings
from pellux.core.space import Space, draw, parse
from pellux.core.strategies import STRATEGIES, Observation, SeedStream, Suggest

SEEDS = range(600, 615)
MARKS = (20, 40, 60, 100)
LONG = "Branin–Currin"  # whose goal lies at 100; the others end at 60
STRATEGIES_SHOWN = ("gaussian process", "parzen density", "evolution")


@dataclass(frozen=True)
class Several:
    """A problem: all metrics of a configuration, larger is better, and what is judged by."""

    name: str
    space: Space
    values: Callable[[Configuration], tuple[float, ...]]
    reference: tuple[float, ...]
    best: Callable[[], float]  # the largest volume that can be covered
    random_at: int = 480

    @property
    def trials(self) -> int:
        return MARKS[-1] if self.name == LONG else 60


def _numbers(c: Configuration) -> np.ndarray:
    return np.array([float(value) for value in c.values()])  # type: ignore[arg-type]


def _unit(count: int) -> Space:
    return parse("\n".join(f"x{i}: 0 .. 1" for i in range(count)))


def _zdt(shape: Callable[[float, float], float]) -> Callable[[Configuration], tuple[float, ...]]:
    def values(c: Configuration) -> tuple[float, ...]:
        x = _numbers(c)
        g = 1 + 9 * float(x[1:].mean())
        return -float(x[0]), -g * shape(float(x[0]), g)

    return values


def _zdt_best(shape: Callable[[float, float], float]) -> Callable[[], float]:
    """The front has g = 1."""

    def best() -> float:
        across = np.linspace(0, 1, 200_001)
        return _covered(np.stack([-across, [-shape(float(a), 1.0) for a in across]], axis=1), (-1.1, -1.1))

    return best


def _covered(values: np.ndarray, reference: tuple[float, float]) -> float:
    """Hypervolume of very many points in two metrics."""
    order = np.lexsort((-values[:, 1], -values[:, 0]))
    first, second = values[order].T
    reached = np.maximum.accumulate(second)
    ends = np.append(first[1:], reference[0])
    return float(((first - np.maximum(ends, reference[0])).clip(0) * (reached - reference[1]).clip(0)).sum())


def branin_currin(a: np.ndarray, b: np.ndarray) -> np.ndarray:
    x, y = 15 * a - 5, 15 * b
    branin = (y - 5.1 / (4 * np.pi**2) * x**2 + 5 / np.pi * x - 6) ** 2 + 10 * (1 - 1 / (8 * np.pi)) * np.cos(x) + 10
    with np.errstate(divide="ignore", over="ignore"):
        damp = 1 - np.where(b > 0, np.exp(-1 / (2 * b)), 0.0)
    currin = damp * (2300 * a**3 + 1900 * a**2 + 2092 * a + 60) / (100 * a**3 + 500 * a**2 + 4 * a + 20)
    return np.stack([-branin, -currin], axis=-1)


def _branin_currin(c: Configuration) -> tuple[float, ...]:
    a, b = _numbers(c)
    return tuple(branin_currin(np.array(a), np.array(b)).tolist())


def _branin_currin_best() -> float:
    across, up = np.meshgrid(np.linspace(0, 1, 2501), np.linspace(0, 1, 2501))
    return _covered(branin_currin(across.ravel(), up.ravel()), (-18.0, -6.0))


def _least_lacking(points: int) -> float:
    """What so many points of the front of Branin–Currin leave uncovered at least: (integral of sqrt(-dy/dx) dx)^2 / (2 n), for many points."""
    across, up = np.meshgrid(np.linspace(0, 1, 2501), np.linspace(0, 1, 2501))
    values = branin_currin(across.ravel(), up.ravel())
    values = values[(values > np.array([-18.0, -6.0])).all(1)]
    values = values[np.lexsort((-values[:, 1], -values[:, 0]))]
    rises = np.append(True, values[1:, 1] > np.maximum.accumulate(values[:, 1])[:-1])
    steps = np.diff(values[rises], axis=0)
    return float(np.sqrt(-steps[:, 0] * steps[:, 1]).sum() ** 2 / (2 * points))


def _dtlz2(c: Configuration) -> tuple[float, ...]:
    x = _numbers(c)
    g, a, b = float(((x[2:] - 0.5) ** 2).sum()), x[0] * math.pi / 2, x[1] * math.pi / 2
    return (
        -(1 + g) * math.cos(a) * math.cos(b), -(1 + g) * math.cos(a) * math.sin(b), -(1 + g) * math.sin(a),
    )  # fmt: skip


def _table(name: str) -> Several:
    """Score against the logarithm of the prediction time: ten times as fast is worth as much everywhere."""
    one = tables.problem(name)

    def values(c: Configuration) -> tuple[float, ...]:
        return one.truth(c), -math.log10(prediction_times.predict_ms(name, c))

    @lru_cache(maxsize=1)
    def drawn() -> np.ndarray:
        rng = np.random.default_rng(1)
        return np.array([values(draw(one.space, rng)) for _ in range(6000)])

    reference = tuple(np.median(drawn(), axis=0).tolist())
    return Several(
        f"{name}: score, log prediction time", one.space, values, reference, lambda: hypervolume(drawn(), np.array(reference))
    )


SHAPES: dict[str, Callable[[float, float], float]] = {
    "ZDT1": lambda x, g: 1 - math.sqrt(x / g),
    "ZDT2": lambda x, g: 1 - (x / g) ** 2,
    "ZDT3": lambda x, g: 1 - math.sqrt(x / g) - x / g * math.sin(10 * math.pi * x),
}


@lru_cache(maxsize=1)
def problems() -> tuple[Several, ...]:
    return (
        *(Several(name, _unit(6), _zdt(shape), (-1.1, -1.1), _zdt_best(shape)) for name, shape in SHAPES.items()),
        Several(LONG, _unit(2), _branin_currin, (-18.0, -6.0), _branin_currin_best),
        *(_table(name) for name in (prediction_times.FOREST, prediction_times.BOOSTING)),
        Several("DTLZ2, three metrics", _unit(5), _dtlz2, (-1.1,) * 3, lambda: 1.1**3 - math.pi / 6, random_at=240),
    )


def play(name: str, way: str, seed: int, trials: int) -> tuple[list[float], float]:
    """The volume covered after each trial, and the median seconds of a proposal."""
    one = next(p for p in problems() if p.name == name)
    entry, history, taken = STRATEGIES[way], list[Observation](), list[float]()
    found = []
    for number in range(1, trials + 1):
        begun = time.perf_counter()
        answer = entry.ask(one.space, history, [], 1, SeedStream(seed, number), NoSettings())
        taken.append(time.perf_counter() - begun)
        assert isinstance(answer, Suggest)
        [c] = answer.configurations
        values = one.values(c)
        history.append(Observation(c, values[:1], 1.0, "scored", number=number, beside=values[1:]))
        found.append(values)
    return course(np.array(found), np.array(one.reference)).tolist(), float(np.median(taken))


def _played(work: tuple[str, str, int, int]) -> tuple[list[float], float]:
    return play(*work)


def lines(processes: int, seeds: range) -> list[str]:
    """A row a problem and strategy."""
    work = [
        (p.name, way, seed, p.random_at if way == "random" else p.trials)
        for p in problems() for way in ("random", *STRATEGIES_SHOWN) for seed in seeds
    ]  # fmt: skip
    with ProcessPoolExecutor(processes) as pool:
        found = dict(zip([w[:3] for w in work], pool.map(_played, work), strict=True))
    rows = [
        "| problem (what can be covered) | strategy | " + " | ".join(f"at {m}" for m in MARKS)
        + " | Random at four or eight times 60 | log10 of the share that is lacking at the end | a proposal |",
        "|---|---|" + "---|" * (len(MARKS) + 3),
    ]  # fmt: skip
    for p in problems():
        best = p.best()

        def share(way: str, mark: int, p: Several = p, best: float = best) -> float:
            return float(np.median([found[p.name, way, seed][0][mark - 1] for seed in seeds])) / best

        for way in ("random", *STRATEGIES_SHOWN):
            last = p.random_at if way == "random" else p.trials
            lacking = max(1 - share(way, p.trials), 1e-12)
            cells = " | ".join(f"{share(way, mark):.3f}" if mark <= last else "–" for mark in MARKS)
            seconds = np.median([found[p.name, way, seed][1] for seed in seeds])
            rows.append(
                f"| {p.name} ({best:.4g}) | {way} | {cells} | {share('random', p.random_at):.3f} at {p.random_at} | {math.log10(lacking):.2f} | {1000 * seconds:.0f} ms |"
            )
            print(rows[-1], flush=True)
    return rows


def proposal_cost() -> str:
    """One proposal at 200 trials of 8 settings, two metrics and one limit, one BLAS thread."""
    space, rng, history = _unit(8), np.random.default_rng(7), list[Observation]()
    for number in range(1, 201):
        c = draw(space, rng)
        x = _numbers(c)
        score, other, slack = -float(((x - 0.4) ** 2).sum()), -float(((x - 0.7) ** 2).sum()), float(1.2 - x[:3].sum())
        history.append(Observation(c, (score,), 1.0, "scored", number=number, slack=(slack,), beside=(other,)))
    taken = []
    for number in range(201, 211):
        begun = time.perf_counter()
        STRATEGIES["gaussian process"].ask(space, history, [], 1, SeedStream(1, number), NoSettings())
        taken.append(time.perf_counter() - begun)
    memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    front = int(on_front(np.array([(o.mean, *o.beside) for o in history], dtype=float)).sum())
    return f"A proposal at 200 trials ({front} on the front), 8 settings, two metrics, one limit: {np.median(taken):.3f} s at the median of 10 (≤ 0.25), {memory:.0f} MB (≤ 500)."


def told() -> list[str]:
    return [
        "Wanted: the Gaussian process at 60 covers what Random does at 480 (three metrics: at 240); on Branin–Currin -1.5 at 100, which of a share it is where "
        f"0.03 is lacking. In the problem's own units it cannot be: 100 points of that front itself, placed best, leave about {_least_lacking(100):.2f} "
        f"(log10 {math.log10(_least_lacking(100)):.2f}) uncovered.",
        "",
        "Before the strategies measured from the worst quarter of the trials, with an end moved by every third proposal: ZDT1 0.986, ZDT2 0.964, ZDT3 0.991, "
        "Branin–Currin 0.979 (0.992 at 100), forest 0.647, boosting 0.988, DTLZ2 0.804 at 60 trials. On the forest the judged reference point, the median of "
        "random draws, leaves out ends of the front that the strategy goes to: without moving ends it covered 0.83 there and 0.6 of ZDT3 (seeds 20 to 25).",
    ]


def main() -> None:
    write("several", SEEDS, "the share of the volume that can be covered", proposal_cost, lines, told)


if __name__ == "__main__":
    main()
