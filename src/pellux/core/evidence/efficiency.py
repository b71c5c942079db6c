"""What a search made of its time: when it came near the best, what it spent on trials that never did, how blind its proposals were."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
NEAR = 0.25  # of the way from the best down to the median: a trial within it came near


@dataclass(frozen=True)
class Spent:
    """A trial by what it took; `score` is None where it was not scored, larger is better."""

    number: int
    score: float | None
    seconds: float
    fits: int
    seen: int
    pending: int


@dataclass(frozen=True)
class Efficiency:
    """Of one search.

    Attributes
    ----------
    best : float or None
    trials, fits : int
    seconds : float
        Of all fits.
    near_after : tuple of (int, int, float), or None
        Trials, fits and seconds until a trial came within a quarter of the way from the median to the best.
    far_share : float
        Share of the seconds spent on trials that never came near.
    blind_share : float
        Mean share of trials not yet known when a trial was proposed: pending over pending and seen.
    """

    best: float | None
    trials: int
    fits: int
    seconds: float
    near_after: tuple[int, int, float] | None
    far_share: float
    blind_share: float


def efficiency(trials: Sequence[Spent], best: float | None, median: float | None) -> Efficiency:
    """Of a search's trials in order; `best` and `median` are those of the problem, so that searches are held to the same level."""
    scored = [t.score for t in trials if t.score is not None]
    seconds, fits = sum(t.seconds for t in trials), sum(t.fits for t in trials)
    level = None if best is None or median is None else best - NEAR * (best - median)
    near = [t.score is not None and level is not None and t.score >= level for t in trials]
    after = None
    if any(near):
        until = trials[: near.index(True) + 1]
        after = (len(until), sum(t.fits for t in until), sum(t.seconds for t in until))
    far = sum(t.seconds for t, close in zip(trials, near, strict=True) if not close)
    blind = [t.pending / (t.pending + t.seen) for t in trials if t.pending + t.seen > 0]
    return Efficiency(
        max(scored) if scored else None, len(trials), fits, seconds, after, far / seconds if seconds > 0 else 0.0,
        float(np.mean(blind)) if blind else 0.0,
    )  # fmt: skip


def best_so_far(trials: Sequence[Spent]) -> list[tuple[int, int, float, float]]:
    """Where the best rose: trials, fits and seconds by then, and the score; the last point stands at the end."""
    found = list[tuple[int, int, float, float]]()
    fits, seconds, best = 0, 0.0, -np.inf
    for count, trial in enumerate(trials, 1):
        fits, seconds = fits + trial.fits, seconds + trial.seconds
        rises = trial.score is not None and trial.score > best
        if trial.score is not None and rises:
            best = trial.score
        if rises or (count == len(trials) and np.isfinite(best)):
            found.append((count, fits, seconds, best))
    return found
