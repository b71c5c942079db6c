"""The brief in full with real workers: baselines first, several learners, repeated and ordered folds, one fold, what is taken away."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from sqlalchemy import select

from pellux.core.errors import Conflict, InvalidBrief, InvalidPlan
from pellux.core.judging import Folds
from pellux.objectives.tabular.learners.catalogue import OURS
from pellux.objectives.tabular.target import split_rows
from pellux.service.decisions import decisions
from pellux.service.decisions.candidates import FinalistsQuery
from pellux.service.decisions.decisions import DecisionRequest
from pellux.service.decisions.finalists import finalists
from pellux.service.decisions.judgements import OpeningRequest, open_holdout, openings
from pellux.service.decisions.takeaway import write_all
from pellux.service.engine.engine import Engine
from pellux.service.planning.requests import BriefRequest
from pellux.service.planning.spaces import SpaceRequest, check_space
from pellux.service.problems import problems
from pellux.service.problems.datasets import open_table
from pellux.service.problems.framing import frame
from pellux.service.problems.leak_check import leak_check
from pellux.service.problems.problems import stored_brief
from pellux.service.searches import curves, searches, trials
from pellux.service.searches.baselines import BaselinesRequest, await_baselines, forget_baselines, score_baselines
from pellux.service.workspace import Workspace
from pellux.store.models import Fit, Search, Trial
from pellux.tables.table import Table
from tests import forking
from tests.making import imported, mixed_columns
from tests.service.test_searches import launch, problem, rows

pytestmark = pytest.mark.slow
MIXED = """model: logistic | tree *2
C: 0.01 .. 10 log if model == logistic
depth: 2 .. 8 int if model == tree
scale: standard | robust
"""


def loads(rows_: int = 240) -> dict[str, list[Any]]:
    """The mixed table with a unit that recurs, a day, a weight, folds of its own, and a column that is known too late."""
    rng = np.random.default_rng(2)
    made = mixed_columns(rows_)
    late = [f"{rng.uniform(200, 900):.1f}" if label == "yes" else "0" for label in made["label"]]
    return {
        **made,
        "unit_id": [f"U{u}" for u in rng.integers(0, 20, rows_)],
        "day": [f"2024-{1 + d // 28:02d}-{1 + d % 28:02d}" for d in np.sort(rng.integers(0, 330, rows_))],
        "weight": [f"{w:.2f}" for w in rng.uniform(0.5, 2, rows_)],
        "part": rng.choice(["north", "south", "west", "holdout"], rows_).tolist(),
        "claim": late,
    }


LEFT_OUT = ["amount", "unit_id", "day", "weight", "part", "claim"]


def framed(engine: Engine, folder: Path, **brief: Any) -> int:
    names = {brief.get(role) for role in ("group", "time", "weight", "fold")}
    return problem(engine, folder, loads(), ignore=[n for n in LEFT_OUT if n not in names], **brief)


def test_baselines_are_scored_in_the_background_and_freeze_nothing(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path, recorded=["ROC AUC", "accuracy"])
    first = score_baselines(engine, problem_id, BaselinesRequest(learners=["logistic", "tree"]))
    assert {view.learner for view in first} == {"logistic", "tree"}
    done = await_baselines(engine, problem_id)
    assert [view.state for view in done] == ["scored", "scored"]
    assert done[0].score is not None
    assert done[1].score is not None
    assert done[0].score >= done[1].score
    view = problems.problem_view(engine.workspace, problem_id)
    assert not view.frozen
    assert view.baseline is not None
    assert view.baseline.score == done[0].score
    assert view.spark == [done[0].score], "baselines do not climb: the best of them is where it begins"
    assert searches.list_searches(engine, problem_id) == []
    # Asked again nothing is scored twice, and a search takes the baseline that is there.
    again = score_baselines(engine, problem_id, BaselinesRequest(learners=["tree", "logistic"]))
    assert [v.trial_id for v in again] == [v.trial_id for v in done]
    search = launch(engine, problem_id, trials=3)
    assert engine.join(search, 60)
    found = rows(engine, search)
    assert [t.origin for t in found] == ["proposed"] * 3
    means = [t.mean or 0.0 for t in sorted(found, key=lambda t: t.ended_at or 0.0)]
    climbed = np.maximum.accumulate([done[0].score, *means]).tolist()
    assert problems.problem_view(engine.workspace, problem_id).spark == climbed
    assert searches.search_view(engine, search).number == 1
    baseline = searches.search_view(engine, search).baseline
    assert baseline is not None
    assert baseline.trial_id == max(done, key=lambda v: v.score or 0.0).trial_id, "the best there is, whoever it is of"
    with engine.workspace.database.read() as session:
        recorded = session.scalars(select(Fit.recorded).where(Fit.search_id == search)).all()
    assert len(recorded) == 9
    assert all(set(r) == {"ROC AUC", "accuracy"} for r in recorded)
    exported = json.loads(b"".join(trials.export(engine.workspace, [search], "jsonl")).splitlines()[0])
    assert 0.5 < exported["recorded"]["ROC AUC"] < 1
    raced = launch(engine, problem_id, trials=4, seed=2, **{"early stopping": "fold race", "stopping": {"chance": 0.01}})
    assert engine.join(raced, 60)
    with engine.workspace.database.read() as session:
        of_folds = session.execute(select(Fit.trial, Fit.recorded).where(Fit.search_id == raced, Fit.state == "done")).all()
    for line in b"".join(trials.export(engine.workspace, [raced], "jsonl")).splitlines():
        row = json.loads(line)
        own = [recorded["ROC AUC"] for number, recorded in of_folds if number == row["trial"]]
        assert row["recorded"]["ROC AUC"] == pytest.approx(np.mean(own))  # of every fold, whichever rung it came at
    with pytest.raises(Conflict, match="frozen"):
        forget_baselines(engine, problem_id)


def test_a_changed_brief_has_its_baselines_scored_anew(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path)
    score_baselines(engine, problem_id, BaselinesRequest(learners=["logistic", "forest"]))
    forget_baselines(engine, problem_id)  # also while they are under way
    with engine.workspace.database.read() as session:
        assert not session.scalars(select(Trial.id)).all()
        assert not session.scalars(select(Search.id)).all()
    brief = problems.stored_brief(engine.workspace, problem_id)
    request = BriefRequest(data=brief.data, target="label", metric="log loss", ignore=["amount"], folds="3 stratified")
    problems.change_problem(engine.workspace, problem_id, request)
    score_baselines(engine, problem_id, BaselinesRequest(learners=["logistic"]))
    [view] = await_baselines(engine, problem_id)
    assert len(view.folds) == 3
    assert view.score is not None
    assert view.score > 0.2  # a log loss, not an average precision


def test_several_learners_are_searched_together_and_known_to_each(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path)
    alone = launch(engine, problem_id, key="tree", space="depth: 2 .. 8 int\n", trials=4)
    assert engine.join(alone, 60)
    both = launch(engine, problem_id, key="logistic | tree *2", space=MIXED, trials=10, **{"warm start": "all"})
    assert engine.join(both, 60)
    found = rows(engine, both)
    assert [t.configuration["model"] for t in found if t.origin == "baseline"] == ["logistic"]  # the tree's is there
    proposed = [t.configuration for t in found if t.origin == "proposed"]
    assert {c["model"] for c in proposed} == {"logistic", "tree"}
    assert all(("depth" in c) == (c["model"] == "tree") and ("C" in c) == (c["model"] == "logistic") for c in proposed)
    later = launch(engine, problem_id, key="logistic", space="C: 0.01 .. 10 log\nscale: standard | robust\n", trials=1, **{"warm start": "all"})  # fmt: skip
    assert engine.join(later, 60)
    best = max((t for t in found if t.mean is not None), key=lambda t: t.mean or 0)
    detail = trials.trial_detail(engine.workspace, best.id)
    assert detail.learner == best.configuration["model"]
    assert "model" not in detail.final
    signed = decisions.decide(engine, problem_id, DecisionRequest(trial_id=best.id, reason="a test"))
    assert decisions.decision_detail(engine.workspace, signed).record["trial"]["learner"] == detail.learner


def check_script(engine: Engine, problem_id: int, trial_id: int, folder: Path) -> dict[str, Any]:
    """Sign, take away, and let the script score every fold anew without Pellux."""
    signed = decisions.decide(engine, problem_id, DecisionRequest(trial_id=trial_id, reason="a test"))
    write_all(engine.workspace, signed, folder / "away")
    (folder / "elsewhere").mkdir()
    command = [sys.executable, "-I", folder / "away" / "train.py", folder / "mixed.csv", "--check"]
    done = forking.run(command, 120, cwd=folder / "elsewhere")
    assert done.returncode == 0, done.stderr + done.stdout
    found: dict[str, Any] = json.loads(done.stdout)
    return found


@pytest.mark.parametrize(
    ("brief", "fits"),
    [
        ({"folds": "3 stratified x 2", "weight": "weight"}, 6),
        ({"folds": "4 ordered", "time": "day", "gap": 10}, 4),
        ({"folds": "4 stratified grouped", "group": "unit_id", "holdout": "25 % by group"}, 4),
        ({"fold": "part", "folds": "column"}, 3),
    ],
    ids=["repeated and weighted", "ordered", "grouped", "own column"],
)  # fmt: skip
def test_every_split_plan_from_search_to_a_script_that_checks_it(
    engine: Engine, tmp_path: Path, brief: dict[str, Any], fits: int
) -> None:
    problem_id = framed(engine, tmp_path, **brief)
    search = launch(engine, problem_id, key="logistic", space="C: 0.01 .. 10 log\nreduce: none | pca\n", trials=3)
    assert engine.join(search, 90)
    found = [t for t in rows(engine, search) if t.origin == "proposed"]
    assert [len(t.scores) for t in found] == [fits] * 3
    best = max(found, key=lambda t: t.mean or 0)
    assert best.mean is not None
    assert best.standard_error is not None
    assert check_script(engine, problem_id, best.id, tmp_path)["difference"] == 0.0
    view = problems.problem_view(engine.workspace, problem_id)
    assert view.brief.fits == fits


def test_one_fold_searches_on_it_and_judges_finalists_on_all(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path, folds=5)
    search = launch(engine, problem_id, trials=8, **{"early stopping": "one fold", "stopping": {"fold": 3, "finalists": 2}})
    assert engine.join(search, 60)
    found = [t for t in rows(engine, search) if t.origin == "proposed"]
    scored = [t for t in found if t.state == "scored"]
    pruned = [t for t in found if t.state == "ended early"]
    assert (len(scored), len(pruned)) == (2, 6)
    assert all(len(t.scores) == 5 and None not in t.scores for t in scored)
    assert all([s is not None for s in t.scores] == [False, False, True] for t in pruned)
    assert min(t.scores[2] or 0 for t in scored) >= max(t.scores[2] or 0 for t in pruned)
    assert all("after fold 3" in t.reason for t in pruned)
    view = searches.search_view(engine, search)
    assert view.fits.run == 5 + 8 + 2 * 4
    ladder = [(rung.level, rung.reached, rung.ended_early) for rung in curves.curves(engine.workspace, search).ladder]
    assert ladder == [(1, 8, 6), (5, 2, 0)]
    with pytest.raises(InvalidPlan, match="fold 9 is not among them"):
        launch(engine, problem_id, **{"early stopping": "one fold", "stopping": {"fold": 9}})


def test_leaks_are_found_and_fair_columns_are_not(workspace: Workspace, tmp_path: Path) -> None:
    table = imported(workspace, tmp_path, loads(2000))

    def kinds(**more: Any) -> dict[str, str]:
        request = BriefRequest(data=table.hash, target="label", ignore=["amount", "ticket", "part"], **more)
        made = frame(table, request)
        return {f.column: f.kind for f in leak_check(table, made.brief, made.rows, made.folds)}

    found = kinds()
    assert found == {"claim": "gives the target away", "unit_id": "group over folds", "day": "time shuffled"}
    assert "unit_id" not in kinds(group="unit_id")
    assert kinds(group="unit_id", folds="5 stratified")["unit_id"] == "group over folds"
    assert "day" not in kinds(time="day", folds="5 ordered")


def test_rows_of_one_class_or_copied_rows_are_said(workspace: Workspace, tmp_path: Path) -> None:
    made = mixed_columns(120)
    twice = {name: values * 2 for name, values in made.items()}
    twice["side"] = ["a"] * 120 + ["b"] * 120
    twice["label"] = ["no" if s == "a" else label for s, label in zip(twice["side"], twice["label"], strict=True)]
    table: Table = imported(workspace, tmp_path, twice, "twice.csv")
    request = BriefRequest(data=table.hash, target="label", ignore=["amount", "ticket"], fold="side", folds="column", holdout=0)
    framing = frame(table, request)
    found = {f.kind for f in leak_check(table, framing.brief, framing.rows, framing.folds)}
    assert {"one class", "copies"} <= found


def test_rows_that_the_data_hold_out_can_be_opened_whatever_share_is_written(engine: Engine, tmp_path: Path) -> None:
    made = mixed_columns()
    part = ["holdout" if i % 5 == 0 else "abc"[i % 3] for i in range(240)]
    problem_id = problem(engine, tmp_path, {**made, "part": part}, fold="part", folds="column", holdout=0)
    assert problems.problem_view(engine.workspace, problem_id).brief.holdout == pytest.approx(0.2)
    search = launch(engine, problem_id, trials=1)
    assert engine.join(search, 60)
    opened = engine.analyst.wait(
        open_holdout(engine, problem_id, OpeningRequest(trial_id=rows(engine, search)[0].id, opener="Ada"))
    )
    assert opened.state == "done", opened.message
    assert openings(engine.workspace, problem_id)[0].rows == 48


@pytest.mark.parametrize("brief", [{"folds": "3 stratified x 2"}, {"folds": "3 ordered", "time": "day", "gap": 20, "holdout": 0}])
def test_prediction_seconds_are_of_the_rows_that_were_predicted(engine: Engine, tmp_path: Path, brief: dict[str, Any]) -> None:
    columns = {**mixed_columns(), "day": [f"2025-{1 + i // 28:02d}-{1 + i % 28:02d}" for i in range(240)]}
    problem_id = problem(engine, tmp_path, columns, **brief)
    search = launch(engine, problem_id, trials=1)
    assert engine.join(search, 60)
    [first] = finalists(engine.workspace, problem_id, FinalistsQuery(cost="prediction seconds", top=1)).finalists[:1]
    detail = trials.trial_detail(engine.workspace, first.trial.id)
    folds = Folds.of(np.load(engine.workspace.folds_file(problem_id)), stored_brief(engine.workspace, problem_id).split)
    predicted = sum(int(folds.test(fit.fold).sum()) for fit in detail.fits)
    assert first.prediction_seconds == pytest.approx(1000 * sum(fit.predict_seconds for fit in detail.fits) / predicted)


@pytest.mark.parametrize(
    ("brief", "at", "words"),
    [
        ({"group": "day", "time": "day"}, "time", "is the group already"),
        ({"weight": "kind"}, "weight", "holds no numbers"),
        ({"time": "kind", "folds": "5 ordered"}, "time", "neither dates nor numbers"),
        ({"fold": "b"}, "fold", "different values; a fold column has 2 to 50"),
        ({"folds": "5 grouped"}, "group", "role group"),
        ({"recorded": ["RMSE"]}, "recorded", "does not suit"),
        ({"group": "nobody"}, "group", "no column"),
        ({"folds": "5 round"}, "folds", "unknown"),
    ],
)
def test_a_brief_that_cannot_be_names_its_field(
    workspace: Workspace, tmp_path: Path, brief: dict[str, Any], at: str, words: str
) -> None:
    table = imported(workspace, tmp_path, loads())
    with pytest.raises(InvalidBrief, match=words) as caught:
        frame(table, BriefRequest(data=table.hash, target="label", ignore=["amount"], **brief))
    assert caught.value.at == at


def test_hundreds_of_categories_can_be_learnt_from_and_empty_columns_cannot(engine: Engine, tmp_path: Path) -> None:
    made = mixed_columns(600)
    made["wide"] = [f"w{i // 2}" for i in range(600)]
    made["empty"] = [""] * 600
    with pytest.raises(InvalidBrief, match="empty is missing in every row"):
        problem(engine, tmp_path, made, features=["a", "empty"])
    problem_id = problem(engine, tmp_path, made, folds="3 stratified", features=["a", "wide", "kind"])
    for key in ("logistic", "boosting", "lightgbm"):
        search = launch(engine, problem_id, key=key, space="encode: one-hot | ordinal | target\n", trials=3)
        assert engine.join(search, 90)
        view = searches.search_view(engine, search)
        assert view.trials.failed == 0, [t.reason for t in rows(engine, search)]
        assert view.trials.scored >= 3


def test_a_learner_that_cannot_weigh_rows_is_refused_with_weights(engine: Engine, tmp_path: Path) -> None:
    problem_id = framed(engine, tmp_path, weight="weight")
    with pytest.raises(InvalidPlan, match="cannot weigh rows"):
        launch(engine, problem_id, key="neighbours", space=None)
    brief = problems.stored_brief(engine.workspace, problem_id)
    folds = Folds.of(np.load(engine.workspace.folds_file(problem_id)), brief.split)
    assert folds.held.sum() == pytest.approx(0.2 * 240, abs=1)
    assert split_rows(open_table(engine.workspace, brief.data), brief).usable.all()
    assert OURS.learner("neighbours").weights is False


def test_dear_weights_are_searched_where_classes_are_uneven_and_not_elsewhere(engine: Engine, tmp_path: Path) -> None:
    def default_lines(problem_id: int, key: str) -> list[str]:
        checked = check_space(engine.workspace, SpaceRequest(learner=key, problem=problem_id))
        assert checked.error is None
        return [line.partition(":")[0] for line in checked.text.splitlines()]

    columns = mixed_columns(240)
    even = problem(engine, tmp_path, {**columns, "label": ["yes", "no"] * 120}, ignore=["amount"])
    uneven = problem(engine, tmp_path, {**columns, "label": (["yes"] + ["no"] * 14) * 16}, ignore=["amount"])
    assert "balance" not in default_lines(even, "boosting")
    assert "balance" in default_lines(uneven, "boosting")
    assert "balance" in default_lines(even, "forest"), "cheap there"
    assert "boosting_balance" in default_lines(uneven, "forest | boosting")
    assert "boosting_balance" not in default_lines(even, "forest | boosting")
