"""A fair comparison of ways to search: the same space and budget, several repeats with other seeds, and what may be concluded from it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import product

import numpy as np
from numpy.typing import NDArray

from pellux.core.reasons import Reason, because

Array = NDArray[np.float64]
POINTS = 60  # of a line over seconds
BAND = (0.25, 0.75)
SURE = 0.05
FEWEST = 6  # repeats below which no difference can be told from luck: five agree by luck one time in sixteen
GROUND = 0.5  # of the way from the worst final score down to the first ones: runs that never came above it never left the ground


@dataclass(frozen=True)
class Played:
    """One repeat of an entrant.

    Attributes
    ----------
    ends : array, shape (n,)
        Seconds since it began at which its trials ended, in order.
    scores : array, shape (n,)
        Of these trials, larger is better; NaN where one has none.
    seconds : array, shape (n,)
        What the trials' fits took.
    """

    ends: Array
    scores: Array
    seconds: Array

    @property
    def best(self) -> Array:
        """Best so far after each trial; NaN before the first score."""
        filled = np.where(np.isnan(self.scores), -np.inf, self.scores)
        found = np.maximum.accumulate(filled) if len(filled) else filled
        return np.where(np.isinf(found), np.nan, found)

    @property
    def final(self) -> float:
        found = self.best
        return float(found[-1]) if len(found) else float("nan")


@dataclass(frozen=True)
class Line:
    """Median of the best so far over repeats, with the quartiles; shapes (m,), NaN where fewer than half have a score."""

    at: Array
    median: Array
    low: Array
    high: Array


@dataclass(frozen=True)
class Standing:
    """What an entrant came to.

    Attributes
    ----------
    mean, error : float
        Of the final scores of its repeats; the error is NaN of one repeat.
    spread : float
        Standard deviation of the final scores over seeds; NaN of one repeat.
    beats : tuple of float
        Share of repeats in which it ended above each entrant, ties as halves; NaN against itself.
    to_level : float or None
        Median seconds until it reached the level that every entrant reaches; None where half its repeats do not.
    grounded : float
        Share of its seconds in trials that never left the ground.
    """

    by_trials: Line
    by_seconds: Line
    finals: tuple[float, ...]
    mean: float
    error: float
    spread: float
    beats: tuple[float, ...]
    to_level: float | None
    grounded: float


@dataclass(frozen=True)
class Outcome:
    """Of a face-off so far: standings in the order of the entrants, the common level, and the reason for what is concluded."""

    standings: tuple[Standing, ...]
    level: float | None
    repeats: int
    verdict: Reason


def outcome(entrants: Sequence[Sequence[Played]]) -> Outcome:
    """Of repeats that have ended, paired by their place: `entrants[i][r]` has the seed of repeat r."""
    repeats = min((len(played) for played in entrants), default=0)
    paired = [list(played)[:repeats] for played in entrants]
    finals = np.array([[one.final for one in played] for played in paired]) if repeats else np.empty((len(entrants), 0))
    known = np.isfinite(finals).all(1) if repeats else np.zeros(len(entrants), dtype=bool)
    level = float(np.median(finals, axis=1).min()) if repeats and known.all() else None
    ground = _ground(paired, finals)
    until = max((float(one.ends[-1]) for played in paired for one in played if len(one.ends)), default=0.0)
    standings = tuple(_standing(i, paired, finals, level, ground, until) for i in range(len(entrants)))
    return Outcome(standings, level, repeats, _verdict(finals))


def _ground(paired: Sequence[Sequence[Played]], finals: Array) -> float:
    """Half the way from a typical first score to the worst final one: what stays below it led nowhere."""
    firsts = [one.scores[np.isfinite(one.scores)][:1] for played in paired for one in played]
    begun = np.concatenate(firsts) if firsts else np.empty(0)
    if not len(begun) or not np.isfinite(finals).any():
        return -np.inf
    low, high = float(np.median(begun)), float(np.nanmin(finals))
    return low + GROUND * (high - low) if high > low else -np.inf


def _standing(
    index: int, paired: Sequence[Sequence[Played]], finals: Array, level: float | None, ground: float, until: float
) -> Standing:  # fmt: skip
    played, own = paired[index], finals[index]
    longest = max((len(one.scores) for one in played), default=0)
    trials = np.arange(1, longest + 1, dtype=float)
    clock = np.linspace(0, until, POINTS)
    by_trials = _line(trials, [_held(one.best, longest) for one in played])
    by_seconds = _line(clock, [_at_seconds(one, clock) for one in played])
    beats = tuple(
        float("nan") if i == index or not len(own) else float(((own > other) + 0.5 * (own == other)).mean())
        for i, other in enumerate(finals)
    )
    reached = [_reached(one, level) for one in played]
    share = sum(r is not None for r in reached) / len(reached) if reached else 0.0
    seconds = sum(float(one.seconds.sum()) for one in played)
    wasted = sum(float(one.seconds[~(one.scores > ground)].sum()) for one in played) if np.isfinite(ground) else 0.0
    count = len(own)
    spread = float(own.std(ddof=1)) if count > 1 else float("nan")
    return Standing(
        by_trials, by_seconds, tuple(map(float, own)), float(own.mean()) if count else float("nan"), spread / np.sqrt(max(count, 1)), spread, beats,
        float(np.median([np.inf if r is None else r for r in reached])) if share > 0.5 else None, wasted / seconds if seconds > 0 else 0.0,
    )  # fmt: skip


def _line(at: Array, lines: Sequence[Array]) -> Line:
    if not lines:
        empty = np.full(len(at), np.nan)
        return Line(at, empty, empty, empty)
    table = np.array(lines)
    enough = np.isfinite(table).mean(0) >= 0.5
    filled = np.where(np.isfinite(table), table, -np.inf)  # what has no score yet is behind all that have
    low, middle, high = (
        np.where(enough, _safe(np.quantile(filled, q, axis=0, method="nearest")), np.nan) for q in (BAND[0], 0.5, BAND[1])
    )
    return Line(at, middle, low, high)


def _safe(values: Array) -> Array:
    return np.where(np.isfinite(values), values, np.nan)


def _held(best: Array, length: int) -> Array:
    """The best so far, held at its end where a repeat has fewer trials."""
    return np.concatenate([best, np.full(length - len(best), best[-1] if len(best) else np.nan)])


def _at_seconds(played: Played, clock: Array) -> Array:
    place = np.searchsorted(played.ends, clock, side="right") - 1
    best = played.best
    return np.where(place >= 0, best[np.maximum(place, 0)], np.nan) if len(best) else np.full(len(clock), np.nan)


def _reached(played: Played, level: float | None) -> float | None:
    if level is None:
        return None
    there = np.flatnonzero(played.best >= level)
    return float(played.ends[there[0]]) if len(there) else None


def _verdict(finals: Array) -> Reason:
    """Who is ahead, as far as that can be told: an exact sign-flip test of the paired differences (Fisher 1935, section 21)."""
    count, repeats = finals.shape
    if count < 2 or repeats == 0 or not np.isfinite(finals).all():
        return because("face-off: nothing yet")
    means = finals.mean(1)
    best = int(means.argmax())
    others = [i for i in range(count) if i != best]
    lead = float(means[best] - means[others].max())
    if repeats < FEWEST:
        return because("face-off: too few repeats", entrant=best, lead=lead, repeats=repeats, fewest=FEWEST)
    p_values = {i: _flipped(finals[best] - finals[i]) for i in others}
    # Holm's correction: the best is set against all others, and looks best for having been chosen.
    ordered = sorted(others, key=lambda i: p_values[i])
    behind = list[int]()
    for place, i in enumerate(ordered):
        if p_values[i] * (len(ordered) - place) > SURE:
            break
        behind.append(i)
    if not behind:
        return because("face-off: not told apart", entrant=best, lead=lead, repeats=repeats)
    p_value, behind = max(p_values[i] for i in behind), sorted(behind)
    if len(behind) == len(others):
        return because("face-off: ahead of all", entrant=best, behind=behind, p_value=p_value, repeats=repeats)
    return because("face-off: ahead of some", entrant=best, behind=behind, p_value=p_value, repeats=repeats)


def _flipped(gaps: Array) -> float:
    """Two-sided p-value: how many ways of turning the signs give a mean at least as far from 0."""
    if len(gaps) > 14:
        rng = np.random.default_rng(0)
        signs = rng.choice([-1.0, 1.0], (20_000, len(gaps)))
    else:
        signs = np.array(list(product([-1.0, 1.0], repeat=len(gaps))))
    means = np.abs((signs * gaps).mean(1))
    return float((means >= abs(float(gaps.mean())) - 1e-12).mean())
