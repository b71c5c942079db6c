"""`pellux run`: run a plan to its end, here or on the server that holds the workspace."""

from __future__ import annotations

import json
import signal
import sys
import time
from collections.abc import Callable
from pathlib import Path
from types import FrameType
from typing import Any, NoReturn

import click

from pellux.cli import options
from pellux.cli.progress import Progress
from pellux.cli.remote import Remote
from pellux.service.engine.engine import Engine
from pellux.service.planning.plan_files import read_plan
from pellux.service.planning.requests import PlanFile
from pellux.service.searches.plans import begin, import_for
from pellux.service.searches.schemas import SearchView
from pellux.service.searches.searches import search_view, set_state, summary
from pellux.service.workspace import EngineHeld, Workspace

POLL = 0.25
EXIT = {"finished": 0, "failed": 1, "stopped": 130, "paused": 130, "running": 1}


class Interrupted(Exception):
    """Ctrl-C or SIGTERM."""


@click.command("run", short_help="Run a plan to its end.")
@click.argument("plan", type=click.Path(path_type=Path))
@options.workspace
@click.option("--set", "overrides", multiple=True, metavar="KEY=VALUE", help="Change a value of the plan: plan.trials=10.")
@options.as_json
def command(plan: Path, folder: Path, overrides: tuple[str, ...], as_json: bool) -> None:
    """Run PLAN to its end, with progress. Ctrl-C pauses it; the same command goes on with it."""
    wanted = read_plan(plan, overrides)
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, _interrupt)
    workspace = Workspace(folder, allowed=[plan.parent])
    try:
        workspace.hold_engine()
    except EngineHeld as held:
        outcome = _run_there(Remote(held.holder), wanted, as_json)
    else:
        outcome = _run_here(workspace, wanted, as_json)
    finally:
        workspace.close()
    if as_json:
        click.echo(json.dumps(outcome))
    sys.exit(EXIT[outcome["state"]])


def _interrupt(number: int, frame: FrameType | None) -> NoReturn:
    raise Interrupted


def _run_here(workspace: Workspace, plan: PlanFile, as_json: bool) -> dict[str, Any]:
    engine = Engine(workspace)
    try:
        table = import_for(workspace, plan)
        search_id = begin(engine, plan)
        with Progress(quiet=as_json, title=f"{table.name}, {plan.learner}") as progress:
            try:
                _follow(lambda: search_view(engine, search_id), progress)
            except Interrupted:
                set_state(engine, search_id, "paused")
                _await_leaving("running", lambda: search_view(engine, search_id))
            progress.show(search_view(engine, search_id))
        return summary(engine, search_id)
    finally:
        engine.close()


def _run_there(remote: Remote, plan: PlanFile, as_json: bool) -> dict[str, Any]:
    plan.brief.data = remote.upload(Path(plan.brief.data))["hash"]
    if plan.reading:
        plan.brief.data = remote.send("POST", f"/data/{plan.brief.data}/readings", plan.reading)["hash"]
    search_id = remote.send("POST", "/runs", plan.model_dump(by_alias=True))["id"]

    def look() -> SearchView:
        return SearchView.model_validate(remote.get(f"/searches/{search_id}"))

    with Progress(quiet=as_json, title=f"on {remote.url}, {plan.learner}") as progress:
        try:
            _follow(look, progress)
        except Interrupted:
            remote.send("PUT", f"/searches/{search_id}/state", {"state": "paused"})
            _await_leaving("running", look)
        progress.show(look())
    found: dict[str, Any] = remote.get(f"/searches/{search_id}/summary")
    return found


def _follow(look: Callable[[], SearchView], progress: Progress) -> None:
    _await_leaving("paused", look)  # a paused search that was just told to go on
    while True:
        view = look()
        progress.show(view)
        if (view.state in EXIT and view.state not in ("running", "paused")) or view.halted is not None or view.state == "paused":
            return
        time.sleep(POLL)


def _await_leaving(state: str, look: Callable[[], SearchView]) -> None:
    until = time.monotonic() + 10
    while look().state == state and time.monotonic() < until:
        time.sleep(0.05)
