"""How alike two problems are, as far as settings may care: what one taught counts for another by so much."""

from __future__ import annotations

import math
from dataclasses import dataclass

ROWS_STEP, COLUMNS_STEP = math.log(8), math.log(6)  # so many times the rows or columns are one step away
SHARE_STEP = 0.5  # of the columns that are numbers
OTHER_TASK, OTHER_METRIC = 1.0, 0.4  # steps
SCATTER_STEP = math.log(4)


@dataclass(frozen=True)
class Traits:
    """What a problem is like.

    Attributes
    ----------
    runs : str
        What is run, where that is somebody's own code; problems of other code teach nothing.
    rows, columns : int
        0 where there is no table.
    numbers : float
        The share of its columns that are numbers.
    task, metric : str
    scatter : float or None
        Standard deviation of the baseline's fold scores beside their mean: how noisy its scores are.
    """

    runs: str = ""
    rows: int = 0
    columns: int = 0
    numbers: float = 1.0
    task: str = ""
    metric: str = ""
    scatter: float | None = None


def likeness(here: Traits, there: Traits) -> float:
    """From 0, where one says nothing of the other, to 1: a normal density of the steps between them."""
    if here.runs != there.runs:
        return 0.0
    steps = [OTHER_TASK * (here.task != there.task), OTHER_METRIC * (here.metric != there.metric)]
    if here.rows and there.rows:
        steps.append(math.log(here.rows / there.rows) / ROWS_STEP)
        steps.append(math.log(max(here.columns, 1) / max(there.columns, 1)) / COLUMNS_STEP)
        steps.append((here.numbers - there.numbers) / SHARE_STEP)
    if here.metric == there.metric and here.scatter and there.scatter:
        steps.append(math.log(here.scatter / there.scatter) / SCATTER_STEP)
    return math.exp(-0.25 * sum(step * step for step in steps))


def scatter_of(scores: tuple[float | None, ...] | list[float | None]) -> float | None:
    """Of a baseline's fold scores; None where they do not tell."""
    known = [score for score in scores if score is not None]
    if len(known) < 2:
        return None
    mean = sum(known) / len(known)
    deviation = math.sqrt(sum((score - mean) ** 2 for score in known) / (len(known) - 1))
    return deviation / abs(mean) if mean and deviation > 0 else None
