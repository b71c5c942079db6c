"""Nothing is trained twice: epochs that a program ran under halving, beside what the rungs add up to."""

from __future__ import annotations

import tempfile
from collections import Counter
from contextlib import closing
from pathlib import Path

from benchmarks.own.programs import EPOCHS, written
from pellux.service.engine.engine import Engine
from pellux.service.planning.code_requests import CodeBriefRequest
from pellux.service.planning.launching import launch
from pellux.service.planning.requests import SearchRequest, checked
from pellux.service.problems.code_problems import create_code_problem
from pellux.service.searches.searches import search_view
from pellux.service.workspace import Workspace
from pellux.store.trials import trials_of


def run() -> list[str]:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        brief = {
            "runs": [*written(folder, "epochs.py", EPOCHS), "{folder}", "{from}", "{level}", "{x}"], "judged by": {"score": "score"},
            "folds": 3, "grows": {"what": "epochs", "most": 27, "goes on": True},
        }  # fmt: skip
        workspace = Workspace(folder / "w", allowed=[folder])
        with closing(workspace), closing(Engine(workspace)) as engine:
            problem = create_code_problem(workspace, checked(CodeBriefRequest, brief))
            plan = {"trials": 40, "workers": 2, "early stopping": "asynchronous halving", "stopping": {"least": 1}, "seed": 3}
            search = launch(engine, problem, checked(SearchRequest, {"space": "x: 0 .. 1", "plan": plan}))
            engine.join(search)
            levels = search_view(engine, search).stopping.levels
            with workspace.database.read() as session:
                trials = trials_of(session, search)
        ran = Counter((folder / "done.txt").read_text().splitlines())
        wanted = sum(3 * levels[max(map(int, t.results))] if t.results else 0 for t in trials)
    twice = sum(count - 1 for count in ran.values())
    total = sum(ran.values())
    return [
        f"41 trials × 3 folds, asynchronous halving at {', '.join(map(str, levels))} epochs: **{total:,} epochs were run** where the rungs that were "
        f"completed add up to {wanted:,}: {total / wanted:.3f}× (wanted: ≤ 1.02). {twice} were run twice."
    ]
