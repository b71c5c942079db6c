"""The coordinator as a state machine: what each event does in each state, and what holds whatever happens."""

from __future__ import annotations

import inspect
import sys
from typing import Any, get_args

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pellux.core.errors import Conflict
from pellux.core.reasons import because
from pellux.core.strategies import Suggest, Wait
from pellux.engine.coordinator import FAILED_STARTS, HOPELESS, SAVE_SECONDS, Coordinator
from pellux.engine.messages import (
    Ask,
    Begin,
    Dismiss,
    Event,
    FitEnded,
    FitStarted,
    FitStepped,
    Halted,
    Hire,
    Pause,
    Proposal,
    ProposalFailed,
    Resume,
    SaveFit,
    SaveSearch,
    SaveTrial,
    SetLimits,
    SetWorkers,
    StartFit,
    Stop,
    Tick,
    Try,
    Withdraw,
    WorkerLost,
    WorkerReady,
)
from pellux.engine.model import Fit, Limits, Outcome, Trial
from pellux.engine.states import FIT as FIT_MOVES
from pellux.engine.states import SEARCH, TRIAL, FitState, IllegalTransition, SearchState, TrialState, moved
from pellux.engine.worker_pool import WorkerPool
from pellux.service.wording import sentence
from tests.engine.playing import Play, play, scored

FAILURE = Outcome(FitState.ERROR, reason=because("error", kind="ValueError", text="no"), seconds=0.2)


def states(p: Play) -> list[str]:
    return [t.state.value for _, t in sorted(p.coordinator.trials.items())]


# A whole search


def test_every_fit_of_every_trial_is_done_once() -> None:
    p = play(trials=4, workers=2, folds=3, baseline={"x": 0}).begin().finish()
    assert p.coordinator.state is SearchState.FINISHED
    assert sentence(p.coordinator.reason) == "All 4 trials are done."
    assert states(p) == ["scored"] * 5
    assert p.saved_done == {(t, f): 1 for t in range(5) for f in range(3)}
    assert [t.origin for t in p.coordinator.trials.values()] == ["baseline", *["proposed"] * 4]


def test_folds_before_trials() -> None:
    p = play(trials=10, workers=3, folds=5).begin()
    assert [(f.trial, f.fold) for f in p.started] == [(1, 0), (1, 1), (1, 2)]
    p.end(p.busy()[0])
    p.end(p.busy()[0])
    assert [(f.trial, f.fold) for f in p.started[3:]] == [(1, 3), (1, 4)]
    assert len(p.coordinator.trials) == 1
    p.end(p.busy()[0])
    assert (p.started[-1].trial, p.started[-1].fold) == (2, 0)
    assert (p.coordinator.trials[2].seen, p.coordinator.trials[2].pending) == (0, 1)


def test_short_fits_are_handed_out_ahead_but_never_a_trial_ahead() -> None:
    p = play(trials=3, workers=1, folds=3).begin()
    p.end(0, scored(seconds=0.001))
    assert [len(fits) for fits in p.held.values()] == [2]
    assert {f.trial for f in p.started} == {1}
    p.finish(lambda fit: scored(seconds=0.001))
    assert p.saved_done.total() == 9


def test_an_exhausted_space_ends_the_search_and_says_so() -> None:
    p = play(trials=50, workers=2, folds=2, most_proposals=4).begin().finish()
    assert p.coordinator.state is SearchState.FINISHED
    assert "exhausted" in sentence(p.coordinator.reason)
    assert len(p.coordinator.trials) == 4


def test_minutes_that_are_over_let_running_trials_end() -> None:
    p = play(trials=1000, workers=1, folds=2, minutes=0.1).begin().finish(lambda fit: scored(seconds=1))
    assert sentence(p.coordinator.reason) == "The 0.1 minutes are over."
    assert states(p) == ["scored"] * len(p.coordinator.trials)
    assert 6 <= p.coordinator.active_seconds <= 8


def test_pauses_do_not_count_as_running_time() -> None:
    p = play(trials=5, workers=1, folds=1).begin()
    p.tell(Tick(110.0))
    p.tell(Pause(112.0))
    p.tell(Tick(500.0))
    p.tell(Resume(600.0))
    p.tell(Tick(601.0))
    assert p.coordinator.active_seconds == pytest.approx(13.0)


def test_running_time_is_saved_now_and_then() -> None:
    p = play(workers=1).begin()
    assert not any(isinstance(c, SaveSearch) for c in p.tell(Tick(p.clock + SAVE_SECONDS / 2)))
    assert any(isinstance(c, SaveSearch) for c in p.tell(Tick(p.clock + SAVE_SECONDS * 1.1)))


# Failures


def test_a_failing_fit_fails_its_trial_alone_and_spares_its_other_folds() -> None:
    p = play(trials=3, workers=1, folds=4).begin()
    p.finish(lambda fit: FAILURE if (fit.trial, fit.fold) == (2, 1) else scored())
    assert states(p) == ["scored", "failed", "scored"]
    trial = p.coordinator.trials[2]
    assert sentence(trial.reason) == "Fold 2: ValueError: no"
    assert [f.state.value for f in trial.fits.values()] == ["done", "error", "cut", "cut"]
    assert len(p.hired) == 1


def test_a_lost_worker_is_replaced_and_its_fit_tried_once_more_elsewhere() -> None:
    p = play(trials=1, workers=2, folds=2).begin()
    lost = p.held[0][0]
    p.lose(0)
    assert p.hired == [0, 1, 2]
    p.awake()
    again = next(f for f in p.started if f.attempt == 2)
    assert ((again.trial, again.fold), again.worker) == ((lost.trial, lost.fold), 2)
    p.finish()
    assert states(p) == ["scored"]


def test_a_fit_that_kills_two_workers_fails_its_trial() -> None:
    p = play(trials=2, workers=1, folds=2).begin()
    p.lose(0)
    p.awake()
    p.lose(1)
    assert p.coordinator.trials[1].state is TrialState.FAILED
    assert sentence(p.coordinator.trials[1].reason) == "Fold 1: Lost 2 workers on this fit: killed by SIGKILL"
    p.finish()
    assert states(p) == ["failed", "scored"]


def test_a_worker_lost_before_its_fit_began_costs_no_attempt() -> None:
    p = play(trials=1, workers=1, folds=1).begin()
    p.lose(0, started=False)
    p.awake()
    p.lose(1)
    p.awake()
    assert p.finish().coordinator.trials[1].state is TrialState.SCORED


def test_workers_that_never_start_fail_the_search_with_the_reason() -> None:
    p = play(workers=1)
    p.tell(Begin(0.0))
    for _ in range(FAILED_STARTS + 1):
        p.lose(p.hired[-1])
    assert p.coordinator.state is SearchState.FAILED
    assert "killed by SIGKILL" in sentence(p.coordinator.reason)


def test_a_fit_over_its_time_limit_ends_its_worker_and_fails_its_trial() -> None:
    p = play(trials=2, workers=1, folds=2, fit_seconds=30).begin()
    p.start(0)
    assert not any(isinstance(c, Dismiss) for c in p.tell(Tick(p.clock + 29)))
    commands = p.tell(Tick(p.clock + 31))
    assert Dismiss(0) in commands
    assert any(isinstance(c, Hire) for c in commands)
    assert p.coordinator.trials[1].fits[0].state is FitState.TOO_LONG
    assert "limit of 30 s" in sentence(p.coordinator.trials[1].reason)
    assert states(p.finish()) == ["failed", "scored"]


def test_the_late_answer_of_a_dismissed_worker_is_dropped() -> None:
    p = play(trials=1, workers=1, folds=2).begin()
    fit = p.start(0)
    p.lose(0, started=False)
    p.awake()
    p.tell(FitEnded(0, fit.trial, fit.fold, fit.attempt, scored(9.9), p.clock))
    assert 9.9 not in p.finish().coordinator.trials[1].scores


def test_a_search_whose_trials_all_fail_gives_up_early() -> None:
    p = play(trials=100, workers=1, folds=2).begin().finish(lambda fit: FAILURE)
    assert p.coordinator.state is SearchState.FAILED
    assert sentence(p.coordinator.reason) == "Every trial failed. The first: Fold 1: ValueError: no"
    assert len(p.coordinator.trials) == HOPELESS


def test_one_score_is_enough_to_go_on_through_failures() -> None:
    p = play(trials=12, workers=1, folds=1).begin().finish(lambda fit: scored() if fit.trial == 1 else FAILURE)
    assert p.coordinator.state is SearchState.FINISHED


def test_a_strategy_that_breaks_fails_the_search_with_its_words() -> None:
    p = play(workers=1).begin()
    p.tell(ProposalFailed("LinAlgError: singular", p.clock))
    assert p.coordinator.state is SearchState.FAILED
    assert "singular" in sentence(p.coordinator.reason)


# What people do


def test_pause_lets_running_fits_end_and_starts_none() -> None:
    p = play(trials=5, workers=2, folds=3).begin()
    p.tell(Pause(p.clock))
    begun = len(p.started)
    for worker in p.busy():
        p.end(worker)
    assert len(p.started) == begun
    assert not p.finished
    p.tell(Resume(p.clock))
    assert len(p.started) > begun
    assert states(p.finish()) == ["scored"] * 5


def test_stop_withdraws_what_lives_and_ends_everything() -> None:
    p = play(trials=5, workers=2, folds=3).begin()
    p.end(p.busy()[0])
    p.tell(Stop(p.clock))
    assert (p.coordinator.state, p.finished) == (SearchState.STOPPED, True)
    assert states(p) == ["withdrawn"]
    assert p.tell(Tick(p.clock + 1)) == []


def test_withdrawing_a_trial_ends_its_workers_and_keeps_its_scores() -> None:
    p = play(trials=2, workers=2, folds=4).begin()
    p.end(0)
    p.tell(Withdraw(1, p.clock))
    trial = p.coordinator.trials[1]
    assert trial.state is TrialState.WITHDRAWN
    assert sorted(f.state.value for f in trial.fits.values()) == ["cut", "cut", "cut", "done"]
    assert len(p.hired) == 4
    with pytest.raises(Conflict, match="has ended already"):
        p.coordinator.handle(Withdraw(1, p.clock))
    assert states(p.finish()) == ["withdrawn", "scored"]


def test_the_number_of_workers_follows_the_wish_without_harm() -> None:
    p = play(trials=6, workers=1, folds=4).begin()
    p.tell(SetWorkers(4, p.clock))
    p.awake()
    assert len(p.busy()) == 4
    p.tell(SetWorkers(2, p.clock))
    assert len(p.held) == 4, "busy workers are not interrupted"
    for worker in p.busy():
        p.end(worker)
    assert len(p.held) == 2
    assert states(p.finish()) == ["scored"] * 6
    assert p.saved_done.total() == 24


def test_lanes_are_reused_by_replacements() -> None:
    p = play(workers=3).begin()
    commands = p.tell(WorkerLost(1, "gone", p.clock))
    assert [c.lane for c in commands if isinstance(c, Hire)] == [1]


FIT = (99, 1, 0, 1)
EVENTS: dict[str, Any] = {
    "begin": Begin(200.0), "tick": Tick(200.0), "worker ready": WorkerReady(99), "worker lost": WorkerLost(99, "x", 200.0),
    "halted": Halted(because("cluster gone", cluster="tcp://head:1"), 200.0),
    "fit started": FitStarted(*FIT, 200.0), "fit stepped": FitStepped(*FIT, ((1, 0.5),), 200.0),
    "fit ended": FitEnded(*FIT, scored(), 200.0), "proposal": Proposal(2, Suggest(({"x": 2},)), 200.0),
    "strategy failed": ProposalFailed("no", 200.0), "pause": Pause(200.0), "resume": Resume(200.0), "stop": Stop(200.0),
    "withdraw": Withdraw(1, 200.0), "workers": SetWorkers(3, 200.0), "limits": SetLimits({"trials": 9}, 200.0),
    "try": Try({"x": 7}, 200.0),
}  # fmt: skip
WISHED = {"pause", "resume", "stop", "withdraw", "workers", "limits", "try"}
AFTER = {
    # state: {event: state afterwards}; what is not listed stays
    "running": {"pause": "paused", "halted": "paused", "stop": "stopped", "strategy failed": "failed"},
    "paused": {"resume": "running", "stop": "stopped", "strategy failed": "failed"},
    "finished": {}, "stopped": {}, "failed": {},
}  # fmt: skip


def test_every_event_is_asked_about() -> None:
    assert {type(event) for event in EVENTS.values()} == set(get_args(Event))


@pytest.mark.parametrize("event", list(EVENTS))
@pytest.mark.parametrize("state", [s for s in SearchState if s is not SearchState.DRAFT])
def test_every_event_in_every_state(state: SearchState, event: str) -> None:
    p = play(trials=2, workers=1, folds=2).begin()
    if state is SearchState.PAUSED:
        p.tell(Pause(150.0))
    elif state is SearchState.STOPPED:
        p.tell(Stop(150.0))
    elif state is SearchState.FINISHED:
        p.finish()
    elif state is SearchState.FAILED:
        p.tell(ProposalFailed("no", 150.0))
    assert p.coordinator.state is state
    if state.ended and event in WISHED:
        with pytest.raises(IllegalTransition, match=f"The search is {state.value}"):
            p.tell(EVENTS[event])
        return
    commands = p.tell(EVENTS[event])
    assert p.coordinator.state.value == AFTER[state.value].get(event, state.value)
    if state.ended:
        assert commands == []


@pytest.mark.parametrize(("table", "what"), [(SEARCH, "The search"), (TRIAL, "Trial 1"), (FIT_MOVES, "Fit 1/0")])
def test_only_what_the_tables_say_is_legal(table: Any, what: str) -> None:
    for state in table:
        for to in table:
            if to is state or to in table[state]:
                assert moved(state, to, what) is to
            else:
                with pytest.raises(IllegalTransition, match=f"{what} is {state.value} and cannot become {to.value}"):
                    moved(state, to, what)
        assert state.ended == (not table[state])


def test_a_thousand_starts_and_workers_do_not_recurse() -> None:
    limit = sys.getrecursionlimit()
    depth = len(inspect.stack())
    p = play(trials=1000, workers=1000, folds=1)
    p.starts = [{"x": n} for n in range(1000)]
    p.tell(Begin(p.clock))
    for worker in range(1000):
        p.coordinator.handle(WorkerReady(worker))
    sys.setrecursionlimit(depth + 60)
    try:
        p.tell(Tick(p.clock))
        p.answer()
        while p.coordinator.budget.proposed < 1000:
            p.asked.append(p.coordinator.budget.proposed + 1)
            p.answer()
    finally:
        sys.setrecursionlimit(limit)
    assert len(p.started) == 1000
    assert {t.origin for t in p.coordinator.trials.values()} == {"start"}


def test_what_was_known_before_is_in_the_sightline() -> None:
    coordinator = Coordinator(Limits(trials=2, workers=1, folds=1), (), earlier=5)
    coordinator.handle(Begin(0.0))
    coordinator.handle(WorkerReady(0))
    coordinator.handle(Proposal(1, Suggest(({"x": 1},)), 1.0))
    coordinator.handle(FitEnded(0, 1, 0, 1, scored(), 2.0))
    coordinator.handle(Proposal(2, Suggest(({"x": 2},)), 3.0))
    assert [trial.seen for trial in coordinator.trials.values()] == [5, 6]


def test_no_fit_runs_on_in_a_search_that_has_ended() -> None:
    """A fold failed, and the trial's other fold was left to end by itself: the search does not wait for it."""
    p = play(trials=1, workers=2, folds=2).begin()
    p.start(1)
    saved = [c.fit for c in p.coordinator.handle(FitEnded(0, 1, 0, 1, FAILURE, p.clock)) if isinstance(c, SaveFit)]
    assert p.coordinator.state.ended
    assert [(fit.fold, fit.state.value) for fit in saved] == [(0, "error"), (1, "cut")]
    assert not [f for t in p.coordinator.trials.values() for f in t.fits.values() if f.state is FitState.RUNNING]


# Restarts


def test_a_restart_does_only_what_was_not_done() -> None:
    done = Trial(1, {"x": 1}, state=TrialState.SCORED, ended_at=5.0)
    done.fits = {f: Fit(1, f, FitState.DONE, 1, outcome=scored()) for f in range(3)}
    half = Trial(2, {"x": 2}, state=TrialState.RUNNING)
    half.fits = {0: Fit(2, 0, FitState.DONE, 1, outcome=scored()), 2: Fit(2, 2, FitState.RUNNING, 1, started_at=4.0)}
    p = play(trials=3, workers=1, folds=3, earlier=[done, half], active_seconds=40.0).begin().finish()
    assert states(p) == ["scored"] * 3
    assert [(f.trial, f.fold) for f in p.started] == [(2, 1), (2, 2), (3, 0), (3, 1), (3, 2)]
    assert p.coordinator.active_seconds > 40
    assert list(p.coordinator.trials[2].scores) == [0.5, 0.5, 0.5]


def test_a_paused_search_stays_paused_over_a_restart() -> None:
    p = play(trials=3, workers=1, folds=1, state=SearchState.PAUSED).begin()
    assert p.started == []
    p.tell(Resume(p.clock))
    assert states(p.finish()) == ["scored"] * 3


# Anything at all

MOVES = st.lists(
    st.tuples(st.sampled_from(["end", "fail", "short", "lose", "die early", "pause", "resume", "withdraw", "more", "fewer", "tick"]), st.integers(0, 7)),
    max_size=60,
)  # fmt: skip


@given(MOVES, st.integers(1, 4), st.integers(1, 5), st.integers(1, 6), st.booleans())
def test_whatever_happens_every_trial_ends_and_no_score_is_made_twice(
    moves: list[tuple[str, int]], workers: int, folds: int, trials: int, baseline: bool
) -> None:
    p = play(trials=trials, workers=workers, folds=folds, baseline={"x": 0} if baseline else None, fit_seconds=50).begin()
    for move, n in moves:
        if p.finished:
            break
        p.awake()
        act(p, move, n)
    if not p.finished:
        p.tell(Resume(p.clock))
        if not p.finished:
            p.finish()
    assert p.coordinator.state.ended
    assert all(t.state.ended for t in p.coordinator.trials.values())
    assert not p.saved_done or max(p.saved_done.values()) == 1
    if p.coordinator.state is SearchState.FINISHED:
        assert sum(t.origin == "proposed" for t in p.coordinator.trials.values()) == trials


def act(p: Play, move: str, n: int) -> None:
    busy = p.busy()
    worker = busy[n % len(busy)] if busy else None
    match move:
        case "end" | "fail" | "short" if worker is not None:
            p.end(worker, {"end": scored(), "fail": FAILURE, "short": scored(seconds=0.001)}[move])
        case "lose" | "die early" if worker is not None:
            p.lose(worker, started=move == "lose")
        case "pause" | "resume":
            p.tell((Pause if move == "pause" else Resume)(p.clock))
        case "withdraw":
            live = [t.number for t in p.coordinator.trials.values() if not t.state.ended]
            if live:
                p.tell(Withdraw(live[n % len(live)], p.clock))
        case "more" | "fewer":
            p.tell(SetWorkers(1 + n if move == "more" else 1, p.clock))
        case "tick":
            p.clock += 10 * n
            p.tell(Tick(p.clock))


def test_saves_come_before_what_rests_on_them() -> None:
    p = play(trials=2, workers=1, folds=1).begin()
    commands = p.coordinator.handle(Proposal(9, Suggest(({"x": 9},)), p.clock))
    order = [type(c) for c in commands if isinstance(c, (SaveTrial, StartFit, Ask))]
    assert order == sorted(order, key=[SaveTrial, StartFit, Ask].index)


def test_a_fit_record_keeps_its_score_only_when_done() -> None:
    fit = Fit(1, 0, FitState.DONE, outcome=scored(0.7))
    assert fit.score == 0.7
    assert fit._replace(state=FitState.CUT).score is None


def test_the_worker_of_a_lane_is_found_while_it_is_free() -> None:
    """So that a trial goes on where its checkpoint lies."""
    pool = WorkerPool()
    for _ in range(2):
        number, _ = pool.hire()
        pool.ready(number)
    assert [pool.free_on(lane, 0) for lane in (0, 1, 2, None)] == [0, 1, None, None]
    pool.hold(1, (5, 0))
    assert pool.free_on(1, 0) is None
    assert pool.free_on(1, 1) == 1
    pool.remove(0)
    assert pool.free_on(0, 0) is None
    assert pool.hire() == (2, 0)
    assert pool.free_on(0, 0) is None, "it is not ready yet"
    pool.ready(2)
    assert pool.free_on(0, 0) == 2


def test_it_is_known_why_ready_workers_have_no_fit() -> None:
    coordinator = Coordinator(Limits(trials=2, workers=2, folds=1), ({"x": 0.0},))
    coordinator.handle(Begin(0.0))
    assert coordinator.idle == "", "nobody is ready"
    coordinator.handle(WorkerReady(0))
    assert coordinator.idle == "", "it has the baseline"
    coordinator.handle(WorkerReady(1))
    assert coordinator.idle == "thinking"
    coordinator.handle(Proposal(1, Wait(), 1.0))
    assert coordinator.idle == "strategy waits"
    coordinator.handle(Pause(2.0))
    assert coordinator.idle == "paused"
