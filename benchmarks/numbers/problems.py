"""The made-up problems whose numbers are checked: every task under every split plan, with repeats, gaps and weights."""

from __future__ import annotations

import csv
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from pellux.objectives.tabular.whole_fit import Ground
from pellux.service.decisions.grounds import ground_of
from pellux.service.planning.requests import BriefRequest
from pellux.service.problems.datasets import import_file
from pellux.service.problems.problems import create_problem
from pellux.service.workspace import Workspace

ROWS, SEED = 260, 11
CLASSES = {"binary": 2, "multiclass": 3, "regression": 0}
PLANS: dict[str, dict[str, Any]] = {
    "stratified": {}, "shuffled": {}, "grouped": {}, "stratified grouped": {}, "ordered": {"gap": 6}, "column": {"holdout": 0.0},
    "stratified x 2": {}, "shuffled, weighted": {},
}  # fmt: skip


@dataclass(frozen=True)
class Case:
    """A problem: what is learnt, how the rows are cut, as Pellux and as the hand computation are told."""

    task: str
    plan: str
    weighted: bool
    cut: dict[str, Any] = field(default_factory=dict)

    @property
    def target(self) -> str:
        return "amount" if self.task == "regression" else f"label{CLASSES[self.task]}"

    @property
    def classes(self) -> int:
        return CLASSES[self.task]


def write(path: Path) -> Path:
    """One file for all problems: gaps in numbers and categories, groups, days, folds of its own, weights, three targets."""
    rng = np.random.default_rng(SEED)
    a, b = rng.normal(size=ROWS), rng.normal(size=ROWS)
    kind = rng.choice(["red", "green", "blue"], ROWS)
    push = (kind == "red") * 1.0
    noise = rng.normal(0, 0.5, ROWS)
    gaps = rng.random((2, ROWS)) < 0.08
    columns = {
        "a": ["" if gap else repr(float(v)) for v, gap in zip(a, gaps[0], strict=True)],
        "b": [repr(float(v)) for v in b],
        "whole": rng.integers(0, 9, ROWS).tolist(),
        "kind": ["" if gap else k for k, gap in zip(kind, gaps[1], strict=True)],
        "label2": ["yes" if v > 0.5 else "no" for v in a * b + push + noise],
        "label3": [f"c{v}" for v in np.digitize(a + push + noise, [-0.3, 0.9])],
        "amount": [repr(float(v)) for v in 20 + 3 * a + b**2 + 2 * push + noise],
        "group": [f"g{v:02d}" for v in rng.integers(0, 30, ROWS)],
        "day": [str(np.datetime64("2025-01-01") + int(v)) for v in rng.permutation(ROWS)],
        "part": ["holdout" if i % 7 == 0 else "abc"[i % 3] for i in range(ROWS)],
        "weight": rng.integers(1, 4, ROWS).tolist(),
    }
    with path.open("w", newline="", encoding="utf-8") as file:
        writer = csv.writer(file)
        writer.writerow(columns)
        writer.writerows(zip(*columns.values(), strict=True))
    return path


def cases() -> Iterator[Case]:
    for task, classes in CLASSES.items():
        for plan, more in PLANS.items():
            kind = plan.split(" x ")[0].split(",")[0]
            if "stratified" in kind and not classes:
                continue
            cut = {
                "kind": kind, "folds": 3, "seed": 5, "holdout": 0.2, "gap": 0, **more, "repeats": 2 if " x " in plan else 1,
            }  # fmt: skip
            yield Case(task, plan, "weighted" in plan, cut)


def ground(workspace: Workspace, path: Path, case: Case, metric: str) -> Ground:
    """The problem as Pellux frames it, with every other metric of its task recorded."""
    table = import_file(workspace, path)
    kind, cut = case.cut["kind"], case.cut
    roles = {
        "group": "group" if kind.endswith("grouped") else None, "time": "day" if kind == "ordered" else None,
        "fold": "part" if kind == "column" else None, "weight": "weight" if case.weighted else None,
    }  # fmt: skip
    others = [m.key for m in workspace.catalogue.metrics.of_task(case.task) if m.key != metric]
    request = {
        "data": table.hash, "target": case.target, "metric": metric, "recorded": others, "task": case.task, "seed": cut["seed"],
        "features": ["a", "b", "whole", "kind"], "holdout": cut["holdout"], "gap": cut["gap"],
        "folds": "column" if kind == "column" else f"{cut['folds']} {kind}" + (" x 2" if cut["repeats"] > 1 else ""),
        **{role: name for role, name in roles.items() if name},
    }  # fmt: skip
    return ground_of(workspace, create_problem(workspace, BriefRequest.model_validate(request)))
