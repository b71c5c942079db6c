"""The demo workspace: two problems, a finished search, one that starts with the demo, and no second one beside it."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from pellux.demo import cooling, routes
from pellux.demo import workspace as demo
from pellux.demo.generator import FOLDER, energy_per_trip, warm_arrivals
from pellux.service.engine.engine import Engine
from pellux.service.evidence.standings import list_faceoffs
from pellux.service.problems.problems import list_problems, split_view
from pellux.service.searches.searches import list_searches
from pellux.service.workspace import Workspace
from pellux.web.app import create_app


@pytest.fixture(autouse=True)
def few_rows(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The first quarter of each table: what is furnished is the same, and every fit much shorter."""
    (tmp_path / "few").mkdir()
    for whole in FOLDER.glob("*.csv"):
        lines = whole.read_text("utf-8").splitlines(keepends=True)
        (tmp_path / "few" / whole.name).write_text("".join(lines[: 1 + len(lines) // 4]), "utf-8")
    monkeypatch.setattr(demo, "FOLDER", tmp_path / "few")


@pytest.mark.slow
def test_the_demo_is_furnished_once_and_has_a_live_search(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(demo, "FIRST_TRIALS", 1)
    monkeypatch.setattr(demo, "LIVE_TRIALS", 1)
    monkeypatch.setattr(demo, "RACE_TRIALS", 1)
    monkeypatch.setattr(demo, "WEIGHED_TRIALS", 2)
    monkeypatch.setattr(demo, "LIMITED_TRIALS", 2)
    monkeypatch.setattr(demo, "SOUND_TRIALS", 2)
    monkeypatch.setattr(demo, "QUICK", ["tree"])
    monkeypatch.setattr(demo, "FIRST_SPACE", "rate: 0.1 .. 0.3 log\nrounds: 10 .. 20 int log\n")
    monkeypatch.setattr(demo, "LIMITED_SPACE", "trees: 8 .. 12 int\ndepth: 3 .. 6 int\n")
    monkeypatch.setattr(demo, "SOUND_SPACE", "batch: 200 .. 256 int\nwidth: 8\nepochs: 9\n")
    monkeypatch.setattr(routes, "ROUTE_TRIALS", 2)
    monkeypatch.setattr(routes, "EPOCHS", 3)
    monkeypatch.setattr(cooling, "COOLING_TRIALS", 10)
    monkeypatch.setattr(cooling, "FACE_OFF_TRIALS", 2)
    monkeypatch.setattr(cooling, "FACE_OFF_REPEATS", 1)
    said: list[str] = []
    assert demo.furnish(tmp_path / "demo", said.append)
    assert not demo.furnish(tmp_path / "demo", said.append)
    assert len(said) == 8
    engine = Engine(Workspace(tmp_path / "demo"))
    try:
        chill, route, sound, warm, energy = list_problems(engine.workspace)
        assert (route.name, route.code.label, route.searches) == (routes.ROUTES, "plan_routes.py", 1)
        assert (chill.name, chill.searches, chill.judging.metric_label) == (cooling.COOLING, 1, "kwh ↓")
        [against] = list_faceoffs(engine, chill.id)
        assert (against.state, against.done) == ("done", 2)
        assert route.best.score > 0.3, "it learns something in a few epochs"
        assert (sound.name, sound.searches, sound.brief.metric) == (demo.SOUND, 1, "macro F1")
        assert [s.stopping.key for s in list_searches(engine, warm.id)] == ["none", "none", "fold race", "none"]
        assert [s.limits[0].text for s in list_searches(engine, warm.id) if s.limits] == [demo.FAST]
        assert [s.against[0].measure for s in list_searches(engine, warm.id) if s.against] == ["predict ms"]
        assert list_searches(engine, sound.id)[0].stopping.key == "asynchronous halving"
        assert (warm.name, warm.searches, warm.trials) == (demo.WARM, 4, 6)
        assert (warm.brief.task, warm.brief.metric, warm.brief.classes) == ("binary", "average precision", ["no", "yes"])
        assert (energy.name, energy.searches, energy.brief.metric_label) == (demo.ENERGY, 0, "RMSE ↓")
        assert {"unit_id", "departed_on"}.isdisjoint(warm.brief.features)
        parts = split_view(engine.workspace, warm.id).parts
        assert [p.rows for p in parts] == [240] * 5 + [300]
        demo.start_live(engine)
        live = list_searches(engine, warm.id)[0]
        assert (live.number, live.state) == (5, "running")
        demo.start_live(engine)
        assert len(list_searches(engine, warm.id)) == 5, "one live search is enough"
        assert engine.join(live.id, 60)
    finally:
        engine.close()
        engine.workspace.close()


@pytest.mark.slow
def test_the_demo_is_laid_out_in_an_empty_workspace_and_runs_as_one_looks(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(demo, "FIRST_TRIALS", 1)
    monkeypatch.setattr(demo, "SOUND_TRIALS", 1)
    monkeypatch.setattr(demo, "SOUND_SPACE", "batch: 200 .. 256 int\nwidth: 8\nepochs: 9\n")
    monkeypatch.setattr(demo, "QUICK", [])
    engine = Engine(Workspace(tmp_path / "mine"))
    try:
        client, home = create_app(engine).test_client(), {"Host": "127.0.0.1"}
        answer = client.post("/api/v1/workspace/demo", headers=home)
        assert answer.status_code == 200, answer.get_json()
        assert len(answer.get_json()["problems"]) == 3
        searches = [search for p in list_problems(engine.workspace) for search in list_searches(engine, p.id)]
        assert len(searches) == 2
        assert all(engine.join(search.id, 120) for search in searches)
        again = client.post("/api/v1/workspace/demo", headers=home)
        assert (again.status_code, "this one has problems" in again.get_json()["detail"]) == (409, True)
    finally:
        engine.close()
        engine.workspace.close()


def test_the_scenario_has_the_shape_it_promises() -> None:
    warm = warm_arrivals()
    assert len(warm["cargo"]) == 6000
    assert 0.10 < (warm["arrived_warm"] == "yes").mean() < 0.12
    assert 0 < np.isnan(warm["compressor_hours"]).mean() < 0.1
    energy = energy_per_trip()["energy_kwh"]
    assert np.mean(energy) > 1.2 * np.median(energy), "the target is skewed"
    assert (warm_arrivals(seed=1)["ambient_c"] != warm["ambient_c"]).any()
