"""Early stopping with real workers and real learners: checkpoints, crashes, schedules, what is saved, what is refused."""

from __future__ import annotations

import contextlib
import errno
import os
import pickle
import signal
import sys
import time
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from sklearn.metrics import roc_auc_score
from sqlalchemy import select

from pellux.core.errors import Conflict, InvalidPlan
from pellux.core.judging.predictions import assemble, decode
from pellux.core.objective import FitContext, Objective
from pellux.core.space import parse
from pellux.core.stopping import points
from pellux.engine.artifacts import FileArtifacts
from pellux.objectives.sealed import seal
from pellux.objectives.tabular import checkpoints
from pellux.objectives.tabular.evaluator import _Keeping
from pellux.objectives.tabular.fold_data import FoldData
from pellux.objectives.tabular.growing import Progress, Tending, grow_fold
from pellux.objectives.tabular.learners.building import estimator
from pellux.objectives.tabular.learners.catalogue import LEARNERS, OURS
from pellux.objectives.tabular.learners.settings import Circumstances
from pellux.objectives.tabular.preparation import steps_of
from pellux.objectives.tabular.row_samples import nested_order
from pellux.objectives.tabular.target import target_array
from pellux.service.decisions import decisions
from pellux.service.decisions.decisions import DecisionRequest
from pellux.service.decisions.takeaway import write_all
from pellux.service.engine.engine import Engine
from pellux.service.planning.forecasts import forecast
from pellux.service.planning.launching import check_search
from pellux.service.planning.requests import SearchRequest, SettingsRequest
from pellux.service.problems import problems
from pellux.service.problems.datasets import open_table
from pellux.service.searches import curves, safety, searches, trials
from pellux.service.searches.lookups import final_settings, whose
from pellux.store.models import Trial
from pellux.store.predictions import read_predictions
from pellux.store.problems import get_problem
from tests import forking
from tests.making import mixed_columns
from tests.service.test_searches import launch, problem, rows
from tests.waiting import until

pytestmark = pytest.mark.slow
NETWORK = "rate: 1e-4 .. 0.1 log\nwidth: 4 .. 12 int log\npull: 1e-6 .. 1 log\nbatch: 48 .. 128 int\nepochs: 9\n"
HALVING = {"early stopping": "asynchronous halving", "stopping": {"factor": 3, "least": 1}}


def objective_of(engine: Engine, problem_id: int) -> Objective:
    with engine.workspace.database.read() as session:
        return engine.workspace.objective(get_problem(session, problem_id))


def network(engine: Engine, problem_id: int, **plan: Any) -> int:
    return launch(engine, problem_id, key="network", space=NETWORK, **{"trials": 9, **plan})


# Growing fits


@pytest.mark.parametrize("task", ["multiclass", "regression"])
@pytest.mark.parametrize("key", [k for k, entry in LEARNERS.items() if entry.growth])
def test_growing_in_steps_is_growing_at_once(key: str, task: str, tmp_path: Path) -> None:
    """Through checkpoints of every point, and against what plain fitting gives."""
    rng = np.random.default_rng(3)
    x = rng.normal(size=(300, 6))
    y = np.argmax(x[:, :3] + 0.5 * rng.normal(size=(300, 3)), axis=1)
    if task == "regression":
        y = 1e3 + 50 * (x[:, 0] * x[:, 1] + x[:, 2])
    chosen = OURS.learner(key, task)
    assert chosen.growth is not None
    settings = {**chosen.defaults, chosen.growth.counter: 10}
    around = Circumstances(task, 5)
    whole = estimator(chosen, settings, around).fit(x, y)
    model, done = chosen.build(settings, around), 0
    kept = FileArtifacts(tmp_path, tmp_path / "fits")
    for to in (1, 3, 4, 10):
        chosen.growth.steer(model, settings)
        chosen.growth.grow(model, x, y, None, done, to)
        assert checkpoints.write(kept, 1, 0, Progress(to, model)) > 0
        found, complaint = checkpoints.read(kept, 1, 0)
        assert found is not None
        assert not complaint
        model, done = found.model, found.iteration
    says = "predict" if task == "regression" else "predict_proba"
    assert np.array_equal(getattr(model, says)(x), getattr(whole, says)(x))
    if task == "regression" and key != "sgd":
        assert np.corrcoef(model.predict(x), y)[0, 1] > 0.3
    if not chosen.growth.by_epoch:
        plain = chosen.build(settings, around).fit(x, y)
        assert np.array_equal(getattr(plain, says)(x), getattr(whole, says)(x))


def test_a_damaged_or_missing_checkpoint_is_said_and_not_used(tmp_path: Path) -> None:
    kept = FileArtifacts(tmp_path / "deep" / "er", tmp_path / "fits")
    assert checkpoints.read(kept, 1, 0) == (None, "")
    checkpoints.write(kept, 1, 0, Progress(3, "model"))
    path = tmp_path / "deep" / "er" / "1-0.checkpoint"
    path.write_bytes(path.read_bytes()[:-3] + b"xyz")
    found, complaint = checkpoints.read(kept, 1, 0)
    assert found is None
    assert "damaged" in complaint
    gone = pickle.dumps(Progress(3, "model")).replace(b"Progress", b"Regressp")
    kept.put(1, 0, "checkpoint", seal(gone, "checkpoint"))
    found, complaint = checkpoints.read(kept, 1, 0)
    assert found is None
    assert "another version" in complaint


def keeping_of(folder: Path, trial: int, ancestors: list[int]) -> _Keeping:
    context = FitContext(lambda level, score: None, lambda: False, FileArtifacts(folder, folder / "fits"), time.perf_counter)
    return _Keeping(context, trial, 0, ancestors)


def test_a_full_disk_costs_the_checkpoint_and_not_the_fit(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    keeping = keeping_of(tmp_path, 1, [])
    assert keeping.leave(Progress(3, "model")) > 0

    def full(*_: Any) -> int:
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(Path, "write_bytes", full)
    assert keeping.leave(Progress(6, "model")) == 0
    keeping.lay_down(Progress(6, "model"))
    assert "No space left on device" in keeping.complaints[0]
    monkeypatch.undo()
    assert [path.name for path in tmp_path.iterdir()] == ["1-0.checkpoint"], "no halves lie about"
    assert keeping.begin().iteration == 3, "what was there before is still good"
    assert keeping_of(tmp_path, 7, [5, 1]).begin().iteration == 3, (
        "a child begins where the nearest ancestor with a checkpoint ended"
    )


def test_samples_of_rows_are_nested_and_keep_the_classes(engine: Engine) -> None:
    target = np.repeat([0, 1, 2], [700, 200, 100])
    order = nested_order(target, classes=True, seed=1)
    assert sorted(order) == list(range(1000))
    for size in (50, 100, 330, 900):
        shares = np.bincount(target[order[:size]], minlength=3) / size
        assert shares == pytest.approx([0.7, 0.2, 0.1], abs=1.5 / size + 0.005)
    numbers = np.random.default_rng(1).normal(size=1000) ** 3
    some = numbers[nested_order(numbers, classes=False, seed=1)[:100]]
    assert np.median(some) == pytest.approx(np.median(numbers), abs=0.1)


# Searches


def test_asynchronous_halving_with_real_workers(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path, folds=3)
    search_id = network(engine, problem_id, **HALVING)
    assert engine.join(search_id, 90)
    view = searches.search_view(engine, search_id)
    assert (view.state, view.stopping.key, view.stopping.resource, view.stopping.levels) == (
        "finished", "asynchronous halving", "iterations", [1, 3, 9],
    )  # fmt: skip
    found = rows(engine, search_id)
    assert view.trials.scored + view.trials.ended_early == 10
    assert view.trials.ended_early >= 5
    assert 0.3 < view.fits.work_spared < 0.95
    assert not list(engine.workspace.checkpoints_folder(search_id).parent.rglob("*-*.*")), "checkpoints go with their search"

    brief = problems.stored_brief(engine.workspace, problem_id)
    data = FoldData(open_table(engine.workspace, brief.data), brief, np.load(engine.workspace.folds_file(problem_id)))
    drawn = curves.curves(engine.workspace, search_id)
    chosen = OURS.learner("network", "binary")
    best = max((t for t in found if t.mean is not None and t.origin == "proposed"), key=lambda t: t.mean or 0)
    by_hand: list[list[float]] = []
    for fold in range(3):
        told: list[float] = []
        grow_fold(
            data.prepared(fold, steps_of(OURS.learner("logistic"), {})), chosen, [(best.configuration, 9)], points([9], 60), brief, lambda: 0.0, Progress(),
            Tending(lambda _, score, told=told: told.append(score)),  # type: ignore[misc]
        )  # fmt: skip
        by_hand.append(told)
    means = np.mean(by_hand, axis=0)
    assert best.best_iteration == int(np.argmax(means)) + 1
    assert best.scores == pytest.approx([told[best.best_iteration - 1] for told in by_hand], abs=1e-12)
    place = drawn.numbers.index(best.number)
    assert drawn.ys[place] == pytest.approx(means)
    parts = next(read_predictions(engine.workspace.database.path, [(search_id, best.number)]))
    fold_of = np.load(engine.workspace.folds_file(problem_id))
    kept = assemble(parts, fold_of[fold_of >= 0], 2)
    assert kept is not None
    assert len(kept) == (fold_of >= 0).sum()
    for rung in drawn.ladder:
        assert rung.done == rung.reached
        assert rung.parked == rung.running == 0


def test_what_is_recorded_of_growing_fits_is_of_the_iteration_that_counts(engine: Engine, tmp_path: Path) -> None:
    """Under a plateau fits end where they happen to hear of it; what counts does not depend on that. And what it saved is told."""
    problem_id = problem(engine, tmp_path, folds=3, metric="log loss", recorded=["accuracy", "ROC AUC"])
    space = "rate: 0.03 .. 0.1 log\nepochs: 120"
    plan = {"trials": 3, "early stopping": "plateau", "stopping": {"patience": 4, "gain": 0.002}}
    search_id = launch(engine, problem_id, key="network", space=space, **plan)
    assert engine.join(search_id, 120)
    fold_of, brief = np.load(engine.workspace.folds_file(problem_id)), problems.stored_brief(engine.workspace, problem_id)
    truth, _ = target_array(open_table(engine.workspace, brief.data), brief)
    scored = [t for t in rows(engine, search_id) if t.state == "scored"]
    assert scored
    for row in scored:
        detail = trials.trial_detail(engine.workspace, row.id)
        [parts] = read_predictions(engine.workspace.database.path, [(search_id, row.number)])
        for fit in detail.fits:
            predicted, wanted = decode(parts[fit.fold], 2), truth[fold_of == fit.fold]
            assert fit.recorded["accuracy"] == pytest.approx((predicted.argmax(axis=1) == wanted).mean(), abs=1e-12)
            assert fit.recorded["ROC AUC"] == pytest.approx(roc_auc_score(wanted, predicted[:, 1]), abs=1e-12)
    assert searches.search_view(engine, search_id).fits.work_spared > 0.05


def test_killed_workers_cost_no_more_than_since_the_last_checkpoint(engine: Engine, tmp_path: Path) -> None:
    """The same scores as undisturbed, although every worker is killed in the midst."""
    problem_id = problem(engine, tmp_path, folds=2)
    plan = {**HALVING, "workers": 1, "trials": 6}
    quiet = network(engine, problem_id, **plan)
    assert engine.join(quiet, 60)
    search_id = network(engine, problem_id, **plan)
    killed = 0
    for count in (1, 3):  # early: a search that is over has nobody to kill
        until(lambda count=count: sum(t.state in ("scored", "ended early", "parked") for t in rows(engine, search_id)) >= count, 60)  # type: ignore[misc]
        for held in list(engine._drivers[search_id]._runner._workers.values()):  # type: ignore[attr-defined]
            with contextlib.suppress(ProcessLookupError):  # it may have ended by itself since
                os.kill(held.process.pid, signal.SIGKILL)
                killed += 1
    assert engine.join(search_id, 60)
    assert killed
    compared = [
        {t.number: (t.state, t.scores, t.best_iteration) for t in rows(engine, s) if t.origin == "proposed"}
        for s in (quiet, search_id)
    ]
    assert compared[0] == compared[1]


def test_a_search_that_is_left_and_taken_up_again_keeps_its_curves(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path, folds=2)
    plan = {**HALVING, "workers": 1, "trials": 9}
    quiet = network(engine, problem_id, **plan)
    assert engine.join(quiet, 60)
    search_id = network(engine, problem_id, **plan)
    until(lambda: sum(t.state in ("ended early", "parked") for t in rows(engine, search_id)) >= 4, 60)
    engine.close()
    again = Engine(engine.workspace)
    again.take_up()
    assert again.join(search_id, 60)
    for s in (quiet, search_id):
        assert searches.search_view(again, s).state == "finished"
    assert [(t.number, t.state, t.scores) for t in rows(again, quiet)][1:] == [
        (t.number, t.state, t.scores) for t in rows(again, search_id)
    ]
    again.close()


def test_a_fold_race_spares_fits_and_a_safety_check_says_whether_it_was_right(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path, folds=5)
    search_id = launch(engine, problem_id, key="tree", space="depth: 1 .. 9 int\nmin_leaf: 1 .. 60 int log\n", trials=16,
                       **{"early stopping": "fold race", "stopping": {"chance": 0.3}})  # fmt: skip
    assert engine.join(search_id, 90)
    view = searches.search_view(engine, search_id)
    assert view.trials.ended_early >= 4
    pruned = [t for t in rows(engine, search_id) if t.state == "ended early"]
    assert view.fits.spared == sum(5 - len(t.scores) for t in pruned)
    assert view.fits.run == sum(len(t.scores) for t in rows(engine, search_id))
    assert all("behind the best (trial" in t.reason and "P(win)" in t.reason for t in pruned)
    with pytest.raises(Conflict, match="has ended"):
        safety.check(engine, launch(engine, problem_id, trials=400), safety.SafetyRequest())
    check = safety.check(engine, search_id, safety.SafetyRequest(trials=3))
    assert engine.join(check, 60)
    found = safety.report(engine.workspace, search_id)
    assert (found.checked, found.running, found.ended_early) == (3, 0, len(pruned))
    best = max(t.mean for t in rows(engine, search_id) if t.mean is not None)
    assert found.wrong == sum((t.mean or 0) > best for t in found.trials)
    assert found.at_most is not None
    assert found.at_most == pytest.approx(1 - 0.05 ** (1 / 3)) or found.wrong
    assert searches.search_view(engine, check).kind == "safety check"
    with pytest.raises(Conflict, match="scores the trials it began with"):
        searches.try_configuration(engine, check, {"depth": 3})


def test_rows_grow_from_a_few_to_all(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path, folds=3)
    search_id = launch(engine, problem_id, key="logistic", space="C: 1e-4 .. 1e3 log\n", trials=9,
                       **{"early stopping": "successive halving", "stopping": {"resource": "rows", "least": 11, "cohort": 9}})  # fmt: skip
    assert engine.join(search_id, 60)
    view = searches.search_view(engine, search_id)
    assert view.stopping.levels == [11, 33, 100]
    ladder = curves.curves(engine.workspace, search_id).ladder
    assert [r.level for r in ladder] == [11, 33, 100]
    assert ladder[0].reached == 9
    assert 3 <= ladder[1].reached == 9 - ladder[0].ended_early <= 5, "equals go on together"
    assert 1 <= ladder[2].reached == ladder[1].reached - ladder[1].ended_early


def test_a_population_ends_in_a_schedule_that_can_be_replayed_and_taken_away(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path, folds=2, holdout=0.2)
    search_id = network(engine, problem_id, strategy="population training", **{"strategy settings": {"interval": 3}}, trials=18)
    assert engine.join(search_id, 90)
    view = searches.search_view(engine, search_id)
    assert (view.state, view.trials.scored) == ("finished", 19)
    drawn = curves.curves(engine.workspace, search_id)
    assert drawn.population
    copies = [i for i, p in enumerate(drawn.parents) if p is not None and drawn.members[drawn.numbers.index(p)] != drawn.members[i]]
    assert copies, "somebody was copied"
    last = [t for t in rows(engine, search_id) if t.parent is not None and t.rung == 2]
    with engine.workspace.database.read() as session:
        objective = engine.workspace.objective(get_problem(session, problem_id))
        settings = {t.number: final_settings(session, objective, *reversed(whose(session, t.id)[:2])) for t in last}
    chosen = next(t for t in last if len(settings[t.number].get("schedule", [])) > 1)
    schedule = settings[chosen.number]["schedule"]
    assert schedule[-1][0] == chosen.best_iteration
    assert set(schedule[0][1]) == {"rate", "pull", "batch"}

    brief = problems.stored_brief(engine.workspace, problem_id)
    data = FoldData(open_table(engine.workspace, brief.data), brief, np.load(engine.workspace.folds_file(problem_id)))
    entry = OURS.learner("network", brief.task)
    for fold in range(2):
        ready = data.prepared(fold, steps_of(OURS.learner("logistic"), {}))
        model = estimator(entry, settings[chosen.number], Circumstances(brief.task, brief.seed)).fit(
            ready.train, ready.train_target
        )
        score = brief.judged_by.compute(ready.test_target, model.predict_proba(ready.test), 2)
        assert score == pytest.approx(chosen.scores[fold], abs=1e-9), "the schedule, replayed in one go"
    signed = decisions.decide(engine, problem_id, DecisionRequest(trial_id=chosen.id, rule="by hand", reason="steady", signer="K"))
    written = write_all(engine.workspace, signed, tmp_path / "away")
    assert {"train.py", "configuration.toml"} <= set(written)
    command = [sys.executable, str(tmp_path / "away" / "train.py"), str(tmp_path / "mixed.csv"), "--check"]
    done = forking.run(command, 60, cwd=tmp_path)
    assert done.returncode == 0, done.stdout + done.stderr


# What is refused, and what is foreseen


@pytest.mark.parametrize(
    ("key", "plan", "words"),
    [
        ("tree", {"early stopping": "brutal"}, "Allowed: automatic, none, median rule"),
        ("tree", {"early stopping": "plateau"}, "Decision tree is not trained in iterations"),
        ("tree", {"early stopping": "asynchronous halving", "stopping": {"resource": "iterations"}}, "let rows or folds grow"),
        ("boosting", {"early stopping": "plateau"}, "rounds is searched"),
        ("tree", {"early stopping": "fold race", "stopping": {"resource": "rows"}}, "works on folds, not on rows"),
        ("tree", {"early stopping": "fold race", "stopping": {"least": 5}}, "nothing to stop early"),
        ("tree", {"early stopping": "asynchronous halving", "stopping": {"factor": 1}}, "2 or more"),
        ("tree", {"early stopping": "asynchronous halving", "stopping": {"factor": 2.5}}, "whole number"),
        ("tree", {"early stopping": "asynchronous halving", "stopping": {"resource": "rows", "least": 100}}, "below the whole"),
        ("tree", {"early stopping": "hyperband", "stopping": {"pace": 3}}, "not a setting of this rule"),
        ("tree", {"stopping": {"resource": "hope"}}, "cannot grow"),
        ("network", {"early stopping": "asynchronous halving", "stopping": {"most": 1}}, "2 or more"),
        ("tree", {"strategy": "population training"}, "no setting that may change"),
        ("network", {"strategy": "population training", "early stopping": "fold race"}, "Choose early stopping 'none'"),
        ("network", {"strategy": "population training", "strategy settings": {"interval": 99}}, "1 to 26"),
        ("tree", {"stopping": {"interval": 3}}, "write it under 'strategy settings'"),
        ("tree", {"strategy": "thrifty descent"}, "is called 'gain per second' now"),
        ("network", {"strategy": "population training", "strategy settings": {"pace": 3}}, "not a setting of this strategy"),
    ],
)
def test_what_does_not_go_together_is_refused_with_the_reason(
    engine: Engine, tmp_path: Path, key: str, plan: dict[str, Any], words: str
) -> None:
    objective = objective_of(engine, problem(engine, tmp_path))
    with pytest.raises(InvalidPlan, match=words):
        check_search(objective, SearchRequest(learner=key, plan=SettingsRequest.model_validate({"strategy": "random", **plan})))


def test_automatic_picks_what_the_learner_can_grow(engine: Engine, tmp_path: Path) -> None:
    objective = objective_of(engine, problem(engine, tmp_path))

    def picked(key: str, **plan: Any) -> str:
        request = SettingsRequest.model_validate({"early stopping": "automatic", **plan})
        return check_search(objective, SearchRequest(learner=key, plan=request)).stopping.key

    assert picked("network") == "asynchronous halving"
    assert picked("boosting") == "fold race", "its default space searches the rounds"
    assert picked("tree", trials=5) == "none"


def test_the_forecast_shows_rungs_and_their_cost(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path)
    request = SearchRequest(learner="network", plan=SettingsRequest.model_validate({"trials": 54, "early stopping": "hyperband"}))
    found = forecast(engine.workspace, problem_id, request)
    assert found.stopping.levels == [1, 3, 9, 27]
    by_bracket = {(r.bracket, r.level): r.trials for r in found.rungs}
    assert by_bracket[0, 1] >= by_bracket[0, 3] >= by_bracket[0, 9] >= 1
    assert {r.bracket for r in found.rungs} == {0, 1, 2, 3}
    assert 0.1 < found.work < 0.6
    full = forecast(engine.workspace, problem_id, SearchRequest(learner="network", plan=SettingsRequest(trials=54)))
    assert full.work == pytest.approx(1, abs=0.1)
    assert full.rungs == []


@pytest.mark.parametrize(
    "brief", [{}, {"target": "amount", "metric": "RMSE", "ignore": ["label"]}], ids=["rows of the rarest class", "rows in all"]
)
def test_rows_begin_where_a_model_of_them_says_something(engine: Engine, tmp_path: Path, brief: dict[str, Any]) -> None:
    def levels(problem_id: int, strategy: str = "random", **stopping: Any) -> list[int]:
        plan = {"strategy": strategy, "early stopping": "asynchronous halving", "stopping": {"resource": "rows", **stopping}}
        request = SearchRequest(learner="tree", plan=SettingsRequest.model_validate(plan))
        return forecast(engine.workspace, problem_id, request).stopping.levels

    few = problem(engine, tmp_path, **brief)
    assert levels(few) == [33, 100], "a ninth of 240 rows says next to nothing"
    assert levels(few, least=4) == [4, 11, 33, 100], "what is asked for is done"
    many = problem(engine, tmp_path, mixed_columns(4000), **brief)
    assert levels(many) == [4, 11, 33, 100]
    assert levels(many, strategy="gaussian process") == [11, 100], "what a model proposes needs less sifting"
    assert levels(many, strategy="gaussian process", factor=3) == [4, 11, 33, 100]
    assert levels(few, strategy="gaussian process") == [33, 100]
    assert levels(many, strategy="gaussian process", least=0) == [11, 100], "0 is said to leave it to us"
    plan = {"early stopping": "asynchronous halving", "stopping": {"resource": "rows"}, "strategy": "gaussian process"}
    search = launch(engine, many, trials=3, **plan)
    assert engine.join(search, 60)
    kept = searches.search_view(engine, search).stopping
    assert (kept.levels, kept.settings) == ([11, 100], {"factor": 9, "least": 11}), "it is launched as it was foreseen"
    assert kept.reason.endswith("the best ninth goes on.")


def test_every_trial_of_a_search_with_rungs_can_be_exported(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path, folds=2)
    search_id = network(engine, problem_id, trials=4, workers=1)
    assert engine.join(search_id, 60)
    header = b"".join(trials.export(engine.workspace, search_id, "csv")).decode().splitlines()[0]
    assert "best_iteration" in header
    with engine.workspace.database.read() as session:
        found = session.scalars(select(Trial).where(Trial.search_id == search_id)).all()
        assert all(t.best_iteration is not None and t.share == 1 for t in found), "without a rule there is a curve all the same"
        assert parse(NETWORK).by_name["epochs"] is not None
