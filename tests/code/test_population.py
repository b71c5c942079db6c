"""Population training of a program: members go on from each other's folders, and every score is what its way comes to."""

from __future__ import annotations

import sys
from contextlib import closing
from itertools import accumulate
from pathlib import Path

import pytest

from pellux.service.engine.engine import Engine
from pellux.service.planning.code_requests import CodeBriefRequest
from pellux.service.planning.launching import launch
from pellux.service.planning.requests import SearchRequest, checked
from pellux.service.problems.code_problems import create_code_problem
from pellux.service.searches.searches import search_view
from pellux.service.workspace import Workspace
from pellux.store.trials import trials_of
from tests.code.test_running import STEPS

pytestmark = pytest.mark.slow
INTERVAL, MOST, MEMBERS = 2, 6, 4


def test_members_go_on_from_each_other_and_score_what_their_way_comes_to(tmp_path: Path) -> None:
    (tmp_path / "train.py").write_text(STEPS)
    brief = {
        "runs": [sys.executable, "train.py", "{folder}", "{from}", "{level}", "{x}", "0"], "folder": str(tmp_path), "folds": 2,
        "judged by": {"score": "score"}, "grows": {"what": "steps", "most": MOST, "goes on": True, "may change": ["x"]},
    }  # fmt: skip
    plan = {
        "strategy": "population training", "strategy settings": {"interval": INTERVAL, "members": MEMBERS}, "workers": 2, "seed": 3,
        "trials": MEMBERS * MOST // INTERVAL,
    }  # fmt: skip
    with closing(Workspace(tmp_path / "w", allowed=[tmp_path])) as workspace, closing(Engine(workspace)) as engine:
        problem = create_code_problem(workspace, checked(CodeBriefRequest, brief))
        search = launch(engine, problem, checked(SearchRequest, {"space": "x: 0 .. 1, start 0.5", "plan": plan}))
        assert engine.join(search, 120)
        view = search_view(engine, search)
        assert view.state == "finished", view.reason
        with workspace.database.read() as session:
            found = {trial.number: trial for trial in trials_of(session, search)}
    members = [trial for trial in found.values() if trial.origin == "proposed"]
    assert {trial.state for trial in found.values()} == {"scored"}
    changed = 0
    for trial in members:
        way = [trial]
        while way[0].parent is not None:
            way.insert(0, found[way[0].parent])
        steps = [float(one.configuration["x"]) for one in way for _ in range(INTERVAL)]
        wanted = list(accumulate(steps))[-1] + len(steps) / 1000
        assert trial.scores == pytest.approx([wanted] * 2), "the schedule of settings that it was trained by"
        changed += len({one.configuration["x"] for one in way}) > 1
    assert changed > 0, "the weak became changed copies of the strong"
    assert view.best is not None
    assert view.best.score > MOST * 0.5
