"""What the engine schedules: a search's trials and their fits, and what a search may use."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import NamedTuple

from pellux.core.judging.aims import Aim
from pellux.core.judging.limits import Limit
from pellux.core.objective import FitResult, Points
from pellux.core.reasons import NONE, Reason
from pellux.core.space import Value
from pellux.engine.states import FitState, TrialState, moved

PROPOSED = ("proposed", "start", "finalist", "recheck")  # origins of trials that count against the budget


NOTHING_RECORDED: Mapping[str, float] = {}


class Outcome(NamedTuple):
    """What a worker answers for a fit: state DONE with a result, ERROR or TOO_LARGE with a reason, or LOST when what it needs is gone.

    `predictions` pass through to the store and are not kept here. `curve` has the scores along what grows, from the fit's
    very start; `checkpoint_bytes` is what is kept to go on from; see core/objective.py.
    """

    state: FitState
    score: float | None = None
    seconds: float = 0.0
    predict_seconds: float = 0.0
    reason: Reason = NONE
    log: str = ""
    warnings: tuple[str, ...] = ()
    predictions: bytes | None = None
    model_bytes: int | None = None
    curve: Points = ()
    checkpoint_bytes: int = 0
    recorded: Mapping[str, float] = NOTHING_RECORDED

    @staticmethod
    def of_nothing() -> Outcome:
        """Of a fit that nobody begins any more."""
        return Outcome(FitState.CUT)

    @staticmethod
    def of(result: FitResult, log: str) -> Outcome:
        return Outcome(
            FitState.DONE, result.score, result.seconds, result.predict_seconds, NONE, log, result.warnings, result.predictions,
            result.model_bytes, result.curve, result.checkpoint_bytes, result.recorded,
        )  # fmt: skip


class Fit(NamedTuple):
    """One trial on one fold, up to a rung. `lane` is the worker lane it ran on, `machine` empty for the search's own; times are wall-clock seconds."""

    trial: int
    fold: int
    state: FitState = FitState.QUEUED
    attempt: int = 0
    lane: int | None = None
    started_at: float | None = None
    ended_at: float | None = None
    outcome: Outcome | None = None
    rung: int = 0
    machine: str = ""

    # What happens to every fit is written out: _replace takes three times as long.

    def handed(self) -> Fit:
        """Given to a worker, once more."""
        return Fit(
            self.trial, self.fold, self.state, self.attempt + 1, self.lane, self.started_at, self.ended_at, self.outcome, self.rung,
            self.machine,
        )  # fmt: skip

    def begun(self, lane: int | None, at: float, machine: str = "") -> Fit:
        return Fit(
            self.trial, self.fold, FitState.RUNNING, self.attempt, lane, at, self.ended_at, self.outcome, self.rung, machine
        )  # fmt: skip

    def ended(self, outcome: Outcome, at: float) -> Fit:
        return Fit(
            self.trial, self.fold, outcome.state, self.attempt, self.lane, self.started_at, at, outcome, self.rung, self.machine
        )  # fmt: skip

    @property
    def score(self) -> float | None:
        return self.outcome.score if self.outcome and self.state is FitState.DONE else None


@dataclass(slots=True)
class Trial:
    """A configuration under evaluation. `seen` and `pending` are its sightline.

    Attributes
    ----------
    learner : str
        Empty where the search's own is meant.
    source : int or None
        The id of the trial that this one judges again.
    fits : dict of int to Fit
        For each fold the fit of its highest rung; those of lower rungs are in `past`.
    bracket, cohort : int
        Which ladder it climbs, and with whom.
    rung : int
        The rung that it works on or has reached.
    results : dict of int to tuple of float
        For each rung that is complete the fold scores; None for a fold that comes later.
    best_iteration : int or None
        Where the mean of its curves was best; its scores are of there.
    parent : int or None
        The trial from whose checkpoints it goes on.
    goal : int or None
        The one rung that it works on, of a trial that others go on from; None where it climbs its ladder.
    measured : dict of str to float, or None
        What was measured of the quantities that its search has limits on, or weighs the score against, when it ended; None before.
    """

    number: int
    configuration: Mapping[str, Value]
    origin: str = "proposed"
    state: TrialState = TrialState.DUE
    reason: Reason = NONE
    seen: int = 0
    pending: int = 0
    created_at: float = 0.0
    ended_at: float | None = None
    fits: dict[int, Fit] = field(default_factory=dict)
    learner: str = ""
    source: int | None = None
    past: list[Fit] = field(default_factory=list)
    bracket: int = 0
    cohort: int = 0
    rung: int = 0
    results: dict[int, tuple[float | None, ...]] = field(default_factory=dict)
    best_iteration: int | None = None
    parent: int | None = None
    goal: int | None = None
    measured: dict[str, float] | None = None

    @property
    def scores(self) -> list[float | None]:
        """A score for each fold that was begun: of the rung it works on, else of the last one that is complete."""
        if self.rung in self.results:
            return list(self.results[self.rung])
        before = self.results[max(self.results)] if self.results else ()
        return [
            before[fold] if fit.score is None and fold < len(before) else fit.score for fold, fit in sorted(self.fits.items())
        ]  # fmt: skip

    @property
    def mean(self) -> float | None:
        """Mean score of a trial that was scored in full."""
        scores = [score for score in self.scores if score is not None]
        return sum(scores) / len(scores) if self.state is TrialState.SCORED and scores else None

    @property
    def seconds(self) -> float:
        return sum(fit.outcome.seconds for fit in (*self.past, *self.fits.values()) if fit.outcome)

    def move(self, state: TrialState, reason: Reason = NONE) -> None:
        """Into another state; IllegalTransition when that cannot be."""
        self.state, self.reason = moved(self.state, state, "Trial {}", self.number), reason

    def put(self, fit: Fit) -> Fit:
        """A fold's fit as it is now; IllegalTransition when its state cannot have come from the one before."""
        moved(self.fits[fit.fold].state, fit.state, "Fit {}/{}", self.number, fit.fold)
        self.fits[fit.fold] = fit
        return fit


@dataclass(frozen=True)
class Limits:
    """What a search may use.

    Attributes
    ----------
    trials : int
        Proposed trials; the baseline comes on top.
    minutes : float or None
        Running time after which no further trial begins; pauses do not count.
    fit_seconds : float
        Wall-clock limit of one fit.
    trial_seconds : float or None
        What all fits of a trial may take together.
    checkpoint_bytes : int
        What the checkpoints of parked trials may take on disk.
    target_score : float or None
        Mean score that ends the search once it is reached, in the metric's own direction.
    no_gain_in : int or None
        Trials without a better one that end the search.
    sign : int
        1 when larger scores are better, -1 when smaller ones are.
    keep : tuple of Limit
        What a trial has to keep to count as the best.
    against : tuple of Aim
        What the score is weighed against; empty where it decides alone.
    """

    trials: int
    workers: int
    folds: int
    minutes: float | None = None
    fit_seconds: float = 600.0
    trial_seconds: float | None = None
    checkpoint_bytes: int = 2 * 2**30
    attempts: int = 2
    target_score: float | None = None
    no_gain_in: int | None = None
    sign: int = 1
    keep: tuple[Limit, ...] = ()
    against: tuple[Aim, ...] = ()

    @cached_property  # asked for whenever a trial ends
    def measures(self) -> tuple[str, ...]:
        """The quantities that are kept of each trial beside its score."""
        return tuple(dict.fromkeys([*(limit.measure for limit in self.keep), *(aim.measure for aim in self.against)]))


__all__ = ["Fit", "Limits", "Outcome", "Points", "Trial"]
