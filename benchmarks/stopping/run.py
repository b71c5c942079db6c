"""What early stopping saves and what it costs: `make bench-stopping`, written to docs/benchmarks.md."""

from __future__ import annotations

import time
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from datetime import date
from functools import lru_cache

import numpy as np
from scipy.stats import spearmanr

from benchmarks.crowds import made_up
from benchmarks.document import put
from benchmarks.stopping.playing import Player, best_so_far, raced, work_until
from benchmarks.stopping.tables import SOURCES, Table, table, telling
from pellux.core.stopping import RULES, Record, TrialContext, settings_of, usual_least
from pellux.engine.model import Limits
from pellux.engine.runners.simulated import SimulatedWorld
from pellux.engine.simulation import simulate

SEEDS, MANY_SEEDS, RACE_SEEDS, FIRST_SEEDS = 30, 200, 100, 60
RACE_TRIALS = 60
SHARES = (0.01, 0.003)  # of the configurations: as good as the best of these
GROWING = (
    "sound network by epochs",
    "energy forest by rows",
    "energy boosting by rows",
    "warm forest by rows",
    "warm boosting by rows",
)
RACED = ("warm boosting by rows", "energy boosting", "sound logistic", "wine forest", "diabetes forest")
WAYS = (
    ("Random, in full", "none", False), ("Successive halving", "successive halving", False),
    ("Asynchronous halving", "asynchronous halving", False), ("Hyperband", "hyperband", False),
    ("Gaussian process + asynchronous halving", "asynchronous halving", True),
)  # fmt: skip


@lru_cache(maxsize=4)
def _table(name: str) -> Table:
    return table(name)


def _one(task: tuple[str, str, bool, tuple[float, ...], int]) -> list[float]:
    name, key, model, wanted, seed = task
    return work_until(_table(name), key, seed, wanted, model=model)


def _from(task: tuple[str, str, float, int, int]) -> float:
    name, key, wanted, least, seed = task
    settings = {"least": least} if least else {}
    return work_until(_table(name), key, seed, [wanted], **settings)[0]


def _middle(name: str) -> int:
    """The place of the row that the model tries first, from 1: a good one is luck of the table."""
    found = best_so_far(_table(name))[:, -1]
    return int((found > found[Player(_table(name), 0, True).first(0)]).sum()) + 1


def _goals(found: np.ndarray) -> tuple[float, ...]:
    """The scores that the best shares of the configurations reach."""
    return tuple(float(np.sort(found)[-max(int(np.ceil(share * len(found))), 1)]) for share in SHARES)


def saved(name: str, pool: ProcessPoolExecutor) -> list[str]:
    """Work until one of the best 1 % and 0.3 % configurations is found in full, against random search in full."""
    found = best_so_far(_table(name))[:, -1]
    n, unit = len(found), "epochs" if SOURCES[name].resource == "iterations" else "27ths of the rows learnt from"
    lines = [
        f"### {name.capitalize()}: {n} configurations", "",
        f"Median {unit} until a configuration as good as the best 1 % (0.3 %) of the table is scored in full; in brackets the share of seeds",
        f"that never get there. {MANY_SEEDS} seeds without, {SEEDS} with a model; the row nearest the middle, where that begins, is number "
        f"{_middle(name)} of them.", "",
        "| | best 1 % | ratio | missed | best 0.3 % | ratio | missed |", "|---|---|---|---|---|---|---|",
    ]  # fmt: skip
    wanted = _goals(found)
    base: list[float] = []
    for label, key, model in WAYS:
        seeds = SEEDS if model else MANY_SEEDS
        spent = np.array(list(pool.map(_one, [(name, key, model, wanted, s) for s in range(seeds)], chunksize=2)))
        middle = np.median(spent, axis=0)
        base = base or [float(m) for m in middle]
        cells = [
            f"{m:,.0f} | {m / whole:.2f} | {missed:.0%}"
            for m, whole, missed in zip(middle, base, np.isinf(spent).mean(0), strict=True)
        ]
        lines.append(f"| {label} | " + " | ".join(cells) + " |")
        print(lines[-1], flush=True)
    return [*lines, ""]


def first_rungs(pool: ProcessPoolExecutor) -> list[str]:
    """What it matters where rows begin, and why: how well few rows rank what all of them would."""
    names = [name for name in GROWING if SOURCES[name].resource == "rows"]
    lines = [
        "### Where the first rung lies, when rows grow", "",
        f"Ratio to random search in full, best 1 %, by the share of the rows at the first rung (share of {FIRST_SEEDS} seeds that never get there).",
        "The product begins at 1/27 where a fold's 27th has 60 rows, or 30 of the rarest class; else at 1/9; else at 1/3.", "",
        "| table | rank correlation of 1/27, 1/9, 1/3 with all rows | begins at | rule | 1/27 | 1/9 | 1/3 |", "|---|---|---|---|---|---|---|",
    ]  # fmt: skip
    for name in names:
        means = best_so_far(_table(name))
        goal = _goals(means[:, -1])[0]
        told = ", ".join(f"{spearmanr(means[:, i], means[:, -1])[0]:.2f}" for i in range(3))
        begin = usual_least("rows", 27, 3, telling(name))

        def median(key: str, least: int, name: str = name, goal: float = goal) -> tuple[float, float]:
            spent = np.array(list(pool.map(_from, [(name, key, goal, least, s) for s in range(FIRST_SEEDS)], chunksize=4)))
            return float(np.median(spent)), float(np.isinf(spent).mean())

        whole = median("none", 0)[0]
        for key in ("successive halving", "asynchronous halving", "hyperband"):
            found = [median(key, least) for least in (1, 3, 9)]
            cells = " | ".join(f"{spent / whole:.2f} ({missed:.0%})" for spent, missed in found)
            lines.append(f"| {name} | {told} | 1/{27 // begin} | {RULES[key].label} | {cells} |")
            print(lines[-1], flush=True)
    return [*lines, ""]


@dataclass(frozen=True)
class Raced:
    fits: float
    within: float
    same: float


def race(name: str) -> Raced:
    """A race of 60 trials against the same trials in full: share of fits, and whether the one it selects is as good."""
    t = _table(name)
    last = t.scores[:, -1, :]
    fits, within, same = [], [], []
    for seed in range(RACE_SEEDS):
        whole, short = raced(t, seed, RACE_TRIALS, "none"), raced(t, seed, RACE_TRIALS)
        best, chosen = (
            max((c.coordinator.trials.values()), key=lambda x: x.mean if x.mean is not None else -np.inf).configuration["row"]
            for c in (whole, short)
        )
        fits.append(short.busy / whole.busy)
        error = last[best].std(ddof=1) / np.sqrt(last.shape[1])  # type: ignore[index]
        within.append(last[chosen].mean() >= last[best].mean() - error)  # type: ignore[index]
        same.append(best == chosen)
    return Raced(float(np.mean(fits)), float(np.mean(within)), float(np.mean(same)))


def races() -> list[str]:
    lines = [
        "### Fold race against full 5-fold", "",
        f"{RACE_TRIALS} random trials on the real fold scores, {RACE_SEEDS} seeds, the rule's defaults. 'As good': the trial finally selected lies within",
        "one standard error of the one that the full search selects, on all folds.", "",
        "| table | share of the fits | as good | the very same trial |", "|---|---|---|---|",
    ]  # fmt: skip
    for name in RACED:
        found = race(name)
        lines.append(f"| {name} | {found.fits:.0%} | {found.within:.1%} | {found.same:.0%} |")
        print(lines[-1], flush=True)
    return [*lines, ""]


def waiting() -> list[str]:
    """Share of the workers' time that is used, with 8 workers and uneven durations."""
    used = {}
    for key in ("asynchronous halving", "successive halving", "hyperband"):
        shares = []
        for seed in range(SEEDS):
            rng = np.random.default_rng(seed)
            world = SimulatedWorld(
                lambda c, f, before, level, rng=rng: float((level - before) * rng.lognormal(0, 0.5)),  # type: ignore[misc]
                lambda c, f, level: float(np.random.default_rng(int(c["n"])).random()),
            )
            course = simulate(Limits(2000, 8, 1), lambda n, _: {"n": n}, world, stopping=made_up(key))
            shares.append(course.busy / (8 * course.seconds))
        used[key] = float(np.median(shares))
    return [
        "### Nobody waits", "",
        f"8 simulated workers, 2,000 trials, rungs 1, 3, 9, 27, durations log-normal with sd 0.5, {SEEDS} seeds: share of the workers' time used.", "",
        "| rule | used |", "|---|---|", *(f"| {RULES[key].label} | {share:.1%} |" for key, share in used.items()), "",
    ]  # fmt: skip


def verdicts() -> list[str]:
    rng = np.random.default_rng(5)
    record = Record(folds=5, trials=1000)
    for number in range(1000):
        record.join(0, 1000)
        record.note_rung(number, 0, 0, 0, float(rng.random()))
        record.note_folds(number, tuple(rng.random(5) if number < 300 else rng.random(2)))
        for iteration in range(1, 28):
            record.note_point(number, 0, iteration, float(rng.random()))
        record.note_finished_curve(number, 0)
    lines = ["### A verdict at 1,000 trials", "", "| rule | time |", "|---|---|"]
    for entry in RULES.values():
        settings, fold = settings_of(entry.settings, {}), 0 if entry.watches else -1
        begun = time.perf_counter()
        for number in range(1000):
            entry.verdict(TrialContext(number, 0, fold=fold), record, settings)
        lines.append(f"| {entry.label} | {1e3 * (time.perf_counter() - begun):.1f} µs |")
    return [*lines, ""]


def main(names: Sequence[str] = GROWING) -> None:
    lines = [
        "## Early stopping", "",
        f"Written by `make bench-stopping` on {date.today().isoformat()}; tables of real fits, made by `python -m benchmarks.stopping.tables`.", "",
    ]  # fmt: skip
    with ProcessPoolExecutor(2) as pool:
        for part in (verdicts, waiting, races):
            lines += part()
            put("stopping", lines)
        lines += first_rungs(pool)
        for name in names:
            lines += saved(name, pool)
            put("stopping", lines)


if __name__ == "__main__":
    main()
