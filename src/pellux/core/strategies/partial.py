"""From trials that ended or wait at different rungs to the history a strategy learns from.

Scores at different amounts of rows or iterations are not comparable, so a strategy sees those of one rung: the highest
that enough trials have reached (Falkner et al. 2018). Trials that ended below it come along with what those above them
gained on the way: left out, the place where one was pruned would look unknown, and be proposed again and again. Trials
that stopped after some folds are comparable once fold effects are taken off; they come with what their folds tell.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from pellux.core.judging.fold_effects import adjusted_mean, fold_effects
from pellux.core.space import Configuration, Space
from pellux.core.strategies.contract import Observation

Array = NDArray[np.float64]
WELL_FILLED = 4  # results at a rung, beside one a parameter, before it is what a strategy learns from
SHARE_BELOW = 0.5  # how much a score counts for each rung that it is below the one learnt from


@dataclass(frozen=True)
class Growth:
    """What a search's rungs mean to a strategy: folds of a whole trial, the resource that grows, the last rung."""

    folds: int
    resource: str = ""
    top: int = 0


@dataclass(frozen=True)
class Partial:
    """A trial with what it has so far.

    Attributes
    ----------
    results : mapping of int to tuple of float
        For each rung that is complete the fold scores; larger is better.
    state : str
        A trial's state; 'parked' and 'running' ones may have results.
    number, rung, member : int
        Its number, the rung it has reached, and its member of the population.
    slack : tuple of float
        By how much what is measured of it so far keeps each limit; see `Observation`.
    beside : tuple of float
        What is measured so far of what the score is weighed against.
    """

    configuration: Configuration
    results: Mapping[int, tuple[float | None, ...]]
    seconds: float
    state: str
    number: int = 0
    rung: int = 0
    member: int = 0
    partial_scores: tuple[float | None, ...] = field(default=())
    slack: tuple[float, ...] = ()
    beside: tuple[float, ...] = ()
    _settled: dict[int, Observation | None] = field(default_factory=dict, init=False, compare=False, repr=False)

    @cached_property
    def last(self) -> tuple[float | None, ...]:
        """Scores of the highest rung that is complete, else those there are."""
        return self.results[max(self.results)] if self.results else self.partial_scores

    @cached_property
    def bare(self) -> Observation:
        """Its configuration with the scores that it has, for those who do not compare."""
        return _observation(self, self.last, self.state)

    def settled(self, folds: int) -> Observation | None:
        """What it says without a look at others; None of one that has scores, but not on all folds, and did not fail.

        Made once: a history is gathered at every proposal.
        """
        if folds not in self._settled:
            whole = len(self.last) == folds and None not in self.last
            lacking = not whole and self.state != "failed" and any(score is not None for score in self.last)
            self._settled[folds] = None if lacking else _observation(self, self.last, "scored" if whole else self.state)
        return self._settled[folds]


def history(space: Space, found: Sequence[Partial | Observation], folds: int, resource: str, top: int) -> list[Observation]:
    """What a strategy learns from: each trial once, with scores that may be compared.

    Parameters
    ----------
    found : sequence of Partial (this search's trials) or Observation (from elsewhere, in full)
    folds : int
        Folds of a whole trial.
    resource : str
        What grows from rung to rung: 'rows', 'iterations', 'folds' or '' for nothing.
    top : int
        The last rung.
    """
    own = [f for f in found if isinstance(f, Partial)]
    if resource in ("rows", "iterations") and top > 0:
        level = _level(space, own, top)
        return _of_level(found, own, level, top)
    settled = [f if isinstance(f, Observation) else f.settled(folds) for f in found]
    made = [f for f in settled if f is not None]
    if len(made) == len(found):
        return made
    complete = [_whole(scores) for p in own for scores in (*p.results.values(), p.partial_scores) if len(scores) == folds]
    effects = fold_effects([scores for scores in complete if scores], folds)
    return [f if isinstance(f, Observation) else _over_folds(f, folds, effects) for f in found]


def _whole(scores: Sequence[float | None]) -> list[float]:
    found = [score for score in scores if score is not None]
    return found if len(found) == len(scores) else []


def _level(space: Space, own: Sequence[Partial], top: int) -> int:
    """The highest rung with enough results; the lowest when none has."""
    wanted = WELL_FILLED + space.dimension
    reached = [sum(level in p.results for p in own) for level in range(top + 1)]
    return max((level for level, count in enumerate(reached) if count >= wanted), default=0)


def _of_level(found: Sequence[Partial | Observation], own: Sequence[Partial], level: int, top: int) -> list[Observation]:
    here = [float(np.mean(_whole(p.results[level]))) for p in own if level in p.results]
    elsewhere = [f.mean for f in found if isinstance(f, Observation) and f.mean is not None]
    gains = _gains(own, level)
    made: list[Observation] = []
    for f in found:
        if isinstance(f, Observation):
            made.append(f if level == top else _moved(f, here, elsewhere))
        elif level in f.results:
            made.append(_observation(f, f.results[level], "scored"))
        elif f.state == "failed":
            made.append(_observation(f, (), "failed"))
        else:
            made.append(_lifted(f, gains, level))
    return made


def _gains(own: Sequence[Partial], level: int) -> dict[int, float]:
    """What trials gained from each lower rung to a level: the median of those that have been at both."""
    climbed = [p.results for p in own if level in p.results]
    pairs = {r: [float(np.mean(_whole(c[level])) - np.mean(_whole(c[r]))) for c in climbed if r in c] for r in range(level)}
    return {rung: float(np.median(gains)) for rung, gains in pairs.items() if gains}


def _lifted(trial: Partial, gains: Mapping[int, float], level: int) -> Observation:
    """A trial that ended below the level, as if it had gained there what others did; the further below, the less it counts."""
    known = [rung for rung in trial.results if rung in gains]
    if not known:
        return _observation(trial, (), "ended early")
    rung = max(known)
    mean = float(np.mean(_whole(trial.results[rung])))
    share = SHARE_BELOW ** (level - rung)
    return replace(_observation(trial, (), "ended early"), estimate=mean + gains[rung], share=share)


def _moved(observation: Observation, here: Sequence[float], elsewhere: Sequence[float]) -> Observation:
    """A score in full, set among those of a lower rung by its place among its own: the order is what can be trusted."""
    if len(here) < 3 or len(elsewhere) < 3 or observation.mean is None:
        return replace(observation, scores=(), state="ended early")
    centre, width = np.median(elsewhere), np.std(elsewhere) or 1.0
    score = float(np.median(here) + (observation.mean - centre) / width * np.std(here))
    return replace(observation, scores=(score,))


def _over_folds(trial: Partial, folds: int, effects: Array) -> Observation:
    made, scores = trial.settled(folds), trial.last
    if made is not None:
        return made
    known = sum(score is not None for score in scores)
    return replace(
        _observation(trial, (*scores, *[None] * (folds - len(scores))), "ended early"),
        estimate=adjusted_mean(scores, effects), share=known / folds,
    )  # fmt: skip


def _observation(trial: Partial, scores: tuple[float | None, ...], state: str) -> Observation:
    return Observation(
        trial.configuration, scores, trial.seconds, state, number=trial.number, rung=trial.rung, member=trial.member, slack=trial.slack,
        beside=trial.beside,
    )  # fmt: skip
