"""How much goes to a machine for its first search of some data, and for the next."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any

from tests.cluster.standing import Standing

from benchmarks.scenes import warm_arrivals
from pellux.service.engine.engine import Engine
from pellux.service.machines.views import clusters_view, connect
from pellux.service.planning.launching import launch
from pellux.service.planning.requests import SearchRequest, SettingsRequest
from pellux.service.workspace import Workspace


def run() -> list[str]:
    with tempfile.TemporaryDirectory() as folder:
        standing, workspace = Standing(Path(folder)), Workspace(Path(folder) / "workspace")
        engine = Engine(workspace)
        standing.schedule()
        try:
            for name in ("one", "two"):
                standing.join(name, cores=2)
            standing.connected(2).close()
            connect(workspace, standing.address)
            problem, sent = warm_arrivals(workspace), []
            for seed in (1, 2):
                plan: Any = {"strategy": "random", "trials": 8, "workers": 4, "seed": seed, "runner": {"cluster": standing.address}}
                search = launch(
                    engine, problem, SearchRequest(learner="tree", space=None, plan=SettingsRequest.model_validate(plan))
                )
                files = engine.runners._on_clusters[search]._listed
                engine.join(search)
                sent.append({machine.label: machine.sent_mb for machine in clusters_view(workspace)[0].machines})
            size = sum(file.size for file in files) / 2**20
        finally:
            engine.close()
            workspace.close()
            standing.close()
    return [
        f"Two machines of two seats each: the data of *Warm arrivals* are {size:.2f} MB. After a first search {_said(sent[0])} went out in all, "
        f"after a second one {_said(sent[1])}: once a machine, whatever the number of seats and searches.", "",
    ]  # fmt: skip


def _said(sent: dict[str, float]) -> str:
    return " and ".join(f"{megabytes:.2f} MB to {label}" for label, megabytes in sorted(sent.items()))
