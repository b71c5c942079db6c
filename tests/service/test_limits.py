"""Limits of a search, from the plan to the finalists: measured by real fits, kept by what is shown as the best."""

from __future__ import annotations

import csv
import io
from pathlib import Path
from statistics import median

import pytest

from pellux.core.errors import InvalidPlan
from pellux.service.decisions.candidates import FinalistsQuery
from pellux.service.decisions.finalists import finalists
from pellux.service.engine.engine import Engine
from pellux.service.problems.problems import list_problems
from pellux.service.searches.schemas import PageQuery
from pellux.service.searches.searches import search_view
from pellux.service.searches.trials import export, points, trial_detail, trial_page
from pellux.service.workspace import Workspace
from tests.service.test_searches import launch, problem, rows
from tests.waiting import until

SPACE = "trees: 2 .. 24 int log\ndepth: 1 .. 10 int"


def forests(engine: Engine, problem_id: int, trials: int, **plan: object) -> int:
    search = launch(engine, problem_id, key="forest", space=SPACE, trials=trials, **plan)
    assert engine.join(search, 120)
    return search


@pytest.mark.slow
def test_what_breaks_a_limit_keeps_its_score_and_loses_its_rank(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path, recorded=["log loss"], folds=3)
    free = forests(engine, problem_id, 6)
    assert {row.keeps for row in rows(engine, free)} == {None}
    sizes = [trial_detail(engine.workspace, row.id).fits[0] for row in rows(engine, free)]
    assert all("predict ms" not in fit.recorded for fit in sizes), "it is measured only where it is limited"

    probe = forests(engine, problem_id, 6, limits=["predict ms <= 1000", "model mb <= 1000"], seed=5)
    told = [row for row in rows(engine, probe) if row.state == "scored"]
    assert all(row.keeps and row.measured and row.measured["predict ms"] > 0 for row in told)
    bound = median(row.measured["model mb"] for row in told if row.measured)

    search = forests(engine, problem_id, 10, limits=[f"model mb <= {bound:.6f}"], strategy="gaussian process", seed=5)
    view = search_view(engine, search)
    scored = [row for row in rows(engine, search) if row.state == "scored"]
    good = [row for row in scored if row.keeps]
    assert 0 < len(good) < len(scored)
    assert (view.keeping, [limit.text for limit in view.limits]) == (len(good), [f"model mb <= {bound:.6f}"])
    assert all((row.measured or {})["model mb"] <= bound for row in good)
    best = max(good, key=lambda row: (row.mean or 0.0, -row.id))
    assert view.best is not None
    assert view.best.score == best.mean
    by_score = trial_page(engine.workspace, search, PageQuery(sort="score", descending=True)).trials
    assert [row.keeps for row in by_score if row.state == "scored"] == [True] * len(good) + [False] * (len(scored) - len(good))
    only = trial_page(engine.workspace, search, PageQuery(where="keeps = no", sort="model mb")).trials
    measured = [row.recorded["model mb"] for row in only]
    assert len(only) == len(scored) - len(good)
    assert measured == sorted(measured)
    assert points(engine.workspace, search).keeps.count(False) == len(only)

    worst = next(row for row in scored if not row.keeps)
    [limit] = trial_detail(engine.workspace, worst.id).limits
    assert (limit.keeps, limit.measured) == (False, (worst.measured or {})["model mb"])
    admitted = {
        f.trial.id: f.admitted for f in finalists(engine.workspace, problem_id, FinalistsQuery(search=search, top=50)).finalists
    }
    assert worst.id not in admitted or not admitted[worst.id]
    lines = csv.DictReader(io.StringIO(b"".join(export(engine.workspace, search, "csv")).decode()))
    assert {line["keeps_limits"] for line in lines if line["state"] == "scored"} == {"True", "False"}


@pytest.mark.slow
def test_a_limit_that_nothing_keeps_leaves_no_best_and_is_told(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path, folds=3, limits=["model mb <= 0.0001"])
    search = forests(engine, problem_id, 5, strategy="parzen density")
    view = search_view(engine, search)
    assert (view.best, view.keeping, view.state) == (None, 0, "finished")
    assert [limit.text for limit in view.limits] == ["model mb <= 0.0001"], "the brief's"
    [listed] = list_problems(engine.workspace)
    assert listed.best is None
    assert listed.judging.limits == ["model mb <= 0.0001"]
    assert not any(f.admitted for f in finalists(engine.workspace, problem_id, FinalistsQuery()).finalists)
    free = forests(engine, problem_id, 3, limits=[])
    assert search_view(engine, free).best is not None, "a plan may go without the brief's"


@pytest.mark.slow
def test_a_search_that_is_taken_up_again_knows_what_was_measured(tmp_path: Path) -> None:
    def ended(folder: Path, *, interrupted: bool) -> list[tuple[object, ...]]:
        workspace = Workspace(folder)
        engine = Engine(workspace)
        problem_id = problem(engine, tmp_path, recorded=["log loss"], folds=3)
        plan = {"trials": 9, "workers": 1, "strategy": "gaussian process", "limits": ["log loss <= 0.62"]}
        search = launch(engine, problem_id, key="tree", space="depth: 1 .. 12 int\nmin_leaf: 1 .. 60 int log", **plan)
        if interrupted:
            until(lambda: search_view(engine, search).trials.scored >= 6)
            engine.close()
            engine = Engine(workspace)
            engine.take_up()
        assert engine.join(search, 120)
        found: list[tuple[object, ...]] = [
            (row.number, tuple(row.configuration.items()), row.mean, row.keeps) for row in rows(engine, search)
        ]
        engine.close()
        workspace.close()
        return found

    assert ended(tmp_path / "rough", interrupted=True) == ended(tmp_path / "calm", interrupted=False)


def test_limits_are_checked_before_anything_begins(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path)
    with pytest.raises(InvalidPlan) as refused:
        launch(engine, problem_id, limits=["log loss <= 0.5"])
    assert (refused.value.at, "'log loss' is not measured" in refused.value.message) == ("plan.limits", True)
    with pytest.raises(InvalidPlan, match="decides already"):
        problem(engine, tmp_path, limits=["average precision >= 0.5"])
