"""Budgets, starts and trials by hand in the coordinator; schedules on the virtual clock."""

from __future__ import annotations

from concurrent.futures import Future
from typing import Any

import numpy as np
import psutil
import pytest

from pellux.core.space import parse
from pellux.core.strategies import STRATEGIES, Observation, SeedStream
from pellux.engine.coordinator import Coordinator
from pellux.engine.messages import Ask, Begin, SetLimits, Try
from pellux.engine.model import Limits
from pellux.engine.proposer import Strategist, StrategyProposer
from pellux.engine.runners.simulated import SimulatedWorld
from pellux.engine.simulation import Course, simulate
from pellux.engine.states import TrialState
from pellux.service.wording import sentence
from tests.engine.playing import Play, play, scored


def by_trial(scores: dict[int, float]) -> Any:
    return lambda fit: scored(scores.get(fit.trial, 0.1))


def ended(p: Play) -> list[int]:
    return [n for n, t in sorted(p.coordinator.trials.items()) if t.state is TrialState.SCORED]


def test_the_target_ends_the_search_once_it_is_reached() -> None:
    p = play(trials=50, workers=1, folds=2, target_score=0.8).begin().finish(by_trial({3: 0.85}))
    assert ended(p) == [1, 2, 3]
    assert sentence(p.coordinator.reason) == "The target score of 0.8 is reached: trial 3 has 0.85."


def test_a_target_of_a_metric_to_be_small_is_reached_from_above() -> None:
    p = play(trials=50, workers=1, folds=2, target_score=0.2, sign=-1).begin().finish(by_trial({1: 0.5, 2: 0.3, 3: 0.19}))
    assert ended(p) == [1, 2, 3]


def test_no_gain_in_some_trials_ends_the_search() -> None:
    p = play(trials=50, workers=1, folds=1, no_gain_in=3).begin().finish(by_trial({1: 0.5, 2: 0.4, 3: 0.6, 4: 0.6, 5: 0.2}))
    assert ended(p) == [1, 2, 3, 4, 5, 6], "a tie is no gain"
    assert sentence(p.coordinator.reason) == "No gain in 3 trials: trial 3 is still the best."


def test_running_trials_end_before_a_budget_ends_the_search() -> None:
    p = play(trials=50, workers=3, folds=2, target_score=0.8).begin().finish(by_trial({1: 0.9}))
    assert set(ended(p)) == set(p.coordinator.trials), "what was under way is not thrown away"


def test_limits_change_while_it_runs() -> None:
    p = play(trials=2, workers=1, folds=1, minutes=99).begin()
    p.tell(SetLimits({"trials": 4, "minutes": None, "no_gain_in": 9}, p.clock))
    p.finish()
    assert len(ended(p)) == 4
    assert (p.coordinator.limits.minutes, p.coordinator.limits.no_gain_in) == (None, 9)


def test_trials_by_hand_come_next_and_do_not_count() -> None:
    p = play(trials=3, workers=1, folds=1).begin()
    p.tell(Try({"x": "mine"}, p.clock))
    p.finish()
    origins = [t.origin for _, t in sorted(p.coordinator.trials.items())]
    assert origins.count("by hand") == 1
    assert origins.count("proposed") == 3
    assert len({t.number for t in p.coordinator.trials.values()}) == 4


def test_starts_go_first_and_are_not_repeated_after_a_restart() -> None:
    starts = [{"x": "first"}, {"x": "second"}]
    limits = Limits(trials=4, workers=1, folds=1)
    p = Play(Coordinator(limits, ({"x": "default"},)), starts=starts).begin()
    p.end(p.busy()[0])
    p.end(p.busy()[0])
    earlier = [t for t in p.coordinator.trials.values() if t.state.ended]
    assert [t.origin for t in earlier] == ["baseline", "start"]
    again = Play(Coordinator(limits, (), earlier), starts=starts).begin().finish()
    assert [t.origin for _, t in sorted(again.coordinator.trials.items())] == ["baseline", "start", "start", "proposed", "proposed"]


# Schedules


def course(workers: int, folds: int, trials: int = 30, sd: float = 0.3) -> Course:
    rng = np.random.default_rng(1)
    return simulate(
        Limits(trials=trials, workers=workers, folds=folds), lambda number, _: {"n": number},
        SimulatedWorld(lambda *_: float(np.exp(sd * rng.standard_normal()))), baseline={"n": 0},
    )  # fmt: skip


def test_the_virtual_clock_keeps_the_books() -> None:
    alone = course(1, 5, trials=6, sd=0.0)
    assert (alone.seconds, alone.busy) == (35.0, 35.0)
    assert alone.short_sighted == 0
    four = course(4, 5)
    assert four.busy / 4 <= four.seconds < 1.2 * four.busy / 4
    assert len(four.coordinator.trials) == 31
    assert all(t.state is TrialState.SCORED for t in four.coordinator.trials.values())


def test_folds_before_trials_sees_farther_than_whole_trials() -> None:
    spread, whole = course(8, 5), course(8, 1)
    pending = [np.mean([t.pending for t in c.coordinator.trials.values()]) for c in (spread, whole)]
    assert pending[0] < 0.4 * pending[1]
    assert course(4, 5).short_sighted < 0.5 < course(4, 1).short_sighted


# The way to the strategy

SPACE = parse("x: 0 .. 1\ny: 1 .. 40 int log")


def settled(answer: Any) -> Any:
    return answer.result(60) if isinstance(answer, Future) else answer


def finished_play(order: list[int]) -> Play:
    """Seven trials of SPACE with scores of their own, which end in a given order."""
    rng = np.random.default_rng(3)
    configurations = [SPACE.decode(p) for p in rng.random((8, 2))]
    p = Play(Coordinator(Limits(trials=50, workers=7, folds=1), ({"x": 0.5, "y": 7},)))
    p.carry_out = _without_asking(p)  # type: ignore[method-assign]
    p.begin()
    for configuration in configurations[1:]:
        p.tell(Try(configuration, p.clock))
    rank = {number: place for place, number in enumerate(order)}
    while p.busy():
        worker = min(p.busy(), key=lambda w: rank.get(p.held[w][0].trial, 99))
        p.end(worker, scored(float(p.held[worker][0].trial)))
    return p


def _without_asking(p: Play) -> Any:
    plain = p.carry_out
    return lambda command: None if isinstance(command, Ask) else plain(command)


@pytest.mark.parametrize("key", ["gaussian process", "parzen density", "random"])
def test_proposals_do_not_depend_on_which_trial_ended_first(key: str) -> None:
    answers = []
    for order in ([0, 1, 2, 3, 4, 5, 6, 7], [7, 5, 3, 1, 6, 4, 2, 0]):
        proposer = StrategyProposer(Strategist(SPACE, key, 5, 1, {"x": 0.5, "y": 7}))
        answers.append(settled(proposer.propose(9, finished_play(order).coordinator)))
        proposer.close()
    assert answers[0] == answers[1]
    SPACE.check(answers[0].configurations[0])


def test_a_search_begins_in_the_middle_although_its_baseline_runs() -> None:
    coordinator = Coordinator(Limits(trials=9, workers=2, folds=2), ({"x": 0.1, "y": 7},))
    coordinator.handle(Begin(0.0))
    assert [t.origin for t in coordinator.live] == ["baseline"]
    middle = SPACE.decode(np.full(SPACE.dimension, 0.5))
    elsewhere = [Observation({"x": 0.2, "y": 3}, (0.5,), 1.0, "scored", elsewhere=True)]
    for earlier, begins_there in (((), True), (elsewhere, False)):
        proposer = StrategyProposer(Strategist(SPACE, "gaussian process", 5, 1, {"x": 0.1, "y": 7}), earlier)
        first = settled(proposer.propose(1, coordinator)).configurations[0]
        proposer.close()
        assert (first == middle) is begins_there


def test_a_process_of_its_own_answers_as_the_function_does() -> None:
    p = finished_play(list(range(8)))
    proposer = StrategyProposer(Strategist(SPACE, "gaussian process", 5, -1, {"x": 0.5, "y": 7}))
    first = settled(proposer.propose(9, p.coordinator))
    history = [
        Observation(t.configuration, tuple(-s for s in t.scores if s is not None), t.seconds, "scored")
        for _, t in sorted(p.coordinator.trials.items())
    ]
    wanted = STRATEGIES["gaussian process"].propose(SPACE, history, [], 1, SeedStream(5, 9)).configurations[0]
    assert first.configurations[0] == pytest.approx(wanted, rel=1e-6), "its process has one BLAS thread, this one may have more"
    again = StrategyProposer(Strategist(SPACE, "gaussian process", 5, -1, {"x": 0.5, "y": 7}))
    assert settled(again.propose(9, p.coordinator)) == first, "another process, another day"
    proposer.close()
    again.close()


def test_a_strategy_that_cannot_go_on_says_so() -> None:
    broken = StrategyProposer(Strategist(parse("\n".join(f"p{i}: 0 .. 1 levels 10" for i in range(9))), "grid", 1, 1, {}))
    with pytest.raises(Exception, match="at most 1,000,000"):
        settled(broken.propose(1, Coordinator(Limits(trials=3, workers=1, folds=1), ())))
    broken.close()


def test_closing_in_the_middle_of_a_question_leaves_no_process() -> None:
    p = finished_play(list(range(8)))
    proposer = StrategyProposer(Strategist(SPACE, "gaussian process", 5, 1, {"x": 0.5, "y": 7}))
    settled(proposer.propose(9, p.coordinator))
    pid = proposer.pid
    assert pid is not None
    asked = proposer.propose(10, p.coordinator)
    proposer.close()
    assert isinstance(asked, Future)
    assert asked.done(), "answered, refused or cancelled, but not left hanging"
    assert not psutil.pid_exists(pid) or psutil.Process(pid).status() == psutil.STATUS_ZOMBIE
    assert not [c for c in psutil.Process().children() if c.pid == pid]
