"""From a target column to task, classes and codes."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest

from pellux.core.errors import InvalidBrief
from pellux.core.judging import Brief
from pellux.objectives.tabular.target import classes_of, infer_task, target_array
from pellux.service.planning.requests import BriefRequest
from pellux.service.problems.framing import frame
from pellux.service.workspace import Workspace
from tests.making import imported


def column(workspace: Workspace, folder: Path, values: list[Any]) -> Any:
    return imported(workspace, folder, {"x": [*range(len(values))], "y": values}, "y.csv")


@pytest.mark.parametrize(
    ("values", "positive", "classes"),
    [
        (["no", "yes", "no"] * 20, None, ("no", "yes")),
        (["TRUE", "false", "false"] * 20, None, ("false", "TRUE")),
        ([0, 1, 1] * 20, None, ("0", "1")),
        ([0.5, 2.5, 2.5] * 20, None, ("2.5", "0.5")),
        (["ill", "well", "well"] * 20, None, ("well", "ill")),
        (["ill", "well", "well"] * 20, "well", ("ill", "well")),
        (["c", "a", "b"] * 20, None, ("a", "b", "c")),
    ],
)
def test_the_positive_class_comes_second(
    workspace: Workspace, tmp_path: Path, values: list[Any], positive: str | None, classes: tuple[str, ...]
) -> None:
    table = column(workspace, tmp_path, values)
    assert classes_of(table, "y", positive) == classes


@pytest.mark.parametrize(
    ("values", "task"),
    [
        (["a", "b"] * 30, "binary"),
        ([3, 7] * 30, "binary"),
        (["a", "b", "c"] * 30, "multiclass"),
        ([1, 2, 3] * 30, "regression"),
        ([0.1 * i for i in range(60)], "regression"),
    ],
)
def test_the_task_is_read_off_the_column(workspace: Workspace, tmp_path: Path, values: list[Any], task: str) -> None:
    assert infer_task(column(workspace, tmp_path, values), "y") == task


@pytest.mark.parametrize("values", [["no", "yes", "", "no"] * 15, [0, 1, "", 0] * 15])
def test_codes_follow_the_classes_and_gaps_are_unknown(workspace: Workspace, tmp_path: Path, values: list[Any]) -> None:
    table = column(workspace, tmp_path, values)
    brief = frame(table, BriefRequest(data=table.hash, target="y", folds=3)).brief
    target, known = target_array(table, brief)
    assert list(known[:4]) == [True, True, False, True]
    assert list(target[:2]) == [0, 1]
    assert (target[~known] == -1).all()


def test_numbers_stay_numbers(workspace: Workspace, tmp_path: Path) -> None:
    table = column(workspace, tmp_path, [0.25, "", *np.linspace(1, 9, 40)])
    brief: Brief = frame(table, BriefRequest(data=table.hash, target="y", folds=3)).brief
    target, known = target_array(table, brief)
    assert target[0] == 0.25
    assert not known[1]
    assert known.sum() == 41


def test_too_many_classes_are_taken_for_an_id(workspace: Workspace, tmp_path: Path) -> None:
    table = column(workspace, tmp_path, [f"k{i % 220}" for i in range(600)])
    with pytest.raises(InvalidBrief, match="220 classes, more than 200"):
        classes_of(table, "y")
