"""What mattered in a search: asked for, computed in its own process, known the next time."""

from __future__ import annotations

from pathlib import Path

import pytest

from pellux.core.errors import Conflict
from pellux.service.engine.engine import Engine
from pellux.service.evidence.importances import ask_importances
from pellux.service.searches.baselines import BaselinesRequest, score_baselines
from pellux.store import runs
from tests.service.test_searches import launch, problem, until

pytestmark = pytest.mark.slow


def test_settings_are_weighed_once_for_as_many_trials(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path)
    search = launch(engine, problem_id, space="depth: 1 .. 8 int\nbalance: yes | no", trials=14, strategy="even spread")
    assert engine.join(search, 90)
    found = until(lambda: (view := ask_importances(engine, search)).state != "running" and view)
    assert (found.state, found.message) == ("done", "")
    assert found.trials >= 12
    assert {one.name for one in found.singles} == {"depth", "balance"}
    assert all(0 <= s.low <= s.share <= s.high <= 1 for one in found.singles for s in (one.alone, one.total, one.among_good))
    assert ask_importances(engine, search) == found, "it is known now"
    # A later search's trials that lie in this space count here, too.
    more = launch(engine, problem_id, space="depth: 2 .. 6 int", trials=5, seed=5)
    assert engine.join(more, 60)
    again = until(lambda: (view := ask_importances(engine, search)).state != "running" and view)
    assert again.trials > found.trials


def test_a_run_without_a_space_is_refused_in_a_sentence(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path)
    score_baselines(engine, problem_id, BaselinesRequest(learners=["tree"]))
    with engine.workspace.database.read() as session:
        [run] = runs.searches_of(session, problem_id, kinds=[runs.BASELINES])
    with pytest.raises(Conflict, match="has no space of its own"):
        ask_importances(engine, run.id)
    assert engine.join(run.id, 60)
