"""Folds before trials on 64 workers against whole trials side by side: the real coordinator on the virtual clock."""

from __future__ import annotations

from concurrent.futures import Future
from statistics import median
from typing import Any

import numpy as np

from benchmarks.cluster.durations import measured
from benchmarks.strategies.functions import FUNCTIONS
from pellux.core.strategies import Suggest
from pellux.engine.coordinator import Coordinator
from pellux.engine.model import Limits
from pellux.engine.proposer import Strategist, StrategyProposer
from pellux.engine.runners.simulated import SimulatedWorld
from pellux.engine.simulation import simulate

WORKERS, FOLDS, TRIALS, SEEDS = 64, 5, 100, tuple(range(40, 44))
NAMES = ("Branin", "Hartmann-6")


def run() -> list[str]:
    trials, spread = measured()
    lines = [
        f"{WORKERS} workers, {TRIALS} trials of {FOLDS} folds, Gaussian process, seeds {SEEDS[0]} to {SEEDS[-1]}, medians. How long fits take is drawn "
        f"from {len(trials)} trials of forests that were fitted for it just before (median {np.median(trials):.2f} s a fit; folds of a trial differ by a factor of "
        f"{np.exp(spread):.2f}, one standard deviation). Whole trials side by side: each worker does all folds of a trial itself.", "",
        "| problem | regret, folds first | whole trials | wall time, whole trials / folds first | other trials under way at a proposal, folds first / whole trials |",
        "|---|---|---|---|---|",
    ]  # fmt: skip
    for problem in (p for p in FUNCTIONS if p.name in NAMES):
        first = [_play(problem, seed, trials, spread, whole=False) for seed in SEEDS]
        whole = [_play(problem, seed, trials, spread, whole=True) for seed in SEEDS]
        regrets = [median(one[0] for one in way) for way in (first, whole)]
        ratio = median(w[1] / f[1] for f, w in zip(first, whole, strict=True))
        under_way = [median(one[2] for one in way) for way in (first, whole)]
        lines.append(
            f"| {problem.name} | {regrets[0]:.3g} | {regrets[1]:.3g} | {ratio:.2f} | {under_way[0]:.0f} / {under_way[1]:.0f} |"
        )
        print(lines[-1], flush=True)
    return [*lines, ""]


def _play(problem: Any, seed: int, trials: list[float], spread: float, *, whole: bool) -> tuple[float, float, float]:
    """Regret of the best, wall time, and how many other trials were under way at a proposal on average."""
    rng = np.random.default_rng(seed)
    base = rng.choice(trials, 4 * TRIALS)
    noise = np.exp(spread * rng.standard_normal((4 * TRIALS, FOLDS)))
    number: dict[str, int] = {}

    def place(configuration: Any) -> int:
        return number.setdefault(repr(sorted(configuration.items())), len(number))

    def duration(configuration: Any, fold: int, before: int, level: int) -> float:
        each = base[place(configuration)] * noise[place(configuration)]
        return float(each.sum() if whole else each[fold])

    proposer = StrategyProposer(
        Strategist(problem.space, "gaussian process", seed, 1, problem.space.decode(np.full(problem.space.dimension, 0.5)))
    )

    def propose(count: int, coordinator: Coordinator) -> Any:
        answer = proposer.propose(count, coordinator)
        answer = answer.result() if isinstance(answer, Future) else answer
        return answer.configurations[0] if isinstance(answer, Suggest) and answer.configurations else None

    world = SimulatedWorld(duration, lambda c, fold, level: problem.truth(c))
    course = simulate(Limits(TRIALS, WORKERS, 1 if whole else FOLDS), propose, world)
    proposer.close()
    scored = [trial.scores[0] for trial in course.coordinator.trials.values() if trial.scores and trial.scores[0] is not None]
    pending = [trial.pending for trial in course.coordinator.trials.values()]
    return -max(scored), course.seconds, float(np.mean(pending))
