"""Briefs, plans and plan files: what is read, and how mistakes are told."""

from __future__ import annotations

from pathlib import Path

import pytest

from pellux.core.errors import InvalidBrief, InvalidPlan, PelluxError
from pellux.core.judging import SplitPlan
from pellux.service.planning.plan_files import plan_hash, read_plan
from pellux.service.planning.requests import BriefRequest, PlanFile
from pellux.service.problems.framing import draw_split, frame
from pellux.service.searches.plans import check
from pellux.service.workspace import Workspace
from tests.making import imported, mixed_columns, write_csv

PLAN = """
pellux: 1
brief: {data: mixed.csv, target: label, ignore: [amount], folds: 4 stratified, holdout: 25 %, seed: 3}
learner: tree
space: |
  depth: 2 .. 6 int
plan: {strategy: random, early stopping: none, trials: 4, workers: 1}
"""


def plan_file(folder: Path, text: str = PLAN) -> Path:
    write_csv(folder / "mixed.csv", mixed_columns())
    (folder / "plan.yaml").write_text(text)
    return folder / "plan.yaml"


def test_a_plan_file_is_read_as_written(tmp_path: Path) -> None:
    plan = read_plan(plan_file(tmp_path))
    assert plan.brief.data == str(tmp_path / "mixed.csv")
    assert plan.brief.split_plan("binary") == SplitPlan("stratified", 4, 0.25, 3)
    assert (plan.plan.trials, plan.plan.early_stopping, plan.plan.workers) == (4, "none", 1)


def test_overrides_change_any_value_for_one_launch(tmp_path: Path) -> None:
    path = plan_file(tmp_path)
    plan = read_plan(path, ["plan.trials=9", "brief.holdout=10 %", "learner=forest", "plan.fit seconds=2.5"])
    assert (plan.plan.trials, plan.brief.holdout, plan.learner, plan.plan.fit_seconds) == (9, "10 %", "forest", 2.5)
    assert plan_hash(plan, "d") != plan_hash(read_plan(path), "d")
    assert plan_hash(read_plan(path), "d") == plan_hash(read_plan(path), "d")


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ("trials: 4", "trails: 4", "unknown key 'plan.trails'. Did you mean 'trials'"),
        ("learner: tree", "lerner: tree", "unknown key 'lerner'. Did you mean 'learner'|lacks 'learner'"),
        ("target: label", "goal: label", "lacks 'brief.target'|unknown key"),
        ("pellux: 1", "pellux: 2", "pellux: it should be 1"),
        ("trials: 4", "trials: many", "plan.trials: .*integer"),
        ("trials: 4", "trials: 0", "plan.trials: .*greater than or equal to 1"),
        ("seed: 3", "seed: -3", "brief.seed: .*greater"),
        ("seed: 3", "seed: true", "brief.seed: .*a number is wanted here, not true"),
        ("trials: 4", "trials: yes", "plan.trials: .*a number is wanted here, not true"),
        ("ignore: [amount]", "features: []", "No feature is left"),
        ("trials: 4", "trials: 4, trials: 9", "line 7, column .*: the key 'trials' stands there twice"),
        ("target: label", "target: &t label, positive: *t", "aliases .* are not read"),
        ("holdout: 25 %", "holdout: some", "'some' is not a share"),
        ("folds: 4 stratified", "folds: a few", "'a few' is not a split plan"),
        ("folds: 4 stratified", "folds: 1 stratified", "2 to 50 folds"),
        ("strategy: random", "strategy: magic", "'magic' is unknown. Allowed: automatic"),
        ("early stopping: none", "early stopping: brutal", "'brutal' is unknown. Allowed: automatic, none, median rule"),
        ("learner: tree", "learner: ridge", "cannot learn a binary target"),
        ("depth: 2 .. 6 int", "depth: 6 .. 2 int", "line 1, column 8|Line 1, column 8"),
        ("depth: 2 .. 6 int", "height: 2 .. 6 int", "no such setting"),
        ("depth: 2 .. 6 int", "depth: 6", "one configuration only"),
        ("target: label", "target: lable", "no column 'lable'"),
        ("target: label", "target: ticket", "free text or ids"),
        ("ignore: [amount]", "ignore: [amont]", "no column 'amont'"),
        ("target: label", "target: label, metric: RMSE", "does not suit a binary target"),
        ("target: label", "target: label, positive: maybe", "'maybe' is not a class of label"),
        ("mixed.csv", "missing.csv", "no data file"),
        ("brief: {", "brief: [", "not YAML in line|not YAML"),
    ],
)
def test_a_mistake_is_one_clear_sentence(workspace: Workspace, tmp_path: Path, old: str, new: str, words: str) -> None:
    assert old in PLAN
    with pytest.raises(PelluxError, match=words):
        check(workspace, read_plan(plan_file(tmp_path, PLAN.replace(old, new))), rehearsed=False)


@pytest.mark.parametrize("override", ["trials", "=3", "plan.trials.deep=3", "brief=[1"])
def test_a_wrong_override_is_told(tmp_path: Path, override: str) -> None:
    with pytest.raises(InvalidPlan):
        read_plan(plan_file(tmp_path), [override])


def test_files_that_are_no_plans(tmp_path: Path) -> None:
    with pytest.raises(InvalidPlan, match="no plan file"):
        read_plan(tmp_path / "nothing.yaml")
    (tmp_path / "list.yaml").write_text("- 1\n- 2\n")
    with pytest.raises(InvalidPlan, match="holds no keys"):
        read_plan(tmp_path / "list.yaml")


def test_check_counts_what_would_be_done(workspace: Workspace, tmp_path: Path) -> None:
    checked = check(workspace, read_plan(plan_file(tmp_path)), rehearsed=False)
    brief, found = checked.brief, checked.found
    assert brief.judged_by.key == "ROC AUC"
    counts = {"configurations": 5, "trials": 4, "folds": 4, "fits": 20, "workers": 1, "seconds": None, "short_sighted": 0.0}
    assert {key: getattr(found.forecast, key) for key in counts} == counts
    assert found.fits == []
    all_of_it = check(workspace, read_plan(tmp_path / "plan.yaml", ["plan.trials=100"]), rehearsed=False).found
    assert all_of_it.forecast.trials == 5


# Framing


def test_the_task_and_metric_follow_from_the_target(workspace: Workspace, tmp_path: Path) -> None:
    table = imported(workspace, tmp_path)
    by_target = {t: frame(table, BriefRequest(data=table.hash, target=t)).brief for t in ("label", "amount", "kind", "whole")}
    assert {t: (b.task, b.metric, b.split.kind) for t, b in by_target.items()} == {
        "label": ("binary", "ROC AUC", "stratified"),
        "amount": ("regression", "RMSE", "shuffled"),
        "kind": ("multiclass", "macro F1", "stratified"),
        "whole": ("regression", "RMSE", "shuffled"),
    }
    assert by_target["label"].classes == ("no", "yes")
    assert "ticket" not in by_target["label"].features
    assert frame(table, BriefRequest(data=table.hash, target="whole", metric="accuracy")).brief.task == "multiclass"


def test_rows_without_a_target_are_left_out_and_counted(workspace: Workspace, tmp_path: Path) -> None:
    columns = mixed_columns()
    columns["label"] = ["" if i % 10 == 0 else v for i, v in enumerate(columns["label"])]
    table = imported(workspace, tmp_path, columns)
    drawn = draw_split(frame(table, BriefRequest(data=table.hash, target="label", folds=3)))
    assert drawn["unused"] == 24
    assert sum(part["rows"] for part in drawn["parts"]) == 216
    assert all(sum(part["balance"]) == pytest.approx(1) for part in drawn["parts"])


@pytest.mark.parametrize(
    ("change", "request_", "at", "words"),
    [
        ({"label": ["yes"] * 240}, {"target": "label"}, "target", "fewer than two classes. It is 'yes' in every row"),
        ({"amount": [""] * 240}, {"target": "amount"}, "target", "missing in every row"),
        ({"label": ["yes"] * 3 + ["no"] * 237}, {"target": "label"}, "folds", "rarest class has"),
        ({}, {"target": "kind", "task": "regression"}, "target", "holds categories"),
        ({}, {"target": "label", "task": "multiclass"}, "task", "2 classes"),
        ({}, {"target": "amount", "folds": "5 stratified"}, "folds", "Stratified folds need classes"),
        ({}, {"target": "label", "features": ["ticket"]}, "features", "free text"),
        ({}, {"target": "label", "features": ["label"]}, "features", "No feature is left"),
    ],
)
def test_a_problem_that_cannot_be_judged_names_its_field(
    workspace: Workspace, tmp_path: Path, change: dict[str, list[str]], request_: dict[str, object], at: str, words: str
) -> None:
    table = imported(workspace, tmp_path, {**mixed_columns(), **change})
    with pytest.raises(InvalidBrief, match=words) as caught:
        frame(table, BriefRequest.model_validate({"data": table.hash, **request_}))
    assert caught.value.at == at


def test_plans_know_no_other_keys() -> None:
    assert PlanFile.model_json_schema()["additionalProperties"] is False
