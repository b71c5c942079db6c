"""`make bench-strategies`: how good proposals are, what they cost, what blindness costs; written to docs/benchmarks.md.

Seeds from 200 on; compare variants on others. Figures are medians of the simple regret: how far the best trial so far is below the best possible score.
"""

from __future__ import annotations

import os

os.environ.update(OMP_NUM_THREADS="1", OPENBLAS_NUM_THREADS="1")

import argparse
import time
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import Future, ProcessPoolExecutor
from dataclasses import dataclass
from datetime import date
from functools import partial

import numpy as np

from benchmarks.document import put
from benchmarks.strategies import costs, fidelity, rivals, scheduling, tables
from benchmarks.strategies.functions import FUNCTIONS, Problem
from benchmarks.strategies.playing import play, recommended_regret
from pellux.core.strategies import STRATEGIES, gaussian_process
from pellux.core.strategies.gain_per_second import cheapest
from pellux.core.strategies.gaussian_process import Design

SEEDS = range(200, 260)
USUAL = 15
LONG = 3  # seeds of what takes long: a run of a hundred proposals of a model, real fits, schedules
MARKS = (20, 40, 60, 100)
TIMES = (1, 2, 4, 8)
WANTED = {
    "Branin": 1e-4, "Hartmann-3": 1e-5, "Hartmann-6": 1e-3, "noisy Hartmann-6": 0.1, "Ackley-5": 1.0, "Levy-6": 0.5,
    "Rosenbrock-4": 4.0, "Styblinski-Tang-5": 14.0, "mixed": 1e-4, "conditional": 1e-3,
}  # fmt: skip
ABLATIONS = {
    "as it is": Design(),
    "no rival basins": Design(rival_every=0, polish=False),
    "polishes on": Design(polish=False),
    "does not start in the middle": Design(centre=False),
    "rough kernel only": Design(kinds=(False,)),
    "smooth kernel only": Design(kinds=(True,)),
    "no output warp": Design(warp=False),
    "no sum over parameters in the kernel": Design(additive=False),
    "candidates only, no climbing": Design(climb=False),
    "no rival is abandoned": Design(abandon=False),
    "options' rims from the start": Design(inside=False),
    "what noise hides counts": Design(noise=False),
}
ABLATED_SEEDS = 3
ABLATED = ("Hartmann-6", "Styblinski-Tang-5", "mixed")


REAL = tables.real("support vectors, diabetes")  # quick enough to be played with real fits
PLAYED_REAL = ("gaussian process", "parzen density", "differential evolution", "CMA-ES")


def problems() -> list[Problem]:
    return [*FUNCTIONS, *(tables.problem(name) for name in tables.SOURCES)]


def problem_of(name: str) -> Problem:
    """By its name: a function, a table, or the one with real fits."""
    return next((p for p in (*FUNCTIONS, REAL) if p.name == name), None) or tables.problem(name)


def regrets(name: str, way: str, seed: int) -> list[float]:
    """Regrets of one run at MARKS; of Random at MARKS times TIMES."""
    problem = problem_of(name)
    if way == "random":
        found = play(problem, STRATEGIES["random"].propose, MARKS[-1] * TIMES[-1], seed)
        return [seen_regret(problem, found, mark * times) for times in TIMES for mark in MARKS]
    if way in ("differential evolution", "CMA-ES"):
        rival = rivals.differential_evolution if way == "differential evolution" else rivals.covariance_adaptation
        counted = rival(problem, MARKS[-1], seed)
        return [counted.regret(mark) for mark in MARKS]
    found = play(problem, STRATEGIES[way].propose, MARKS[-1], seed)
    if problem.noise and way == "gaussian process":
        return [recommended_regret(problem, found, mark) for mark in MARKS]
    return [seen_regret(problem, found, mark) for mark in MARKS]


def seen_regret(problem: Problem, found: object, trials: int) -> float:
    """Of the trial with the best score as it was seen; without noise that is the best trial."""
    history, truths = found.history[:trials], found.truths[:trials]  # type: ignore[attr-defined]
    return -truths[int(np.argmax([o.mean for o in history]))]


def ablated(name: str, what: str, seed: int) -> float:
    found = play(problem_of(name), partial(gaussian_process.propose, design=ABLATIONS[what]), 60, seed)
    return found.regret(60)


def blind(name: str, seed: int) -> float:
    return play(problem_of(name), STRATEGIES["gaussian process"].propose, 60, seed, pending=8).regret(60)


def scheduled(way: str, seed: int) -> tuple[float, float, float]:
    regret, course = scheduling.course(way, seed)
    return regret, course.seconds, course.short_sighted


def thrift(name: str, key: str, seed: int) -> float:
    """Training seconds until 98 % of the way from the cheap start's score to the best is gone."""
    problem = tables.problem(name)
    start = cheapest(problem.space)
    goal = 0.02 * problem.truth(start)
    from pellux.core.strategies import Observation, SeedStream

    score, seconds = tables.look_up(name, start)
    history, spent = [Observation(start, (score,), seconds, "scored")], seconds
    for number in range(2, 200):
        answer = STRATEGIES[key].propose(problem.space, history, [], 1, SeedStream(seed, number))
        configuration = answer.configurations[0]
        score, seconds = tables.look_up(name, configuration)
        spent += seconds
        history.append(Observation(configuration, (score,), seconds, "scored"))
        if score - tables.best(name) >= goal:
            break
    return spent


class Coming:
    """The results of the first seeds of something, which are worked on while others are asked for: who asks for all of a part before
    it takes the first leaves no core idle while another ends a last run."""

    def __init__(self, runs: Sequence[Future[object]]) -> None:
        self._runs = runs

    def array(self) -> np.ndarray:
        """As soon as all are there; the first axis is the seed."""
        return np.array([run.result() for run in self._runs], dtype=float)

    def median(self) -> float:
        return float(np.median(self.array()))


Each = Callable[..., Coming]
WAYS = (
    "gaussian process",
    "random",
    "even spread",
    "parzen density",
    "evolution",
    "differential evolution",
    "CMA-ES",
)


def main() -> None:
    began = time.perf_counter()
    parser = argparse.ArgumentParser()
    parser.add_argument("--seeds", type=int, help="at most so many of each")
    parser.add_argument("--part", choices=[*PARTS], help="print one part only, and write nothing")
    asked = parser.parse_args()
    with ProcessPoolExecutor(os.cpu_count() or 2) as pool:

        def each(work: Callable[..., object], *arguments: object, most: int = LONG) -> Coming:
            seeds = SEEDS[: most if asked.seeds is None else min(most, asked.seeds)]
            return Coming([pool.submit(work, *arguments, seed) for seed in seeds])

        if asked.part:
            for row in PARTS[asked.part].rows(each):
                print(row, flush=True)
            return
        lines = [
            "## Quality of proposals",
            "",
            f"Written by `make bench-strategies` on {date.today().isoformat()}: {USUAL} seeds from {SEEDS[0]} on, {LONG} of the "
            "Gaussian process and in the parts below; medians of the simple regret after 20 / 40 / 60 / 100 trials. The last column is the "
            "median of the Gaussian process wanted after 60 and whether it is reached.",
            "",
        ]
        for part in PARTS.values():
            print(f"{(time.perf_counter() - began) / 60:.1f} minutes; {part.title}", flush=True)
            lines += [*([part.title, ""] if part.title else []), *([part.words, ""] if part.words else [])]
            for row in part.rows(each):
                print(row, flush=True)
                lines.append(row)
                put("strategies", lines, aloud=False)  # a run that is stopped leaves what it has measured
            lines.append("")
        lines.append(f"{(time.perf_counter() - began) / 60:.0f} minutes.")
        put("strategies", lines, aloud=False)


def _figure(value: float) -> str:
    return f"{value:.2g}"


def _quality(each: Each) -> Iterator[str]:
    head = (
        "| problem | "
        + " | ".join((*WAYS[:1], "random", "random × 2", "random × 4", "random × 8", *WAYS[2:]))
        + " | wanted at 60 |"
    )
    yield from (head, "|" + "---|" * (len(WAYS) + 5))
    claims = list[str]()
    asked = {
        problem.name: {way: each(regrets, problem.name, way, most=LONG if way == "gaussian process" else USUAL) for way in WAYS}
        for problem in problems()
    }
    for problem in problems():
        all_seeds = {way: coming.array() for way, coming in asked[problem.name].items()}
        results = {way: np.median(found, axis=0) for way, found in all_seeds.items()}
        random = results["random"].reshape(len(TIMES), len(MARKS))
        cells = [results["gaussian process"], *random, *(results[way] for way in WAYS[2:])]
        wanted = WANTED.get(problem.name)
        reached = "" if wanted is None else f"{wanted:g} {'✓' if cells[0][2] <= wanted else '✗'}"
        shown = [" / ".join(_figure(float(v)) for v in cell) for cell in cells]
        yield f"| {problem.name} | " + " | ".join(shown) + f" | {reached} |"
        claims += [*_claims(problem.name, results, random), *_shares(problem.name, all_seeds)]
    yield from ("", *claims)


def _claims(name: str, results: dict[str, np.ndarray], random: np.ndarray) -> list[str]:
    """What was promised and is not so, problem by problem; a promise that is kept needs no line."""
    gp, parzen, found = results["gaussian process"], results["parzen density"], []
    for ours, times, label, place in (
        (gp, 3, "Gaussian process", 0),
        (gp, 3, "Gaussian process", 1),
        (parzen, 2, "Parzen density", 2),
    ):
        if not ours[place] < random[times, place]:
            found.append(f"- {name}: {label} at {MARKS[place]} does **not** beat Random at {MARKS[place] * TIMES[times]}.")
    for way in ("differential evolution", "CMA-ES"):
        lost = [str(mark) for mark, ours, theirs in zip(MARKS, gp, results[way], strict=True) if not ours < theirs]
        if lost:
            found.append(f"- {name}: Gaussian process does **not** beat {way} at {', '.join(lost)}.")
    lost = [str(m) for m, ours, theirs in zip(MARKS[1:], parzen[1:], random[1, 1:], strict=True) if not ours < theirs]
    if lost:
        found.append(f"- {name}: Parzen density does **not** beat Random at twice the budget at {', '.join(lost)}.")
    return found


SHARES = {"gaussian process": (("mixed", "conditional"), 0.9), "parzen density": (("conditional", "pipeline"), 0.8)}


def _shares(name: str, seeds: dict[str, np.ndarray]) -> list[str]:
    """How many runs find the right branch or option."""
    return [
        f"- {name}: share of seeds with regret under 0.01 at 100, {way}: {np.mean(seeds[way][:, -1] < 0.01):.2f} (wanted {wanted})."
        for way, (names, wanted) in SHARES.items()
        if name in names
    ]


def _true(each: Each) -> list[str]:
    asked = [each(regrets, REAL.name, way) for way in PLAYED_REAL]
    rows = [
        *fidelity.rows(),
        "",
        f"| 20 / 40 / 60 / 100 trials | {' | '.join(PLAYED_REAL)} |",
        "|" + "---|" * (len(PLAYED_REAL) + 1),
    ]
    cells = (" / ".join(f"{value:.3f}" for value in np.median(coming.array(), axis=0)) for coming in asked)
    return [*rows, f"| {REAL.name} | {' | '.join(cells)} |"]


def _blindness(each: Each) -> list[str]:
    waiting = each(blind, "Hartmann-6")
    asked = {way: each(scheduled, way) for way in ("seeing", "fits", "trials")}
    pending = waiting.median()
    rows = [f"Hartmann-6 at 60 trials with 8 others pending at every proposal: {_figure(pending)} (wanted ≤ 0.01).", ""]
    rows += ["| 8 workers, 5 folds, 60 trials | mean log10 regret | wall seconds | short-sighted |", "|---|---|---|---|"]
    means = {}
    for way, label in (("seeing", "one after another"), ("fits", "folds before trials"), ("trials", "whole trials side by side")):
        found = asked[way].array()
        means[way] = float(np.log10(np.maximum(found[:, 0], 1e-8)).mean())
        rows.append(f"| {label} | {means[way]:.2f} | {np.median(found[:, 1]):.0f} | {np.median(found[:, 2]):.0%} |")
    lost = means["trials"] - means["seeing"]
    share = (means["trials"] - means["fits"]) / lost if lost > 0 else float("nan")
    return [*rows, "", f"Folds before trials recovers {share:.0%} of the log regret lost to blindness (wanted ≥ 80 %)."]


def _thrift(each: Each) -> list[str]:
    keys = ("gain per second", "gaussian process", "parzen density", "evolution", "random")
    rows = ["| table | " + " | ".join(keys) + " |", "|" + "---|" * (len(keys) + 1)]
    asked = {name: [each(thrift, name, key) for key in keys] for name in ("forest, diabetes", "boosting, warm arrivals")}
    for name, spent in asked.items():
        rows.append(f"| {name} | " + " | ".join(f"{coming.median():.1f} s" for coming in spent) + " |")
    return rows


def _ablations(each: Each) -> Iterator[str]:
    yield from ("| left out | " + " | ".join(ABLATED) + " |", "|" + "---|" * (len(ABLATED) + 1))
    asked = {what: [each(ablated, name, what, most=ABLATED_SEEDS) for name in ABLATED] for what in ABLATIONS}
    for what, found in asked.items():
        yield f"| {what} | " + " | ".join(_figure(coming.median()) for coming in found) + " |"


@dataclass(frozen=True)
class Part:
    """A heading, words under it, and what makes the lines."""

    title: str
    words: str
    rows: Callable[[Each], Iterable[str]]


PARTS = {
    "quality": Part("", "", _quality),
    "tables": Part(
        "### How true the tables are",
        f"{fidelity.FRESH} configurations of each, none of them a row, measured anew, in units of the score. Below, medians of "
        "the regret where every trial is fitted and no table is asked; a negative one is better than the table's best.",
        _true,
    ),
    "pending": Part("### 8 trials pending, and scheduling", "", _blindness),
    "thrift": Part(
        "### Training time to a score",
        "Seconds of training (from the tables) until 98 % of what lies between the cheapest start and the best is gained.",
        _thrift,
    ),
    "ablations": Part(
        "### What each choice in the Gaussian process is worth",
        f"Median regret at 60 trials with one choice left out, {ABLATED_SEEDS} seeds.",
        _ablations,
    ),
    "costs": Part("### Cost of a proposal", f"One BLAS thread, {costs.DIMENSION} parameters.", lambda _: costs.rows()),
}


if __name__ == "__main__":
    main()
