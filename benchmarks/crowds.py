"""What an event costs the coordinator, with ever more workers."""

from __future__ import annotations

import time
from statistics import median

import numpy as np

from pellux.core.stopping import geometric, rule, settings_of
from pellux.engine.model import Limits
from pellux.engine.pruning import Stopping
from pellux.engine.runners.simulated import SimulatedWorld
from pellux.engine.simulation import simulate
from pellux.service.engine.collecting import collect_seldom


def made_up(key: str) -> Stopping:
    """A rule with its defaults, on rungs of 1, 3, 9 and 27."""
    chosen = rule(key)
    return Stopping(chosen, settings_of(chosen.settings, {}), geometric("iterations", 1, 27, 3))


CROWDS, ROUNDS = (10, 100, 1000, 10_000), 3


def run() -> list[str]:
    lines = [
        f"Asynchronous halving of 20,000 trials on the virtual clock, events handled by the real coordinator and the simulated runner together; "
        f"{ROUNDS} rounds of all crowds in turns, medians. Garbage is collected as seldom as in a server of ours.", "",
        "| workers | events | events/s | per event | against 10 workers |", "|---|---|---|---|---|",
    ]  # fmt: skip
    collect_seldom()
    rounds = [{workers: _each(workers) for workers in CROWDS} for _ in range(ROUNDS)]
    for workers in CROWDS:
        each = median(one[workers][0] for one in rounds)
        ratio = median(one[workers][0] / one[CROWDS[0]][0] for one in rounds)
        lines.append(f"| {workers:,} | {rounds[0][workers][1]:,} | {1 / each:,.0f} | {1e6 * each:.0f} µs | {ratio:.2f} |")
        print(lines[-1], flush=True)
    return [*lines, ""]


def _each(workers: int) -> tuple[float, int]:
    """Seconds an event, and events."""
    rng = np.random.default_rng(1)
    durations, scores = rng.lognormal(0, 0.5, 100_003).tolist(), rng.random(100_003).tolist()
    world = SimulatedWorld(
        lambda c, f, before, level: (level - before) * durations[int(c["n"]) % 100_003],
        lambda c, f, level: scores[int(c["n"]) % 100_003],
    )
    begun = time.process_time()
    course = simulate(Limits(20_000, workers, 1), lambda n, _: {"n": n}, world, stopping=made_up("asynchronous halving"))
    return (time.process_time() - begun) / course.events, course.events


if __name__ == "__main__":
    print(*run(), sep="\n")
