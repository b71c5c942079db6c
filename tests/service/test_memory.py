"""What earlier problems teach a search: what is kept of them, what it changes, and that it can be switched off."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest

from pellux.core.space import identity, parse
from pellux.core.strategies import Lesson, SeedStream, gaussian_process
from pellux.service.engine.engine import Engine
from pellux.service.planning.forecasts import forecast
from pellux.service.planning.remembering import taught
from pellux.service.searches import searches
from pellux.store.fits import costs
from pellux.store.lessons import lessons_of
from pellux.store.runs import drop_run
from tests.making import mixed_columns
from tests.service.test_preparation import request
from tests.service.test_searches import SPACE, launch, problem, rows

pytestmark = pytest.mark.slow
MODEL = {"strategy": "gaussian process", "trials": 4, "workers": 1, "minutes": None}


def earlier(engine: Engine, folder: Path) -> int:
    """A problem of other data, searched."""
    columns: dict[str, Any] = mixed_columns(rows=300, seed=8)
    folder.mkdir()
    problem_id = problem(engine, folder, columns, name="Doors")
    assert engine.join(launch(engine, problem_id, trials=10), 60)
    return problem_id


def kept(engine: Engine, search_id: int) -> list[Lesson]:
    with engine.workspace.database.read() as session:
        return taught(lessons_of(session, search_id))


def proposed(engine: Engine, search_id: int) -> list[dict[str, Any]]:
    return [t.configuration for t in rows(engine, search_id) if t.origin == "proposed"]


def test_a_search_is_taught_by_another_problem_unless_that_is_switched_off(engine: Engine, tmp_path: Path) -> None:
    doors = earlier(engine, tmp_path / "doors")
    here = problem(engine, tmp_path)
    told = forecast(engine.workspace, here, request(**MODEL))
    assert [(one.problem_id, one.name, one.trials) for one in told.remembered] == [(doors, "Doors", 10)], (
        "its baseline lies outside"
    )
    assert 0.8 < told.remembered[0].likeness < 1, "alike but for the rows and the baseline's scores"
    off = forecast(engine.workspace, here, request(**MODEL, memory=False))
    assert (off.remembered, off.memory) == ([], True), "it says what there would be"
    for strategy, who in (("parzen density", told.remembered), ("random", [])):
        assert forecast(engine.workspace, here, request(**{**MODEL, "strategy": strategy})).remembered == who, strategy

    search_id = launch(engine, here, **MODEL)
    assert engine.join(search_id, 60)
    assert searches.search_view(engine, search_id).remembered == told.remembered
    lessons = kept(engine, search_id)
    best = max(zip(lessons[0].scores, lessons[0].configurations, strict=True), key=lambda one: one[0])
    assert best[0] == max(t.mean or 0 for t in rows(engine, 1))
    first = proposed(engine, search_id)
    expected = gaussian_process.propose(parse(SPACE), [], [], 1, SeedStream(9, 1), lessons=lessons).configurations
    assert first[0] == expected[0]

    without = launch(engine, here, memory=False, **MODEL)
    assert engine.join(without, 60)
    assert searches.search_view(engine, without).remembered == []
    assert proposed(engine, without) != first


def test_a_search_for_a_front_learns_from_fits_that_recorded_its_metrics_unasked(engine: Engine, tmp_path: Path) -> None:
    doors = earlier(engine, tmp_path / "doors")
    here = problem(engine, tmp_path)
    search_id = launch(engine, here, **MODEL, against=["model mb"])
    assert engine.join(search_id, 60)
    assert [one.problem_id for one in searches.search_view(engine, search_id).remembered] == [doors]
    [lesson] = kept(engine, search_id)
    by_place = {identity(c): size for c, (size,) in zip(lesson.configurations, lesson.beside, strict=True)}
    with engine.workspace.database.read() as session:
        stored = {trial: sizes for trial, _, _, sizes in costs(session, 1, range(1, 40)) if sizes}
    for trial in rows(engine, 1):
        place = identity({name: trial.configuration[name] for name in parse(SPACE).by_name})
        if place in by_place:
            assert by_place[place] == pytest.approx(-stored[trial.number] / 2**20)
    expected = gaussian_process.propose(parse(SPACE), [], [], 1, SeedStream(9, 1), lessons=[lesson]).configurations
    assert proposed(engine, search_id)[0] == expected[0]


def test_what_was_taught_stays_whatever_becomes_of_the_earlier_problem(engine: Engine, tmp_path: Path) -> None:
    doors = earlier(engine, tmp_path / "doors")
    here = problem(engine, tmp_path)
    told = forecast(engine.workspace, here, request(**MODEL)).remembered[0].trials
    first, second = (launch(engine, here, **MODEL) for _ in range(2))
    assert engine.join(first, 60)
    assert engine.join(second, 60)
    assert engine.join(launch(engine, doors, trials=8, seed=33), 60), "more is known there by now"
    assert [one.scores for one in kept(engine, first)] == [one.scores for one in kept(engine, second)]
    assert proposed(engine, first) == proposed(engine, second)
    assert forecast(engine.workspace, here, request(**MODEL)).remembered[0].trials > told
    with engine.workspace.database.write() as session:
        drop_run(session, first)
        assert lessons_of(session, first) == []
        assert lessons_of(session, second)


def test_nothing_is_taught_where_it_would_mean_nothing(engine: Engine, tmp_path: Path) -> None:
    earlier(engine, tmp_path / "doors")
    here = problem(engine, tmp_path)

    def learns(space: str | None = SPACE, key: str = "tree", **plan: Any) -> bool:
        return bool(forecast(engine.workspace, here, request(space, key, **{**MODEL, **plan})).remembered)

    assert learns()
    assert learns("min_leaf: 2 .. 38 int log"), "what it searched besides is left aside"
    assert not learns(None, "forest"), "another learner"
    assert not learns(strategy="random"), "it learns from nothing"
    assert not learns(against=["predict ms"]), "nobody measured that there"
    assert not learns("depth: 25 .. 30 int"), "none of its trials lies there"
    assert learns(None, "tree | forest"), "one of its learners"
