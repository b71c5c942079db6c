"""How few of a problem's rows still tell something: where the first rung lies when rows grow."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from pellux.core.judging import REGRESSION, Brief, Folds, Rows
from pellux.core.stopping import telling_share
from pellux.learners.target import split_rows
from pellux.service.datasets import open_table
from pellux.service.workspace import Workspace

Telling = Callable[[], float | None]


def unknown() -> None:
    """Nothing is known of the rows."""


def of_problem(workspace: Workspace, problem_id: int, brief: Brief) -> Telling:
    """Asked only where rows grow: it reads the target."""

    def asked() -> float:
        folds = Folds.of(np.load(workspace.folds_file(problem_id)), brief.split)
        return of_folds(brief, folds, split_rows(open_table(workspace, brief.data), brief))

    return asked


def of_folds(brief: Brief, folds: Folds, rows: Rows) -> float:
    """The largest share that any fold of the first repeat needs."""
    shares = []
    for fold in range(brief.split.folds):
        learnt = rows.target[folds.train(fold)]
        rarest = None
        if brief.task != REGRESSION:
            rarest = int(np.bincount(learnt.astype(int), minlength=len(brief.classes)).min())
        shares.append(telling_share(len(learnt), rarest))
    return max(shares)
