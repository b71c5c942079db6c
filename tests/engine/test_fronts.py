"""A coordinator that several metrics decide in: rungs and races over fronts, gains that come to the front, fits that tell too little."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from pellux.core.judging.aims import Aim
from pellux.core.judging.fronts import on_front
from pellux.core.stopping import FOLDS, ROWS, Prune, TrialContext, fold_by_fold, geometric, rule, settings_of
from pellux.core.stopping.front_record import FrontRecord
from pellux.engine.coordinator import Coordinator
from pellux.engine.messages import StartFit
from pellux.engine.model import Limits, Outcome
from pellux.engine.pruning import Pruning, Stopping
from pellux.engine.states import FitState, TrialState
from tests.engine.playing import Play

LOAD = Aim("load", larger=False)


def place(number: int) -> tuple[float, float]:
    """Score and load: of six trials the first three are a front, the others lie behind one of them."""
    across = number % 3 / 2
    behind = 0.3 * ((number - 1) // 3 % 2)
    return 0.5 + 0.4 * across - behind, 0.2 + across + behind


def judge(fit: StartFit) -> Outcome:
    score, load = place(fit.trial) if fit.trial else (0.1, 3.0)
    return Outcome(FitState.DONE, score + 0.01 * fit.fold, 1.0, recorded={"load": load + 0.01 * fit.fold})


def played(stopping: Stopping | None = None, trials: int = 12, judged: Any = judge, **limits: Any) -> Play:
    return Play(Coordinator(Limits(trials, 1, 4, against=(LOAD,), **limits), [{}], stopping=stopping)).begin().finish(judged)


def test_what_was_measured_is_kept_and_no_gain_means_nothing_new_on_the_front() -> None:
    coordinator = played(no_gain_in=4, trials=40).coordinator
    assert (coordinator.reason.code, coordinator.reason.facts["trials"]) == ("no gain on the front", 4)
    ended = [t for t in coordinator.trials.values() if t.origin != "baseline"]
    assert len(ended) == 7, "the first three came to the front, then four did not"
    assert (ended[0].measured or {})["load"] == pytest.approx(place(1)[1] + 0.015)


@pytest.mark.parametrize("key", ["successive halving", "asynchronous halving", "hyperband"])
def test_halving_carries_the_front_on(key: str) -> None:
    chosen = rule(key)
    play = played(Stopping(chosen, settings_of(chosen.settings, {}), geometric(ROWS, 1, 9, 3)), trials=27)
    tried = [t for t in play.coordinator.trials.values() if t.origin != "baseline"]
    assert all(t.state.ended for t in tried)
    whole = {t.number for t in tried if t.state is TrialState.SCORED}
    assert whole
    if key == "successive halving":  # a bracket of hyperband that begins at the top, and who came first elsewhere, go on anyhow
        assert all((number - 1) // 3 % 2 == 0 for number in whole), "none from behind the front"
    assert len({number % 3 for number in whole}) >= 2, "from more than one place of it"


def test_a_race_ends_what_is_behind_in_all_metrics_and_nothing_else() -> None:
    chosen = rule("fold race")
    play = played(Stopping(chosen, settings_of(chosen.settings, {}), fold_by_fold(2, 4)), trials=18)
    tried = [t for t in play.coordinator.trials.values() if t.origin != "baseline"]
    early = [t for t in tried if t.state is TrialState.ENDED_EARLY]
    assert early
    assert all((t.number - 1) // 3 % 2 == 1 for t in early)
    assert {t.reason.code for t in early} == {"outrun in all"}
    assert all(t.state is TrialState.SCORED for t in tried if (t.number - 1) // 3 % 2 == 0)


def test_the_median_rule_spares_who_is_good_in_one_metric() -> None:
    record = FrontRecord(3, 50, 1, 1)
    for number in range(8):
        record.note_folds(number, (0.5 + 0.01 * number,) * 3, [(-1.0 - 0.01 * number,) * 3])
    median = rule("median rule")
    record.note_folds(20, (0.1,), [(-0.2,)])  # a poor score, but little load
    record.note_folds(21, (0.1,), [(-5.0,)])
    settings = settings_of(median.settings, {})
    for number in range(30, 38):
        record.note_folds(number, (0.5,), [(-1.0,)])
    assert not isinstance(median.verdict(TrialContext(20, 0), record, settings), Prune)
    verdict = median.verdict(TrialContext(21, 0), record, settings)
    assert isinstance(verdict, Prune)
    assert (verdict.reason.code, verdict.reason.facts["metrics"]) == ("below every median", 2)


def test_ranks_of_a_rung_are_places_among_fronts_and_change_with_what_comes() -> None:
    record = FrontRecord(1, 50, 1, 1)
    record.note_rung(1, 0, 0, 0, 0.5, [-1.0])
    assert record.rank(1, 0, 0) == 0
    record.note_rung(2, 0, 0, 0, 0.4, [-2.0])
    assert (record.rank(1, 0, 0), record.rank(2, 0, 0)) == (0, 1)
    record.note_rung(3, 0, 0, 0, 0.9, [-0.1])
    assert (record.rank(3, 0, 0), record.rank(1, 0, 0), record.rank(2, 0, 0)) == (0, 1, 2)
    record.forget_rungs(3, 0, 0, 0)
    assert (record.rank(1, 0, 0), record.count(0, 0)) == (0, 2)


def test_a_trial_that_does_not_tell_a_metric_fails_with_its_name() -> None:
    def lacking(fit: StartFit) -> Outcome:
        return judge(fit)._replace(recorded={}) if fit.trial == 2 else judge(fit)

    play = played(trials=4, judged=lacking)
    trial = play.coordinator.trials[2]
    assert trial.state is TrialState.FAILED
    assert (trial.reason.code, trial.reason.facts["metric"]) == ("metric missing", "load")
    assert play.coordinator.trials[3].state is TrialState.SCORED


@pytest.mark.parametrize("key", ["asynchronous halving", "fold race"])
def test_a_record_made_anew_is_the_same(key: str) -> None:
    chosen = rule(key)
    ladder = geometric(ROWS, 1, 9, 3) if key == "asynchronous halving" else fold_by_fold(2, 4)
    stopping = Stopping(chosen, settings_of(chosen.settings, {}), ladder)
    coordinator = played(stopping, trials=18).coordinator
    anew = Pruning(stopping, coordinator.limits)
    anew.restore(coordinator.trials.values(), {})
    for trial in coordinator.trials.values():
        for rung in trial.results:
            if trial.origin != "baseline":
                assert anew.record.rank(trial.number, 0, rung) == coordinator.pruning.record.rank(trial.number, 0, rung)
    if ladder.resource == FOLDS:
        assert sorted(anew.record.rivals) == sorted(coordinator.pruning.record.rivals)
        whole = [t for t in coordinator.trials.values() if t.state is TrialState.SCORED]
        values = np.array([(t.mean, -(t.measured or {})["load"]) for t in whole])
        assert {t.number for t, on in zip(whole, on_front(values), strict=True) if on} == set(anew.record.rivals)
