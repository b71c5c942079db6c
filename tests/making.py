"""Small tables and workspaces for tests. All data are generated here."""

from __future__ import annotations

import csv
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np

from pellux.service.problems.datasets import import_file
from pellux.service.workspace import Workspace
from pellux.tables.table import Table


def write_csv(path: Path, columns: Mapping[str, Sequence[Any]], delimiter: str = ",") -> Path:
    with path.open("w", newline="", encoding="utf-8") as file:
        writer = csv.writer(file, delimiter=delimiter)
        writer.writerow(columns)
        writer.writerows(zip(*columns.values(), strict=True))
    return path


def mixed_columns(rows: int = 240, seed: int = 5) -> dict[str, list[Any]]:
    """Numbers with gaps, a category with gaps, an id, a two-class label and a number to predict."""
    rng = np.random.default_rng(seed)
    a, b = rng.normal(size=rows), rng.normal(size=rows)
    kind = rng.choice(["red", "green", "blue"], rows)
    push = (kind == "red") * 1.2
    label = np.where(a * b + push + rng.normal(0, 0.6, rows) > 0.5, "yes", "no")
    amount = 3 * a + b**2 + 2 * push + rng.normal(0, 0.5, rows)
    gaps = rng.random((2, rows)) < 0.1
    return {
        "a": ["" if gap else f"{v:.6f}" for v, gap in zip(a, gaps[0], strict=True)],
        "b": [f"{v:.6f}" for v in b],
        "whole": [int(v) for v in rng.integers(0, 9, rows)],
        "kind": ["" if gap else k for k, gap in zip(kind, gaps[1], strict=True)],
        "ticket": [f"T-{i:05d}" for i in range(rows)],
        "label": list(label),
        "amount": [f"{v:.6f}" for v in amount],
    }


def imported(
    workspace: Workspace, folder: Path, columns: Mapping[str, Sequence[Any]] | None = None, name: str = "mixed.csv"
) -> Table:
    return import_file(workspace, write_csv(folder / name, columns or mixed_columns()))
