"""Where several metrics decide a problem: what each trial has of them, the front, its knee, and finalists compared in every one of them."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from pellux.core.errors import InvalidPlan
from pellux.core.judging.aims import Aim, turned
from pellux.core.judging.comparisons import compare
from pellux.core.judging.fronts import choose, on_front
from pellux.core.judging.limits import quantity
from pellux.core.judging.selection import KNEE, WEIGHTS
from pellux.core.judging.summary import mean
from pellux.core.objective import Judging
from pellux.service.decisions.candidates import Candidates
from pellux.service.decisions.schemas import MetricComparison, MetricOfFinalist, Suggestion
from pellux.service.planning.requests import kept_settings
from pellux.store import fits, runs, trials
from pellux.store.database import Session
from pellux.store.records import Search, Trial

Array = NDArray[np.float64]
REGION = 0.01  # of the leader's value: a difference in a metric beside the score that nobody minds


@dataclass(frozen=True)
class TradeOff:
    """Score and aims of all candidates, larger is better; what breaks a limit, or was not admitted, is on no front.

    Attributes
    ----------
    values : array, shape (trials, 1 + aims)
    """

    aims: tuple[Aim, ...]
    judging: Judging
    trials: Sequence[Trial]
    values: Array

    @cached_property
    def front(self) -> list[int]:
        """Ids of the trials on the front, best score last."""
        on = np.flatnonzero(on_front(self.values))
        return [self.trials[i].id for i in on[np.argsort(self.values[on, 0], kind="stable")]]

    @property
    def knee(self) -> Trial | None:
        chosen = choose(self.values)
        return None if chosen is None else self.trials[chosen]

    def better_in_all(self, trial: Trial) -> list[Trial]:
        """The trials that are as good in every metric and better in one."""
        place = next((i for i, t in enumerate(self.trials) if t.id == trial.id), None)
        if place is None or not np.isfinite(self.values[place]).all():
            return []
        own = self.values[place]
        return [t for t, v in zip(self.trials, self.values, strict=True) if (v >= own).all() and (v > own).any()]

    def suggestions(self, field: Candidates, weights: Sequence[float] | None) -> list[Suggestion]:
        """What the knee and the weights choose, and why, in words."""
        found = []
        knee = self.knee
        if knee is not None:
            found.append(Suggestion(rule=KNEE, label="knee of the front", trial_id=knee.id, reason=self._knee_words(field, knee)))
        chosen = choose(self.values, weights) if weights is not None else None
        if chosen is not None and weights is not None:
            trial = self.trials[chosen]
            shares = [f"{name} {weight / sum(weights):.0%}" for name, weight in zip(self.names, weights, strict=True)]
            reason = f"Weighed {', '.join(shares)}, in units of the front's extent, {field.name(trial)[0].lower()}{field.name(trial)[1:]} falls least short of the best: {self.words(trial)}."
            found.append(Suggestion(rule=WEIGHTS, label="weights by hand", trial_id=trial.id, reason=reason))
        return found

    @property
    def names(self) -> list[str]:
        return [self.judging.metric, *(aim.measure for aim in self.aims)]

    def words(self, trial: Trial) -> str:
        told = [f"{self.judging.metric} {trial.mean:.4g}"]
        told += [f"{aim.measure} {(trial.measured or {}).get(aim.measure, float('nan')):.4g}" for aim in self.aims]
        return ", ".join(told)

    def _knee_words(self, field: Candidates, knee: Trial) -> str:
        if len(self.front) == 1:
            return f"{field.name(knee)} is better than every other in all of {', '.join(self.names)}: {self.words(knee)}."
        return (
            f"{field.name(knee)} lies furthest out on the front of {len(self.front)} trials, measured from the plane through its ends: "
            f"{self.words(knee)}."
        )


def aims_of(session: Session, judging: Judging, problem_id: int, search_id: int | None) -> tuple[Aim, ...]:
    """What the score is weighed against: in the search that is looked at, else in the newest of the problem, else in its brief."""
    found: Sequence[Search] = runs.searches_of(session, problem_id, kinds=(runs.SEARCH,))
    wanted = [search for search in found if search_id in (None, search.id)]
    newest = max(wanted, key=lambda search: search.id, default=None)
    return judging.weighed(None if newest is None else kept_settings(newest.plan).against)


def newest_aims(session: Session, judging: Judging, problem_id: int) -> tuple[Aim, ...]:
    """Of the newest search whose score is weighed against anything: any of a problem's searches may be decided on by itself."""
    found = sorted(runs.searches_of(session, problem_id, kinds=(runs.SEARCH,)), key=lambda search: -search.id)
    weighed = (judging.weighed(kept_settings(search.plan).against) for search in found)
    return next((aims for aims in weighed if aims), ())


def of_front(session: Session, judging: Judging, aims: Sequence[Aim], problem_id: int) -> set[int]:
    """Ids of the trials on the front of all searches of a problem: the best by score alone may be only one end of it."""
    if not aims:
        return set()
    rows = [
        row for search in runs.searches_of(session, problem_id, kinds=runs.RANKED) for row in trials.measured(session, search.id)
    ]
    rows = [row for row in rows if row[5] is not False]
    values = np.array([(judging.sign * row[3], *turned(aims, row[4] or {})) for row in rows]).reshape(-1, 1 + len(aims))
    return {rows[i][0] for i in np.flatnonzero(on_front(values))}


def trade_off(field: Candidates, aims: tuple[Aim, ...], admitted: set[int]) -> TradeOff | None:
    """None where one metric decides."""
    if not aims:
        return None
    sign = field.judging.sign
    rows = [
        (sign * (t.mean or 0.0), *turned(aims, t.measured or {})) if t.id in admitted else (np.nan,) * (1 + len(aims))
        for t in field.trials
    ]
    return TradeOff(aims, field.judging, field.trials, np.array(rows, dtype=float).reshape(-1, 1 + len(aims)))


def weights_of(text: str, metrics: int) -> list[float] | None:
    """Weights as people write them: '2 1', '2:1', '0.7, 0.3'; None of nothing."""
    parts = [part for part in re.split(r"[\s:,;/]+", text.strip()) if part]
    if not parts:
        return None
    try:
        found = [float(part) for part in parts]
    except ValueError:
        raise InvalidPlan(f"'{text}' are no weights. Write a number for each metric, such as '2 1'.", at="weights") from None
    if len(found) != metrics:
        raise InvalidPlan(f"{metrics} metrics decide, the score first: give as many weights. Got {len(found)}.", at="weights")
    if any(not np.isfinite(one) or one < 0 for one in found) or sum(found) <= 0:
        raise InvalidPlan("Weights are 0 or more, and one of them is more.", at="weights")
    return found


def metrics_of(
    session: Session, field: Candidates, aims: Sequence[Aim], shown: Sequence[Trial], leader: Trial | None
) -> dict[int, list[MetricOfFinalist]]:
    """What each shown trial has of what the score is weighed against, and how that compares with the leader, fold by fold."""
    if not aims:
        return {}
    told = _by_fold(session, aims, shown if leader is None else [*shown, leader])
    return {trial.id: [_metric(field, aim, trial, leader, told) for aim in aims] for trial in shown}


def _metric(
    field: Candidates, aim: Aim, trial: Trial, leader: Trial | None, told: Mapping[int, Mapping[str, list[float]]]
) -> MetricOfFinalist:
    own = told[trial.id][aim.measure]
    found = MetricOfFinalist(measure=aim.measure, value=(trial.measured or {}).get(aim.measure), by_fold=own, comparison=None)
    best = told[leader.id][aim.measure] if leader is not None else []
    if leader is None or trial.id == leader.id or not own or len(own) != len(best):
        return found
    compared = compare([aim.sign * v for v in own], [aim.sign * v for v in best], field.test_to_train, REGION * abs(mean(best)))
    return found.model_copy(
        update={
            "comparison": MetricComparison(
                difference=aim.sign * compared.difference, better=compared.better, same=compared.same, worse=compared.worse
            )
        }
    )


def _by_fold(session: Session, aims: Sequence[Aim], shown: Sequence[Trial]) -> dict[int, dict[str, list[float]]]:
    found: dict[int, dict[str, list[float]]] = {}
    for trial in shown:
        done = [f for f in fits.fits_of(session, trial.search_id, trial.number) if f.state == "done"]
        last = {f.fold: f for f in sorted(done, key=lambda f: f.rung)}
        each = {
            aim.measure: [quantity(aim.measure, f.seconds, f.model_bytes, f.recorded) for _, f in sorted(last.items())]
            for aim in aims
        }
        found[trial.id] = {measure: [v for v in values if v is not None] for measure, values in each.items()}
    return found
