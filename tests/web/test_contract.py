"""The whole interface under requests made up from its own document, with things that are there."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest
import schemathesis
from benchmarks.soak.contract import fuzz

from pellux.engine.runners import Report
from pellux.service.engine.engine import Engine
from pellux.service.workspace import Workspace
from pellux.web.app import create_app
from tests.service.test_searches import launch, problem


class Idle:
    """A runner of fits that never begin: what is launched by a made-up request costs nothing."""

    def __init__(self, assignment: Any) -> None: ...

    def hire(self, worker: int, lane: int) -> None: ...

    def start(self, fit: Any) -> None: ...

    def cut(self, fit: Any) -> None: ...

    def forget(self, trial: int | None) -> None: ...

    def dismiss(self, worker: int) -> None: ...

    def wake(self) -> None: ...

    def wait(self, seconds: float) -> list[Report]:
        import time

        time.sleep(min(seconds, 0.05))
        return []

    def close(self) -> None: ...


@pytest.mark.slow
def test_no_request_breaks_the_server_or_the_document(tmp_path: Path) -> None:
    workspace = Workspace(tmp_path / "w")
    first = Engine(workspace)
    made = problem(first, tmp_path)
    search = launch(first, made, trials=2)
    assert first.join(search, 60)
    first.close()
    engine = Engine(workspace, make_runner=Idle)
    app = create_app(engine)
    schema = schemathesis.openapi.from_wsgi("/api/v1/openapi.json", app, headers={"Host": "127.0.0.1"})
    data = app.test_client().get("/api/v1/data", headers={"Host": "127.0.0.1"}).get_json()[0]["hash"]
    real = {"problem_id": [made], "search_id": [search], "trial_id": [1, 2, 3], "content_hash": [data], "fold": [0, 1]}
    try:
        told = fuzz(schema, real, examples=6, number=7)
    finally:
        engine.close()
        workspace.close()
    assert told["200"] > 50
    assert told["422"] > 50
    assert not [status for status in told if status.startswith("5")]
