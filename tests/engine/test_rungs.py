"""The coordinator with rungs: who goes on, who waits, what a restart finds; on made-up scores, without a process."""

from __future__ import annotations

import random
from collections.abc import Callable
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pellux.core.stopping import Ladder, fold_by_fold, geometric, rule, settings_of
from pellux.core.strategies import Continue, Suggest, Wait
from pellux.engine.coordinator import Coordinator
from pellux.engine.messages import CutFit, FitEnded, FitStepped, Forget, Proposal, SaveTrial, StartFit, Tick
from pellux.engine.model import Limits, Outcome
from pellux.engine.pruning import Stopping
from pellux.engine.runners.simulated import SimulatedWorld
from pellux.engine.simulation import Course, simulate
from pellux.engine.states import FitState, TrialState
from pellux.service.wording import sentence
from tests.engine.playing import Play, scored

LADDER = geometric("iterations", 1, 27, 3)
HALVING = ("successive halving", "asynchronous halving", "hyperband")


def stopping(key: str, ladder: Ladder = LADDER, *, curves: bool = False, **settings: Any) -> Stopping:
    chosen = rule(key)
    return Stopping(chosen, settings_of(chosen.settings, settings), ladder, curves)


def play(
    key: str, trials: int, *, workers: int = 2, folds: int = 2, ladder: Ladder = LADDER, earlier: Any = (), **more: Any
) -> Play:
    limits = Limits(trials, workers, folds, **{k: more.pop(k) for k in ("checkpoint_bytes", "trial_seconds") if k in more})
    baseline = more.pop("baseline", None)
    curves = more.pop("known", None)
    return Play(
        Coordinator(limits, () if baseline is None else (baseline,), earlier, stopping=stopping(key, ladder, **more), curves=curves)
    )


def talent(trial: int) -> float:
    """How good a trial is, in no order."""
    return (trial * 37 % 101) / 101


def by_talent(fit: StartFit) -> Outcome:
    return scored(talent(fit.trial) + fit.fold * 0.001, seconds=1.0)


def tops(p: Play) -> dict[int, int]:
    return {n: max(t.results, default=-1) for n, t in p.coordinator.trials.items()}


def states(p: Play) -> dict[str, int]:
    found: dict[str, int] = {}
    for trial in p.coordinator.trials.values():
        found[trial.state.value] = found.get(trial.state.value, 0) + 1
    return found


# Who goes on


def test_successive_halving_does_what_the_paper_does() -> None:
    p = play("successive halving", 27).begin().finish(by_talent)
    assert states(p) == {"ended early": 26, "scored": 1}
    left, expected = sorted(range(1, 28), key=lambda n: -talent(n)), dict[int, int]()
    for rung, keep in enumerate((9, 3, 1, 0)):
        expected |= dict.fromkeys(left[keep:], rung)
        left = left[:keep]
    assert tops(p) == expected
    levels = {f.level for f in p.started}
    assert levels == {1, 3, 9, 27}


def test_a_cohort_waits_for_all_and_the_next_begins_after_it() -> None:
    p = play("successive halving", 12, workers=3, folds=1, ladder=geometric("rows", 1, 9, 3), cohort=6).begin()
    while p.busy() and len(p.coordinator.trials) < 7:
        p.end(p.busy()[0], by_talent(p.held[p.busy()[0]][0]))
    first = [p.coordinator.trials[n] for n in range(1, 7)]
    assert all(t.state.ended for t in first)
    p.finish(by_talent)
    assert states(p) == {"ended early": 10, "scored": 2}


@pytest.mark.parametrize("key", HALVING)
@pytest.mark.parametrize("trials", [1, 2, 5, 16, 40])
def test_every_search_ends_with_somebody_at_the_top(key: str, trials: int) -> None:
    p = play(key, trials, workers=4).begin().finish(by_talent)
    found = states(p)
    assert set(found) <= {"scored", "ended early"}
    assert found["scored"] >= 1
    assert sum(found.values()) == trials
    for trial in p.coordinator.trials.values():
        assert trial.results.keys() == set(range(trial.bracket, max(trial.results) + 1))
        assert trial.state is TrialState.SCORED or trial.reason


def test_the_baseline_and_a_trial_by_hand_go_all_the_way_at_once() -> None:
    from pellux.engine.messages import Try

    p = play("asynchronous halving", 9, baseline={"x": 0}).begin()
    p.tell(Try({"x": "mine"}, p.clock))
    p.finish(lambda fit: scored(0.0 if fit.configuration["x"] in (0, "mine") else talent(fit.trial)))
    exempt = [t for t in p.coordinator.trials.values() if t.origin in ("baseline", "by hand")]
    assert len(exempt) == 2
    assert all(t.state is TrialState.SCORED and t.results.keys() == {3} for t in exempt)


def test_folds_are_released_one_after_another() -> None:
    p = play("fold race", 12, folds=5, ladder=fold_by_fold(2, 5), baseline={"x": 0}).begin().finish(by_talent)
    assert states(p)["ended early"] > 3
    done = {n: sum(f.state is FitState.DONE for f in t.fits.values()) for n, t in p.coordinator.trials.items()}
    for number, trial in p.coordinator.trials.items():
        assert len(trial.fits) == done[number], "no fold was begun that was not wanted"
        assert done[number] == 5 if trial.state is TrialState.SCORED else 2 <= done[number] < 5
    best = max(p.coordinator.trials, key=talent)
    assert p.coordinator.trials[best].state is TrialState.SCORED


# Curves


def curve(fit: StartFit, of: Callable[[int], float]) -> Outcome:
    return Outcome(FitState.DONE, of(fit.level), 1.0, curve=tuple((i, of(i)) for i in range(1, fit.level + 1)))


def test_a_trial_is_scored_where_the_mean_of_its_folds_was_best() -> None:
    p = play("none", 1, ladder=Ladder("iterations", (9,)), curves=True).begin()
    p.finish(lambda fit: curve(fit, lambda i: -abs(i - 5) + (0.5 * i if fit.fold else 0)))
    trial = p.coordinator.trials[1]
    assert trial.best_iteration == 5
    assert trial.scores == [0.0, 2.5]
    assert trial.mean == 1.25


def test_a_plateau_ends_the_fit_at_the_same_iteration_however_late_the_worker_hears() -> None:
    found = []
    for late in (0, 7):
        p = play("plateau", 1, workers=1, folds=1, ladder=Ladder("iterations", (20,)), curves=True, patience=3).begin()
        p.start(0)
        rising = [(i, min(i, 4) / 10) for i in range(1, 20)]
        commands = p.tell(FitStepped(0, 1, 0, 1, tuple(rising[:8]), p.clock))
        assert CutFit(0, 1, 0, 1) in commands
        fit = p.held[0].pop()
        assert not p.tell(FitStepped(0, 1, 0, 1, tuple(rising[8 : 8 + late]), p.clock))
        p.tell(FitEnded(0, fit.trial, 0, 1, Outcome(FitState.DONE, 0.4, 1.0, curve=tuple(rising[: 8 + late])), p.clock))
        trial = p.coordinator.trials[1]
        found.append((trial.state, trial.best_iteration, trial.scores, sentence(trial.fits[0].outcome.reason)))
    assert found[0] == found[1] == (TrialState.SCORED, 4, [0.4], "no gain since iteration 4 of 7")


def test_a_flat_liner_is_pruned_and_its_workers_are_told() -> None:
    p = play("plateau", 2, workers=2, folds=2, ladder=Ladder("iterations", (20,)), curves=True, patience=3).begin()
    p.start(0)
    p.start(1)
    commands = p.tell(FitStepped(0, 1, 0, 1, tuple((i, 0.3) for i in range(1, 6)), p.clock))
    assert {c.fold for c in commands if isinstance(c, CutFit)} == {0, 1}
    trial = p.coordinator.trials[1]
    assert trial.state is TrialState.ENDED_EARLY
    assert trial.reason.code == "flat"
    for worker in (0, 1):
        fit = p.held[worker].pop(0)
        p.tell(FitEnded(worker, 1, fit.fold, 1, Outcome(FitState.DONE, 0.3, 2.5), p.clock))
    assert [f.state for f in trial.fits.values()] == [FitState.CUT, FitState.CUT]
    assert trial.seconds == 5.0, "what the cut fits took is still counted"
    assert {s.trial for s in p.started[2:]} == {2}


def test_nan_in_the_middle_of_a_curve_is_left_out() -> None:
    p = play("none", 1, workers=1, folds=1, ladder=Ladder("iterations", (5,)), curves=True).begin()
    p.finish(lambda fit: curve(fit, lambda i: float("nan") if i == 3 else i / 10))
    assert p.coordinator.trials[1].best_iteration == 5


# Checkpoints and limits


def test_checkpoints_are_given_up_with_their_trial_and_the_weakest_first_when_room_is_short() -> None:
    p = play("asynchronous halving", 9, workers=1, folds=1, checkpoint_bytes=250).begin()
    forgotten: list[int] = []

    def end(fit: StartFit) -> Outcome:
        return Outcome(FitState.DONE, talent(fit.trial), 1.0, checkpoint_bytes=100)

    for _ in range(200):
        p.awake()
        if p.finished:
            break
        worker = p.busy()[0]
        fit = p.start(worker)
        p.held[worker].remove(fit)
        commands = p.tell(FitEnded(worker, fit.trial, fit.fold, fit.attempt, end(fit), p.clock))
        new = [c.trial for c in commands if isinstance(c, Forget)]
        parked = [t for t in p.coordinator.trials.values() if t.state is TrialState.PARKED]
        assert p.coordinator.checkpoints.total <= 250 + 100
        for number in new:
            if p.coordinator.trials[number].state is TrialState.PARKED:
                same = [t for t in parked if t.rung == p.coordinator.trials[number].rung and t.number in p.coordinator.checkpoints]
                assert all(talent(t.number) >= talent(number) for t in same)
        forgotten += new
    assert p.finished
    assert len(forgotten) == len(set(forgotten)) == 9


def test_a_trial_that_takes_too_long_in_all_fails_and_says_so() -> None:
    p = play("asynchronous halving", 6, workers=1, folds=1, trial_seconds=5.0).begin()
    p.finish(lambda fit: scored(talent(fit.trial), seconds=4.0 * fit.level))
    failed = [t for t in p.coordinator.trials.values() if t.state is TrialState.FAILED]
    assert failed
    assert all("trial took longer than its limit of 5 s" in sentence(t.reason) for t in failed)
    q = play("none", 1, workers=1, folds=2, ladder=Ladder(), trial_seconds=5.0).begin()
    q.end(0, scored(seconds=3.0))
    q.start(0)
    q.tell(Tick(q.clock + 3))
    assert q.coordinator.trials[1].fits[1].state is FitState.TOO_LONG


# Populations


def test_members_go_on_from_their_parents() -> None:
    p = Play(Coordinator(Limits(6, 1, 1), (), stopping=stopping("none", Ladder("iterations", (3, 6)))))
    asked: list[int] = []

    def carry_out(command: Any) -> None:
        if type(command).__name__ != "Ask":
            Play.carry_out(p, command)
            return
        asked.append(command.number)
        rung, member = divmod(command.number - 1, 3)
        parent = None if rung == 0 else 3  # all copy the third
        p.tell(Proposal(command.number, Continue({"x": command.number}, parent, rung, member), p.clock))
        return

    p.carry_out = carry_out  # type: ignore[method-assign]
    p.begin().finish(by_talent)
    assert asked == [1, 2, 3, 4, 5, 6]
    lines = {f.trial: [a.trial for a in f.ancestors] for f in p.started}
    assert lines == {1: [], 2: [], 3: [], 4: [3], 5: [3], 6: [3]}
    assert [f.level for f in p.started] == [3, 3, 3, 6, 6, 6]
    assert states(p) == {"scored": 6}
    assert [t.cohort for t in p.coordinator.trials.values()] == [0, 1, 2, 0, 1, 2]


def test_who_has_nothing_to_say_is_asked_again_when_a_trial_ends() -> None:
    p = play("none", 3, workers=2, folds=1, ladder=Ladder())
    asked: list[int] = []

    def carry_out(command: Any) -> None:
        if type(command).__name__ != "Ask":
            Play.carry_out(p, command)
            return
        asked.append(command.number)
        waits = len(asked) == 2
        p.tell(Proposal(command.number, Wait() if waits else Suggest(({"x": 1},)), p.clock))
        return

    p.carry_out = carry_out  # type: ignore[method-assign]
    p.begin()
    assert asked == [1, 2], "not asked over and over while nothing happens"
    p.finish()
    assert asked[:3] == [1, 2, 2]
    assert states(p) == {"scored": 3}


# After a crash


@given(st.integers(0, 10_000), st.sampled_from([*HALVING, "fold race"]))
def test_a_search_that_is_broken_off_anywhere_ends_as_if_it_was_not(seed: int, key: str) -> None:
    """One worker, so that the order is one: killed after any event, restored from what was saved, gone on with."""
    rng = random.Random(seed)
    ladder = fold_by_fold(2, 4) if key == "fold race" else geometric("rows", 1, 9, 3)
    folds = 4 if key == "fold race" else 2
    whole = play(key, 14, workers=1, folds=folds, ladder=ladder).begin().finish(by_talent)
    broken = play(key, 14, workers=1, folds=folds, ladder=ladder).begin()
    kept = _Kept(broken)
    for _ in range(rng.randrange(1, 40)):
        if broken.finished:
            break
        broken.end(broken.busy()[0], by_talent(broken.held[broken.busy()[0]][0]))
    again = play(key, 14, workers=1, folds=folds, ladder=ladder, earlier=kept.restored())
    if broken.finished:
        again.finished = True
    else:
        again.begin().finish(by_talent)
    assert tops(again) == tops(whole)
    assert {n: t.state for n, t in again.coordinator.trials.items()} == {n: t.state for n, t in whole.coordinator.trials.items()}


class _Kept:
    """What a store would have: trials as they were last saved, with the fits that were saved."""

    def __init__(self, p: Play) -> None:
        self.trials: dict[int, Any] = {n: self._copy(t) for n, t in p.coordinator.trials.items()}
        plain = p.tell

        def tell(event: Any) -> Any:
            commands = plain(event)
            for command in commands:
                if isinstance(command, SaveTrial):
                    self.trials[command.trial.number] = self._copy(command.trial)
            return commands

        p.tell = tell  # type: ignore[method-assign]

    @staticmethod
    def _copy(trial: Any) -> Any:
        import copy

        return copy.deepcopy(trial)

    def restored(self) -> list[Any]:
        for trial in self.trials.values():
            for fold, fit in list(trial.fits.items()):
                if fit.state in (FitState.QUEUED, FitState.RUNNING) and not trial.state.ended:
                    del trial.fits[fold]
        return list(self.trials.values())


# The virtual clock


def course(workers: int, trials: int, key: str = "asynchronous halving") -> Course:
    rng = random.Random(1)
    world = SimulatedWorld(
        lambda c, f, before, level: (level - before) * rng.uniform(0.5, 2.0), lambda c, f, level: talent(int(c["n"]))
    )
    return simulate(Limits(trials, workers, 1), lambda n, _: {"n": n}, world, stopping=stopping(key))


def test_the_virtual_clock_plays_ten_thousand_workers() -> None:
    found = course(10_000, 10_500)
    assert len(found.coordinator.trials) == 10_500
    assert found.scored >= 10_500 // 3**3 * 0.5
    assert found.busy / found.seconds > 50


def test_asynchronous_workers_never_wait_where_synchronous_ones_do() -> None:
    used = {key: (c := course(8, 2000, key)).busy / (8 * c.seconds) for key in ("asynchronous halving", "successive halving")}
    assert used["asynchronous halving"] > 0.97 > 0.9 > used["successive halving"]
