"""What a search may use, what it has used, and why it ends."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from pellux.core.judging.limits import kept
from pellux.core.reasons import NONE, Reason, because
from pellux.engine.limiting import beside, slack
from pellux.engine.model import PROPOSED, Fit, Limits, Trial


class Budget:
    """Running time, proposals, the best so far; `spent` tells why no further trial may begin."""

    def __init__(self, limits: Limits, trials: Iterable[Trial], active_seconds: float) -> None:
        self.limits = limits
        self.active_seconds = active_seconds
        self.saved_seconds = active_seconds
        self.exhausted = False
        self.proposed = 0
        self._clock: float | None = None
        self._best: tuple[float, int] | None = None  # turned score and trial number of the best
        self._since_gain = 0
        self._front = np.empty((0, 1 + len(limits.against)))
        known = list(trials)
        self.proposed = sum(t.origin in PROPOSED for t in known)
        for trial in sorted((t for t in known if t.state.ended), key=lambda t: t.ended_at or 0.0):
            self.note(trial)

    @property
    def now(self) -> float:
        return self._clock or 0.0

    def advance(self, at: float, running: bool) -> None:
        """Time has come to `at`; pauses do not count, nor does a clock that was turned back."""
        if running and self._clock is not None and at > self._clock:
            self.active_seconds += at - self._clock
        self._clock = at

    def note(self, trial: Trial) -> None:
        """A trial has ended: keep the best score, and how many ended since it was found."""
        mean = trial.mean
        if mean is not None and not kept(slack(trial, self.limits.keep)):
            mean = None  # it cannot be used, however good it is
        better = mean is not None and (self._best is None or self.limits.sign * mean > self._best[0])
        if mean is not None and better:
            self._best = (self.limits.sign * mean, trial.number)
        gained = mean is not None and self._reaches_front(mean, trial) if self.limits.against else better
        if gained:
            self._since_gain = 0
        elif trial.origin != "baseline":
            self._since_gain += 1

    def _reaches_front(self, mean: float, trial: Trial) -> bool:
        """Whether no trial before was as good in every metric; if so it is on the front from now on."""
        point = np.array([self.limits.sign * mean, *beside(trial, self.limits.against)])
        if not np.isfinite(point).all() or (self._front >= point).all(1).any():
            return False
        self._front = np.vstack([self._front[~(point >= self._front).all(1)], point])
        return True

    def spent(self) -> Reason:
        """Why no further trial begins; false while some may."""
        limits = self.limits
        if self.exhausted:
            return because("space exhausted")
        if self.proposed >= limits.trials:
            return because("trials done", trials=limits.trials)
        if limits.target_score is not None and self._best and self._best[0] >= limits.sign * limits.target_score:
            return because("target reached", target=limits.target_score, trial=self._best[1], score=limits.sign * self._best[0])
        if limits.no_gain_in is not None and self._since_gain >= limits.no_gain_in and self._best:
            if limits.against:
                return because("no gain on the front", trials=self._since_gain)
            return because("no gain", trials=self._since_gain, best=self._best[1])
        if limits.minutes is not None and self.active_seconds >= 60 * limits.minutes:
            return because("minutes over", minutes=limits.minutes)
        return NONE

    def over_limit(self, fit: Fit, trial: Trial, at: float) -> Reason:
        """Which limit a running fit has passed; false when none."""
        if fit.started_at is None:
            return NONE
        if at - fit.started_at > self.limits.fit_seconds:
            return because("fit took too long", limit=self.limits.fit_seconds)
        return self.trial_over_limit(trial, at - fit.started_at)

    def trial_over_limit(self, trial: Trial, more: float = 0.0) -> Reason:
        """Whether all fits of a trial, and `more` seconds, take longer than they may together."""
        limit = self.limits.trial_seconds
        if limit is not None and trial.seconds + more > limit:
            return because("trial took too long", limit=limit)
        return NONE
