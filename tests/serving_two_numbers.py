"""`python -m tests.serving_two_numbers serve …`: the server of a workspace that knows the tiny objective, with one problem of it."""

from __future__ import annotations

import sys
import time
from pathlib import Path

from pellux.service.engine.engine import Engine, prepare
from pellux.service.workspace import Workspace
from pellux.store.problems import add_problem, every_problem
from pellux.web.app import create_app
from pellux.web.server import address, bind, serve
from tests.two_numbers import KIND, TwoNumbers


def main() -> None:
    workspace = Workspace(Path(sys.argv[sys.argv.index("--workspace") + 1]), kinds=[TwoNumbers()])
    workspace.hold_engine()
    with workspace.database.write() as session:
        if not every_problem(session):
            add_problem(session, name="Two numbers", created_at=time.time(), brief={}, brief_hash=KIND, objective=KIND)
    engine = Engine(workspace)
    prepare()
    engine.take_up()
    listening = bind("127.0.0.1", 0)
    serve(create_app(engine), listening, workspace, lambda: print(f"Pellux serves it at {address(listening)}", flush=True))
    workspace.close()


if __name__ == "__main__":
    main()
