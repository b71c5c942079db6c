"""What to expect of the best of many trials: its score without the luck of having come out on top.

The best cross-validated score of many is too good: it is the maximum of noisy numbers. Here the rows are drawn anew, with
replacement, many times; each time the best trial is picked on the rows drawn and judged on the rows left out.
"""

from __future__ import annotations

import warnings
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.random import Generator
from numpy.typing import NDArray

from pellux.core.errors import Conflict
from pellux.core.judging.metrics import Metric
from pellux.core.judging.weighted import weighted_scores

Array = NDArray[Any]
FIRST_LOOK = 30  # rounds after which trials that cannot win are left out
FAR_BEHIND = 5.0  # standard deviations of the paired difference; so that a wrong omission is next to impossible
FEWEST, MOST = 100, 500  # rounds
WORK = 1.5e8  # rows × trials × rounds that are affordable
TAIL = 0.025
PLACES = 20  # of the ranking, whose luck is told
JUDGED = 100  # trials that are judged on the rows left out beside the winners, so that nearly all who come out at a place are
KNOWN = 0.95  # share of the rounds in which that has to be so; to tell of the others alone would flatter the place
NEAREST = 5  # contenders that might be the leader when scored exactly


@dataclass(frozen=True)
class Place:
    """What to expect of the trial that came out `k`-th: `trial` is its index; scores in the metric's own direction."""

    trial: int
    raw: float
    score: float
    low: float
    high: float


@dataclass(frozen=True)
class HonestScore:
    """Scores in the metric's own direction.

    Attributes
    ----------
    raw : float
        Mean fold score of the best trial, as the search saw it.
    score, low, high : float
        What to expect of the trial so chosen on new data, with a 95 % interval.
    wins : tuple of float, one a trial
        Share of the rounds in which a trial was the best: how far the choice is due to the rows at hand.
    places : tuple of Place
        The same expectation for whoever came out second, third, and so on: coming out near the top takes luck too.
    """

    raw: float
    score: float
    low: float
    high: float
    wins: tuple[float, ...]
    rounds: int
    contenders: int
    places: tuple[Place, ...]


def honest_score(
    metric: Metric, truth: Array, fold: Array, classes: int, predictions: Callable[[Sequence[int]], Iterable[Array]],
    trials: int, rng: Generator, counts: Array | None = None,
) -> HonestScore:  # fmt: skip
    """Bootstrap-bias-corrected cross-validation.

    Parameters
    ----------
    truth : ndarray, shape (rows,)
        Target of every row that is in a fold.
    fold : ndarray, shape (rows,) or (repeats, rows)
        The fold (0 .. folds-1) that tests it; where folds are drawn repeatedly, in every repeat.
    predictions : callable
        Gives, for a list of trial indices, each trial's out-of-fold predictions in turn: rows in the order of `truth`, repeats
        one below the other.
    counts : ndarray, shape (rows,), or None
        How much each row counts, where the data say so.

    Notes
    -----
    Rows are drawn within folds, so that the score resampled is the very mean of fold scores that is ranked. Some metrics
    depend on the number of rows (average precision); what that alone changes, measured on all who are judged
    over all rounds, chosen or not, is taken out again. With repeats a row is drawn for all of them alike, and left out of all.

    References
    ----------
    Tsamardinos, Greasidou & Borboudakis, Bootstrapping the out-of-sample predictions for efficient and accurate
    cross-validation, Machine Learning 107, 2018: algorithm 5 (BBC-CV), section 3.4 for the interval.
    """
    if trials < 1:
        raise Conflict("No scored trial has kept its out-of-fold predictions.")
    resampler = Resampler(metric, truth, fold, classes, counts)
    sign = metric.sign
    draws = resampler.draw(FIRST_LOOK, rng)
    looked = np.concatenate([np.ones_like(draws[:, :1]), draws], axis=1)
    first = sign * np.array([resampler.scores(p, looked) for p in predictions(list(range(trials)))])
    full, seen = first[:, 0], first[:, 1:]
    contenders = _contenders(full, seen)
    rounds = int(np.clip(WORK / (resampler.size * len(contenders)), FEWEST, MOST))
    draws = resampler.draw(rounds, rng)
    inside = sign * np.array([resampler.scores(p, draws) for p in predictions(contenders)])
    usable = np.isfinite(inside).all(axis=0)
    ranked = np.argsort(-np.where(usable, inside, 0), axis=0, kind="stable")
    best = sorted(range(len(contenders)), key=lambda i: -full[contenders[i]])
    judged = np.unique(np.concatenate([ranked[0], best[:JUDGED]]))
    left_out = (draws == 0).astype(draws.dtype)
    outside = sign * np.array([resampler.scores(p, left_out) for p in predictions([contenders[i] for i in judged])])
    # Where rows are few a draw may leave a class out: such a round says nothing of any trial.
    usable &= np.isfinite(outside).all(axis=0)
    if not usable.any():
        raise Conflict("The folds hold too few rows to draw them anew: a class is missing from every draw.")
    wins = np.bincount(np.asarray(contenders)[ranked[0][usable]], minlength=trials) / int(usable.sum())
    # What was resampled rests on single-precision sums; the raw score is the very one that the search saw.
    raw = max(sign * resampler.exact(p) for p in predictions([contenders[i] for i in best[:NEAREST]]))
    rounding = raw - full.max()
    fewer_rows = float(np.mean(outside[:, usable].mean(axis=1) - full[[contenders[i] for i in judged]]))
    row_of = np.full(len(contenders), -1)
    row_of[judged] = np.arange(len(judged))
    found = [_judged_at(row_of[ranked[k]], outside, usable) - fewer_rows + rounding for k in range(min(PLACES, len(best)))]
    places = tuple(
        Place(contenders[i], sign * float(full[contenders[i]] + rounding), sign * float(at.mean()), *interval(at, sign))
        for i, at in zip(best, found, strict=False)
        if len(at) >= KNOWN * usable.sum()
    )
    first_place = places[0]  # whoever wins a round is judged in it
    return HonestScore(
        raw=sign * raw, score=first_place.score, low=first_place.low, high=first_place.high, wins=tuple(wins.tolist()),
        rounds=int(usable.sum()), contenders=len(contenders), places=places,
    )  # fmt: skip


def _judged_at(trial: Array, outside: Array, usable: Array) -> Array:
    """Scores on the rows left out, of whoever came out at one place; rounds where it was somebody not judged are left away."""
    rounds = np.flatnonzero(usable & (trial >= 0))
    return np.asarray(outside[trial[rounds], rounds])


def interval(judged: Array, sign: int) -> tuple[float, float]:
    """Between which 95 % of turned scores lie, in the metric's own direction, the lower end first."""
    low, high = sorted(sign * end for end in np.quantile(judged, (TAIL, 1 - TAIL)))
    return float(low), float(high)


def _contenders(full: Array, seen: Array) -> list[int]:
    """Trials that might be the best under some draw of the rows, judged by their paired difference to the leader."""
    leader = int(np.nanargmax(full))
    behind = seen - seen[leader]
    usable = np.isfinite(behind).all(axis=0)
    if not usable.any():
        return list(range(len(full)))
    behind = behind[:, usable]
    spread = behind.std(axis=1, ddof=1) if behind.shape[1] > 1 else np.full(len(full), np.inf)
    near = behind.mean(axis=1) + FAR_BEHIND * spread >= 0
    near[leader] = True
    return [int(i) for i in np.flatnonzero(near)]


class Resampler:
    """Scores a trial as its fold scores are scored, under weights of the rows; rows in the order of their folds."""

    def __init__(self, metric: Metric, truth: Array, fold: Array, classes: int, counts: Array | None) -> None:
        self._metric = metric
        self._classes = classes
        self._lines = np.atleast_2d(fold)
        repeats, rows = self._lines.shape
        places = (self._lines + (self._lines.max() + 1) * np.arange(repeats)[:, None]).ravel()
        self._order = np.argsort(places, kind="stable")
        self._row = np.tile(np.arange(rows), repeats)[self._order]
        self._truth = truth[self._row]
        self._counts = None if counts is None else counts[self._row]
        _, self._group = np.unique(places[self._order], return_inverse=True)

    @property
    def size(self) -> int:
        """Predictions that one scoring looks at."""
        return len(self._row)

    def draw(self, rounds: int, rng: Generator) -> Array:
        """How often each row is drawn, shape (predictions, rounds): every fold of the first repeat as many rows as it has, with
        replacement."""
        first = self._lines[0]
        sizes = np.unique(first, return_counts=True)[1]
        drawn = np.concatenate([rng.multinomial(n, np.full(n, 1 / n), size=rounds).T.astype(np.float32, order="C") for n in sizes])
        if len(self._lines) == 1:
            return drawn
        place = np.empty(len(first), dtype=np.intp)
        place[np.argsort(first, kind="stable")] = np.arange(len(first))
        return np.asarray(drawn[place[self._row]])

    def exact(self, predicted: Array) -> float:
        """Mean of fold scores, as the metric itself gives them."""
        given = predicted[self._order]
        scores = []
        for fold in range(int(self._group[-1]) + 1):
            here = self._group == fold
            counts = None if self._counts is None else self._counts[here]
            try:
                with warnings.catch_warnings(action="ignore"):  # of sums that are 1 but for single precision
                    scores.append(self._metric.compute(self._truth[here], given[here], self._classes, counts))
            except ValueError:  # half-precision probabilities, which earlier versions kept, do not sum to 1
                return float(self.scores(predicted, np.ones((self.size, 1)))[0])
        return float(np.mean(scores))

    def scores(self, predicted: Array, weights: Array) -> Array:
        """Mean of fold scores under each weighting."""
        by_fold = weighted_scores(
            self._metric, self._truth, predicted[self._order], self._classes, weights, self._group, self._counts
        )
        return np.asarray(by_fold.mean(axis=0))
