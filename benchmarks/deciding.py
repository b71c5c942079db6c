"""Deciding: is the honest score honest, how long does it take, and how soon is the screen there? Writes docs/benchmarks.md."""

from __future__ import annotations

import os
import tempfile
import threading
import time
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pellux.core.judging import METRICS
from pellux.core.judging.honest_score import honest_score

Array = NDArray[Any]
REPETITIONS, TRIALS, ROWS, MANY = 200, 40, 500, 100_000
METRICS_TRIED = ("accuracy", "average precision", "log loss", "RMSE")


@dataclass(frozen=True)
class World:
    """Rows of which a trial sees a noisy version: `skill` says how noisy."""

    truth: Array
    hidden: Array

    @staticmethod
    def draw(rows: int, regression: bool, rng: np.random.Generator) -> World:
        hidden = rng.standard_normal(rows)
        if regression:
            return World(hidden + 0.5 * rng.standard_normal(rows), hidden)
        return World((rng.random(rows) < 1 / (1 + np.exp(-2 * hidden + 1))).astype(int), hidden)

    def predicted(self, skill: float, needs: str, rng: np.random.Generator) -> Array:
        seen = skill * self.hidden + np.sqrt(1 - skill**2) * rng.standard_normal(len(self.hidden))
        if needs == "values":
            return skill * seen
        positive = 1 / (1 + np.exp(-1.6 * skill * seen + 0.9))
        return (positive > 0.5).astype(int) if needs == "labels" else np.column_stack([1 - positive, positive])


def bias(key: str, spread: float, repetitions: int = REPETITIONS) -> tuple[float, float, float, float]:
    """Mean error of the raw maximum and of the honest score against the chosen trial's score on 100,000 fresh rows.

    Returns them with the honest score's standard error over the repetitions and the share of intervals that hold the truth.
    """
    metric = METRICS[key]
    skills = 0.8 - spread * np.linspace(0, 1, TRIALS)
    rng = np.random.default_rng(0)
    large = World.draw(MANY, metric.needs == "values", rng)
    true = [metric.compute(large.truth, large.predicted(s, metric.needs, rng), 2) for s in skills]
    raw, honest, inside = [], [], 0
    fold = np.arange(ROWS) % 5
    for repetition in range(repetitions):
        rng = np.random.default_rng([1, repetition])
        world = World.draw(ROWS, metric.needs == "values", rng)
        order = rng.permutation(TRIALS)
        said = [world.predicted(skills[i], metric.needs, rng) for i in order]
        found = honest_score(metric, world.truth, fold, 2, lambda chosen, said=said: (said[i] for i in chosen), TRIALS, rng)
        means = [np.mean([metric.compute(world.truth[fold == k], p[fold == k], 2) for k in range(5)]) for p in said]
        truth = true[order[int(np.argmax(metric.sign * np.array(means)))]]
        raw.append(metric.sign * (found.raw - truth))
        honest.append(metric.sign * (found.score - truth))
        inside += found.low <= truth <= found.high
    return float(np.mean(raw)), float(np.mean(honest)), float(np.std(honest) / repetitions**0.5), inside / repetitions


def honesty() -> list[str]:
    lines = [
        "| metric | trials differ | raw maximum is too good by | honest score is too good by | share left | 95 % intervals that hold |",
        "|---|---|---|---|---|---|",
    ]
    for key in METRICS_TRIED:
        for spread in (0.0, 0.1):
            naive, left, error, inside = bias(key, spread)
            lines.append(
                f"| {key} | {'not at all' if spread == 0 else 'in skill, 0.7 to 0.8'} | {naive:.4f} | {left:+.4f} ± {error:.4f} | "
                f"**{abs(left) / naive:.2f}** | {inside:.0%} |"
            )
            print(lines[-1], flush=True)
    return lines


def speed(trials: int = 500, rows: int = 5000) -> list[str]:
    """Honest score against the plain way: scikit-learn's metric on drawn rows, timed on a few draws and scaled."""
    rng = np.random.default_rng(0)
    bias("average precision", 0.0, 1)  # modules are loaded at their first use
    lines = ["| metric | honest score | the plain way, same draws | ratio |", "|---|---|---|---|"]
    for key in ("average precision", "ROC AUC", "log loss", "RMSE"):
        metric = METRICS[key]
        world = World.draw(rows, metric.needs == "values", rng)
        skills = 0.8 - 0.2 * np.linspace(0, 1, trials)
        said = [world.predicted(s, metric.needs, rng) for s in skills]
        fold = np.arange(rows) % 5
        begun = time.perf_counter()
        found = honest_score(metric, world.truth, fold, 2, lambda chosen, said=said: (said[i] for i in chosen), trials, rng)
        ours = time.perf_counter() - begun
        metric.compute(world.truth, said[0], 2)  # scikit-learn is loaded at its first use
        begun = time.perf_counter()
        for p in said[:4]:
            drawn = rng.integers(0, rows, rows)
            for k in range(5):
                inside = drawn[fold[drawn] == k]
                metric.compute(world.truth[inside], p[inside], 2)
        each = (time.perf_counter() - begun) / 4
        plain = each * (30 * trials + found.rounds * found.contenders)
        lines.append(
            f"| {key} ({found.contenders} contenders, {found.rounds} draws) | {ours:.1f} s | {plain:.0f} s | {plain / ours:.0f}× |"
        )
        print(lines[-1], flush=True)
    return lines


def screen() -> list[str]:
    """500 finalists × 50 folds, in a real browser."""
    from tests.browser.driving import browser

    from benchmarks.scenes import InstantRunner, warm_arrivals
    from pellux.service.decisions.candidates import FinalistsQuery
    from pellux.service.decisions.finalists import finalists
    from pellux.service.engine.engine import Engine
    from pellux.service.planning.launching import launch
    from pellux.service.planning.requests import SearchRequest, SettingsRequest
    from pellux.service.workspace import Workspace
    from pellux.web.app import create_app
    from pellux.web.server import address, bind, serve

    with tempfile.TemporaryDirectory() as scratch:
        workspace = Workspace(Path(scratch))
        engine = Engine(workspace, InstantRunner)
        problem = warm_arrivals(workspace, folds="50 stratified")
        plan = SettingsRequest(strategy="random", trials=520, workers=32)
        engine.join(launch(engine, problem, SearchRequest(learner="boosting", space="rate: 0.01 .. 0.3 log\n", plan=plan)))
        begun = time.perf_counter()
        shown = finalists(workspace, problem, FinalistsQuery(top=500))
        answer = time.perf_counter() - begun
        assert len(shown.finalists) >= 500
        assert len(shown.finalists[0].trial.scores) == 50
        bound = bind("127.0.0.1", 0)
        url = address(bound)
        server = threading.Thread(target=serve, args=(create_app(engine), bound, workspace, lambda: None), daemon=True)
        server.start()
        with browser(url) as page:
            page.open("/")
            page.find("h1")
            times = []
            for _ in range(5):
                begun = time.perf_counter()
                page.open(f"/p/{problem}/decision?top=500")
                page.find("[data-finalist]")
                times.append(time.perf_counter() - begun)
        engine.close()
    return [
        "| what | measured | wanted |",
        "|---|---|---|",
        f"| the answer behind it | {answer:.2f} s | |",
        f"| page *decision* with 500 finalists × 50 folds, median of 5 | {sorted(times)[2]:.2f} s | < 1 s |",
    ]


def main() -> None:
    os.environ.update(OMP_NUM_THREADS="1", OPENBLAS_NUM_THREADS="1")
    from benchmarks.document import put

    text = [
        "## Deciding",
        "",
        f"Written by `make bench-deciding` on {date.today().isoformat()}.",
        "",
        f"Honesty: {REPETITIONS} repetitions of {TRIALS} trials on {ROWS} rows, the best by mean of 5 folds chosen; its true score "
        f"comes from {MANY:,} fresh rows. Wanted: at most a quarter of the bias is left.",
        "",
        *honesty(),
        "",
        "Time for 500 trials × 5,000 rows, one thread; wanted under 5 s.",
        "",
        *speed(),
        "",
        *screen(),
    ]
    put("deciding", text)


if __name__ == "__main__":
    main()
