"""A search on hosts with links and disks of their own, which fail in every way while it runs."""

from __future__ import annotations

import signal
from pathlib import Path
from typing import Any

import pytest

from pellux.service.engine.engine import Engine
from pellux.service.machines.views import clusters_view
from pellux.service.searches import searches
from tests.cluster.hosts import HERE, Host, allowed, hosts
from tests.cluster.standing import Standing
from tests.cluster.test_searches import _usable, machines_of, on, told
from tests.service.test_searches import launch, problem
from tests.waiting import until

pytestmark = pytest.mark.slow


def test_cut_killed_frozen_late_and_slow_hosts_change_no_result(engine: Engine, tmp_path: Path) -> None:
    if not allowed():
        pytest.skip("network namespaces are not allowed here")
    forest: dict[str, Any] = {"key": "forest", "space": "trees: 20 .. 60 int\ndepth: 2 .. 12 int", "seed": 3}
    problem_id = problem(engine, tmp_path)
    alone = launch(engine, problem_id, **forest, trials=12)
    assert engine.join(alone, 200)
    with hosts(4) as (cut, killed, frozen, late):
        late.slow()
        standing = Standing(tmp_path, host=HERE)
        try:
            standing.schedule()
            for name, host in (("cut", cut), ("killed", killed), ("frozen", frozen)):
                _join(standing, name, host, engine)
            until(lambda: _usable(engine, standing) == 3, what="three hosts")
            search = launch(engine, problem_id, **forest, **on(standing, trials=12, workers=6))
            until(lambda: machines_of(engine, search) >= {"cut", "killed", "frozen"}, what="fits on all hosts")
            cut.cut()
            standing.kill("frozen", signal.SIGSTOP)
            standing.kill("killed")
            _join(standing, "late", late, engine)
            until(lambda: "late" in machines_of(engine, search), what="a fit on the host that joined")
            assert searches.search_view(engine, search).state == "running"
            cut.heal()
            standing.kill("frozen", signal.SIGCONT)
            assert engine.join(search, 200)
            known, found = {row[0]: row for row in told(engine, alone)}, told(engine, search)
            assert [row[2] for row in found] == ["scored"] * 12, "each trial was scored, and once"
            assert [row[1:] for row in found] == [known[row[0]][1:] for row in found]
            sizes = sum(file.size for file in engine.runners._on_clusters[search]._listed)
            sent = {machine.label: machine.sent_mb for machine in clusters_view(engine.workspace)[0].machines}
            assert sent["late"] == pytest.approx(sizes / 2**20, abs=0.01), "its data went there, and once"
        finally:
            engine.close()
            standing.close()


def _join(standing: Standing, name: str, host: Host, engine: Engine) -> None:
    """With nothing of the server's disk: what it needs has to be sent."""
    standing.join(name, cores=2, inside=host.inside([engine.workspace.folder]))
