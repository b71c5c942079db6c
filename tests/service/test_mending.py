"""Searches that something was taken from: they pause or wait, say for what, and go on by themselves when it is back."""

from __future__ import annotations

import sqlite3
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from pellux.core.errors import FileGone
from pellux.core.reasons import Reason
from pellux.service.engine import mending
from pellux.service.engine.engine import Engine
from pellux.service.searches.schemas import SearchView
from pellux.service.searches.searches import search_view, set_state, set_workers
from pellux.service.workspace import Workspace
from pellux.store import database
from tests import waiting
from tests.service.test_searches import launch, problem

pytestmark = pytest.mark.slow


@pytest.fixture
def short_patience(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(database, "PATIENCE", 0.2)


@pytest.fixture
def engine(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Engine]:
    monkeypatch.setattr(mending, "LOOK", 0.05)
    workspace = Workspace(tmp_path / "w", wall=lambda: time.time() + LEAPS[0])
    found = Engine(workspace)
    yield found
    LEAPS[0] = 0.0
    found.close()
    workspace.close()


LEAPS = [0.0]


def until(engine: Engine, search: int, condition: Callable[[SearchView], bool]) -> SearchView:
    return waiting.until(lambda: condition(found := search_view(engine, search)) and found, 40, lambda: search_view(engine, search))


def scored_once(engine: Engine, search: int, trials: int) -> None:
    found = until(engine, search, lambda s: s.state == "finished")
    assert found.trials.scored == trials + 1
    assert found.trials.failed == found.trials.withdrawn == 0


def test_data_that_are_gone_pause_a_search_until_they_are_back(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path)
    data = next((tmp_path / "w" / "data").iterdir())
    away = tmp_path / "away"
    search = launch(engine, problem_id, trials=400, workers=1)
    until(engine, search, lambda s: s.fits.run > 3)
    set_state(engine, search, "paused")
    until(engine, search, lambda s: s.state == "paused")
    data.rename(away)
    set_state(engine, search, "running")  # the worker still holds what it opened
    other = launch_without_data(engine, problem_id)
    assert f"{data / 'table.json'} is gone: it holds the data" in other.reason
    assert "Import the same data file once more" in other.reason
    away.rename(data)
    scored_once(engine, other.id, 3)
    set_state(engine, search, "stopped")


def launch_without_data(engine: Engine, problem_id: int) -> SearchView:
    search = launch(engine, problem_id, key="logistic", space=None, trials=3)
    return until(engine, search, lambda s: s.state == "paused")


def test_folds_that_are_gone_are_drawn_again_by_the_brief(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path)
    path = engine.workspace.folds_file(problem_id)
    before = path.read_bytes()
    path.unlink()
    scored_once(engine, launch(engine, problem_id, trials=2), 2)
    assert path.read_bytes() == before
    search = launch(engine, problem_id, trials=200, workers=1, seed=5)
    until(engine, search, lambda s: s.fits.run > 2)
    path.unlink()
    set_workers(engine, search, 2)  # the new worker finds them gone
    until(engine, search, lambda s: path.exists())
    until(engine, search, lambda s: s.state == "running")
    set_state(engine, search, "stopped")


def test_a_workspace_opens_although_data_of_a_running_search_are_gone(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path)
    search = launch(engine, problem_id, trials=200, workers=1)
    until(engine, search, lambda s: s.fits.run > 2)
    engine.close()
    gone = next((tmp_path / "w" / "data").iterdir())
    gone.rename(tmp_path / "away")
    engine.workspace.folds_file(problem_id).unlink()
    again = Engine(engine.workspace)
    try:
        assert again.take_up() == [search]
        assert search_view(again, search).state == "paused"
        with pytest.raises(FileGone):
            again.start(search)
    finally:
        again.close()
    third = Engine(engine.workspace)
    try:
        assert third.take_up() == [], "nothing runs"
        (tmp_path / "away").rename(tmp_path / "w" / "data" / gone.name)
        until(third, search, lambda s: s.state == "running")
    finally:
        third.close()


def test_a_database_that_another_program_holds_is_waited_for(short_patience: None, engine: Engine, tmp_path: Path) -> None:
    search = launch(engine, problem(engine, tmp_path), trials=60)
    until(engine, search, lambda s: s.fits.run > 3)
    holding = sqlite3.connect(tmp_path / "w" / "pellux.db", isolation_level=None)
    holding.execute("BEGIN IMMEDIATE")
    waiting = until(engine, search, lambda s: bool(s.waits_for))
    assert "locked by another program" in waiting.waits_for
    assert waiting.state == "running"
    holding.execute("ROLLBACK")
    holding.close()
    scored_once(engine, search, 60)


@pytest.mark.parametrize("leap", [3600.0, -3600.0])
def test_a_clock_that_is_set_ends_nothing(engine: Engine, tmp_path: Path, leap: float) -> None:
    search = launch(engine, problem(engine, tmp_path), trials=30, minutes=5, fit_seconds=60)
    until(engine, search, lambda s: s.fits.run > 3)
    LEAPS[0] = leap
    scored_once(engine, search, 30)
    assert search_view(engine, search).active_seconds < 120


def test_a_full_disk_counts_as_mended_with_room(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    reason = Reason("disk full", {"folder": str(tmp_path)})
    monkeypatch.setattr(mending, "ENOUGH", 1)
    assert mending.mended(reason)
    monkeypatch.setattr(mending, "ENOUGH", 2**62)
    assert not mending.mended(reason)
    assert not mending.mended(Reason("paused by a person"))
