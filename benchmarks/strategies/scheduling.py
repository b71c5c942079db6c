"""Folds before trials against whole trials on 8 workers: what blindness costs, and how much of it is recovered.

Hartmann-6 as a search with 5 folds, every fit taking one second give or take; the Gaussian process proposes. The same
number of trials, and so about the same wall time, for: a search that always sees every result (the reference), fits of
one trial spread over the workers, and whole trials side by side.
"""

from __future__ import annotations

import numpy as np

from benchmarks.strategies.functions import FUNCTIONS
from pellux.core.strategies import STRATEGIES, Observation, SeedStream
from pellux.engine.coordinator import Coordinator
from pellux.engine.model import Limits
from pellux.engine.runners.simulated import SimulatedWorld
from pellux.engine.simulation import Course, simulate

WORKERS, FOLDS, TRIALS = 8, 5, 60
PROBLEM = next(p for p in FUNCTIONS if p.name == "Hartmann-6")


def course(way: str, seed: int) -> tuple[float, Course]:
    """Regret of a search of TRIALS trials scheduled in one way.

    Parameters
    ----------
    way : str
        'fits': fits of a trial spread over the workers; 'trials': a worker does a whole trial;
        'seeing': every proposal waits for all results.
    """
    rng = np.random.default_rng(seed)
    space, propose = PROBLEM.space, STRATEGIES["gaussian process"].propose
    folds, workers = {"fits": (FOLDS, WORKERS), "trials": (1, WORKERS), "seeing": (1, 1)}[way]

    def ask(number: int, coordinator: Coordinator) -> dict[str, object]:
        history = [
            Observation(t.configuration, tuple(t.scores), t.seconds, "scored")
            for t in (coordinator.trials[n] for n in sorted(set(coordinator.changed_since(0))))
        ]
        pending = [t.configuration for t in coordinator.live]
        return dict(propose(space, history, pending, 1, SeedStream(seed, number)).configurations[0])

    def duration(configuration: object, fold: int, before: int, level: int) -> float:
        return float(np.exp(0.2 * rng.standard_normal())) * (FOLDS if folds == 1 else 1)

    limits = Limits(trials=TRIALS, workers=workers, folds=folds)
    done = simulate(limits, ask, SimulatedWorld(duration, lambda c, fold, level: PROBLEM.truth(c)))  # type: ignore[arg-type]
    return -max(t.mean or -9.0 for t in done.coordinator.trials.values()), done
