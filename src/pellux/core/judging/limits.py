"""Limits: what a configuration has to keep to be of use, on quantities that are measured beside the score that decides.

    predict ms <= 5
    recall >= 0.8

The mean over a trial's folds counts. By how much a limit is kept is its *slack*: 0 or more where it is, in the quantity's own unit.
"""

from __future__ import annotations

import math
import re
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from pellux.core.errors import InvalidPlan

PREDICT_MS, FIT_SECONDS, MODEL_MB = "predict ms", "fit seconds", "model mb"
COSTS = (PREDICT_MS, FIT_SECONDS, MODEL_MB)  # measured of every fit; smaller is better
MOST = 6  # each is a model of its own that every proposal fits
NOTATION = re.compile(r"\s*(.+?)\s*(<=|>=|≤|≥)\s*([-+]?(?:\d+\.?\d*|\.\d+)(?:e[-+]?\d+)?)\s*", re.IGNORECASE)


@dataclass(frozen=True)
class Limit:
    """`measure <= bound`, or `measure >= bound`.

    Attributes
    ----------
    at_least : bool
        Whether the quantity has to be as large as the bound.
    """

    measure: str
    at_least: bool
    bound: float

    @property
    def text(self) -> str:
        """As people write it."""
        return f"{self.measure} {'>=' if self.at_least else '<='} {self.bound:.12g}"

    def slack(self, value: float) -> float:
        """By how much a value keeps it; negative where it does not."""
        return value - self.bound if self.at_least else self.bound - value


def quantity(measure: str, seconds: float, model_bytes: int | None, recorded: Mapping[str, float]) -> float | None:
    """What a fit tells of a measure; None where it does not."""
    if measure == FIT_SECONDS:
        return seconds
    if measure == MODEL_MB:
        return None if model_bytes is None else model_bytes / 2**20
    return recorded.get(measure)


def slacks(limits: Sequence[Limit], measured: Mapping[str, float]) -> tuple[float, ...]:
    """Of each limit; NaN where its quantity was not measured."""
    return tuple(limit.slack(measured[limit.measure]) if limit.measure in measured else math.nan for limit in limits)


def kept(slack: Sequence[float]) -> bool:
    """Whether all limits are kept: what was not measured keeps none."""
    return all(one >= 0 for one in slack)


def read_limit(text: str, *, at: str = "limits") -> Limit:
    """A limit as people write it; InvalidPlan says how where it is none."""
    match = NOTATION.fullmatch(text)
    if match is None:
        raise InvalidPlan(f"'{text}' is not a limit. Write 'predict ms <= 5' or 'recall >= 0.8'.", at=at)
    bound = float(match[3])
    if not math.isfinite(bound):
        raise InvalidPlan(f"'{match[3]}' is too large for a limit.", at=at)
    return Limit(match[1], match[2] in (">=", "≥"), bound)


def read_limits(texts: Collection[str], directions: Mapping[str, bool], deciding: str, *, at: str = "limits") -> tuple[Limit, ...]:
    """All limits of a search, in the order in which they were written; InvalidPlan where they cannot be meant.

    Parameters
    ----------
    directions : mapping of str to bool
        The quantities that are measured, each with whether larger is better.
    deciding : str
        The metric that decides: it is made as good as possible, so that a limit on it says nothing.
    """
    if len(texts) > MOST:
        raise InvalidPlan(f"{len(texts)} limits are too many: at most {MOST}, for each is modelled by itself.", at=at)
    found = [read_limit(text, at=at) for text in texts]
    for place, limit in enumerate(found):
        if limit.measure == deciding:
            raise InvalidPlan(
                f"{deciding} decides already; a limit on it changes nothing. 'target score' ends a search once it is good enough.",
                at=at,
            )
        if limit.measure not in directions:
            raise InvalidPlan(
                f"'{limit.measure}' is not measured, so no limit on it can be kept. Measured: {', '.join(directions)}. "
                "Further metrics are measured once the brief records them.",
                at=at,
            )
        if limit.at_least != directions[limit.measure]:
            better = "larger" if directions[limit.measure] else "smaller"
            meant = Limit(limit.measure, not limit.at_least, limit.bound)
            raise InvalidPlan(f"Of {limit.measure} {better} is better: a limit on it is written '{meant.text}'.", at=at)
        if limit.measure in COSTS and limit.bound <= 0:
            raise InvalidPlan(f"'{limit.text}' cannot be kept: {limit.measure} is more than 0 always.", at=at)
        for other in found[:place]:
            if other.measure == limit.measure:
                raise InvalidPlan(f"{limit.measure} has two limits, {other.text} and {limit.text}: write one.", at=at)
    return tuple(found)
