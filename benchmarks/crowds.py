"""What an event costs the coordinator, with ever more workers."""

from __future__ import annotations

import time

import numpy as np

from pellux.core.stopping import geometric, rule, settings_of
from pellux.engine.model import Limits
from pellux.engine.pruning import Stopping
from pellux.engine.runners.simulated import SimulatedWorld
from pellux.engine.simulation import simulate


def made_up(key: str) -> Stopping:
    """A rule with its defaults, on rungs of 1, 3, 9 and 27."""
    chosen = rule(key)
    return Stopping(chosen, settings_of(chosen.settings, {}), geometric("iterations", 1, 27, 3))


def run() -> list[str]:
    lines = [
        "Asynchronous halving of 20,000 trials on the virtual clock, events handled by the real coordinator and the simulated runner together.", "",
        "| workers | events | events/s | per event | against 10 workers |", "|---|---|---|---|---|",
    ]  # fmt: skip
    first = None
    for workers in (10, 100, 1000, 10_000):
        rng = np.random.default_rng(1)
        durations, scores = rng.lognormal(0, 0.5, 100_003).tolist(), rng.random(100_003).tolist()
        world = SimulatedWorld(
            lambda c, f, before, level, d=durations: (level - before) * d[int(c["n"]) % 100_003],  # type: ignore[misc]
            lambda c, f, level, s=scores: s[int(c["n"]) % 100_003],  # type: ignore[misc]
        )
        begun = time.process_time()
        course = simulate(Limits(20_000, workers, 1), lambda n, _: {"n": n}, world, stopping=made_up("asynchronous halving"))
        each = (time.process_time() - begun) / course.events
        first = first or each
        lines.append(f"| {workers:,} | {course.events:,} | {1 / each:,.0f} | {1e6 * each:.0f} µs | {each / first:.2f} |")
        print(lines[-1], flush=True)
    return [*lines, ""]


if __name__ == "__main__":
    print(*run(), sep="\n")
