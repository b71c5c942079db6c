"""A coordinator with limits: what breaks one is never the best, and what surely breaks one goes no further."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest

from pellux.core.judging.limits import Limit
from pellux.core.stopping import FOLDS, ROWS, fold_by_fold, geometric, rule, settings_of
from pellux.engine.coordinator import Coordinator
from pellux.engine.limiting import Watch, measured, slack
from pellux.engine.messages import StartFit
from pellux.engine.model import Fit, Limits, Outcome, Trial
from pellux.engine.pruning import Stopping
from pellux.engine.states import FitState, TrialState
from tests.engine.playing import Play

LOAD = Limit("load", at_least=False, bound=1.0)


def told(score: float, **recorded: float) -> Outcome:
    return Outcome(FitState.DONE, score, 1.0, recorded=recorded)


def trial(number: int, *loads: float, rung: int = 0) -> Trial:
    fits = {fold: Fit(number, fold, FitState.DONE, outcome=told(0.5, load=load)) for fold, load in enumerate(loads)}
    return Trial(number, {}, fits=fits, rung=rung)


def test_the_mean_over_folds_is_what_keeps_a_limit() -> None:
    assert measured(trial(1, 0.5, 1.1), ["load"]) == {"load": pytest.approx(0.8)}
    assert slack(trial(1, 0.5, 1.1), [LOAD]) == pytest.approx((0.2,))
    lacking = trial(2, 0.5)
    lacking.fits[1] = Fit(2, 1, FitState.RUNNING)
    assert slack(lacking, [LOAD, Limit("recall", True, 0.5)])[0] == pytest.approx(0.5)


def test_only_what_is_sure_ends_a_trial() -> None:
    watch = Watch((LOAD,), FOLDS)
    assert not watch.surely_broken(trial(1, 9.0)), "how folds differ is not known yet"
    for number in range(2, 5):
        watch.note(trial(number, 0.4, 0.5, 0.6))
    reason = watch.surely_broken(trial(5, 1.6))
    assert (reason.code, reason.facts["limit"], reason.facts["measured"]) == ("breaks a limit", "load <= 1", 1.6)
    assert not watch.surely_broken(trial(6, 1.2)), "its other folds may lie lower"
    assert watch.surely_broken(trial(7, 1.3, 1.2, 1.3))


def test_where_rows_grow_only_what_becomes_more_ends_a_trial() -> None:
    seconds = Watch((LOAD, Limit("fit seconds", False, 0.5)), ROWS)
    for number in range(1, 5):
        seconds.note(trial(number, 0.4, 0.5, 0.6))
    assert seconds.surely_broken(trial(9, 5.0, 5.0)).facts["limit"] == "fit seconds <= 0.5"
    assert not Watch((LOAD,), ROWS).surely_broken(trial(9, 5.0, 5.0))


def played(stopping: Stopping | None = None, cost: str = "load", **limits: Any) -> Play:
    """A weak baseline, then scores that fall with the trial's number; every third breaks its limit, the first among them."""

    def judge(fit: StartFit) -> Outcome:
        load = (2.0 if fit.trial % 3 == 1 else 0.5) + 0.01 * fit.fold
        return told(1.0 - fit.trial / 100 if fit.trial else 0.5, load=load)._replace(seconds=load)

    return (
        Play(Coordinator(Limits(12, 1, 4, keep=(replace(LOAD, measure=cost),), **limits), [{}], stopping=stopping))
        .begin()
        .finish(judge)
    )


def test_no_trial_that_breaks_a_limit_reaches_the_target_or_counts_as_a_gain() -> None:
    coordinator = played(target_score=0.975).coordinator
    assert coordinator.reason.code == "target reached"
    assert coordinator.reason.facts["trial"] == 2, "the first is better and breaks its limit"
    assert played(target_score=1.5).coordinator.reason.code == "trials done"


def test_a_race_does_not_carry_on_with_what_surely_breaks_a_limit() -> None:
    chosen = rule("fold race")
    play = played(Stopping(chosen, settings_of(chosen.settings, {}), fold_by_fold(2, 4)))
    broken = [t for t in play.coordinator.trials.values() if t.reason.code == "breaks a limit"]
    assert broken
    assert all(t.number % 3 == 1 and t.state is TrialState.ENDED_EARLY for t in broken)
    assert all(len(t.fits) < 4 for t in broken)
    others = [t for t in play.coordinator.trials.values() if t.number % 3 != 1]
    assert any(t.state is TrialState.SCORED for t in others if t.origin != "baseline"), (
        "no better one that cannot be used ended them"
    )
    assert all(t.measured for t in play.coordinator.trials.values() if t.state.ended)


@pytest.mark.parametrize("key", ["successive halving", "asynchronous halving"])
def test_halving_comes_to_its_end_where_many_break_a_limit(key: str) -> None:
    chosen = rule(key)
    play = played(Stopping(chosen, settings_of(chosen.settings, {}), geometric(ROWS, 1, 9, 3)), cost="fit seconds")
    ended = [t for t in play.coordinator.trials.values() if t.origin != "baseline"]
    assert len(ended) == 12
    assert all(t.state.ended for t in ended)
    broken = {t.number for t in ended if t.reason.code == "breaks a limit"}
    assert broken
    assert all(number % 3 == 1 for number in broken)
    assert any(t.state is TrialState.SCORED and t.number % 3 != 1 for t in ended)
