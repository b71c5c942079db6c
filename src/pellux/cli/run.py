"""`pellux run`: run a plan to its end, here or on the server that holds the workspace."""

from __future__ import annotations

import json
import signal
import sys
import threading
import time
from collections.abc import Callable
from contextlib import closing, suppress
from pathlib import Path
from types import FrameType
from typing import Any

import click

from pellux.cli import options
from pellux.cli.progress import Progress
from pellux.cli.remote import Remote
from pellux.service.engine.collecting import collect_seldom
from pellux.service.engine.engine import Engine
from pellux.service.errors import PelluxError
from pellux.service.planning.plan_files import own_folders, own_modules, read_plan
from pellux.service.planning.requests import PlanFile
from pellux.service.searches.plans import begin, import_for
from pellux.service.searches.schemas import SearchView
from pellux.service.searches.searches import search_view, set_state, summary
from pellux.service.workspace import EngineHeld, Workspace

POLL = 0.25
EXIT = {"finished": 0, "failed": 1, "stopped": 130, "paused": 130, "running": 1}


@click.command("run", short_help="Run a plan to its end.")
@click.argument("plan", type=click.Path(path_type=Path))
@options.workspace
@click.option("--set", "overrides", multiple=True, metavar="KEY=VALUE", help="Change a value of the plan: plan.trials=10.")
@options.devices
@options.cluster
@options.as_json
def command(
    plan: Path,
    folder: Path,
    overrides: tuple[str, ...],
    devices: list[str] | None,
    cluster: str,
    door: tuple[str, int] | None,
    as_json: bool,
) -> None:
    """Run PLAN to its end, with progress. Ctrl-C pauses it; the same command goes on with it."""
    interruption = _Interruption()
    wanted = read_plan(plan, (*overrides, *([f"plan.runner.cluster={cluster}"] if cluster else [])))
    workspace = Workspace(folder, allowed=own_folders(plan, wanted), allowed_modules=own_modules(wanted), devices=devices)
    workspace.clusters.door = door
    try:
        workspace.hold_engine()
    except EngineHeld as held:
        outcome = _run_there(Remote(held.holder), wanted, as_json, interruption)
    else:
        outcome = _run_here(workspace, wanted, as_json, interruption)
    finally:
        workspace.close()
    if as_json:
        click.echo(json.dumps(outcome))
    else:
        _tell_front(outcome)
    if interruption.asked.is_set():  # also when the search had come to its end by then
        click.echo("pellux: interrupted; the same command goes on with what is unfinished", err=True)
        sys.exit(130)
    sys.exit(EXIT[outcome["state"]])


def _tell_front(outcome: dict[str, Any]) -> None:
    """Where several metrics decide: who stands on the front, the best score first."""
    for place, one in enumerate(outcome.get("front", ())):
        figures = ", ".join(f"{name} {value:.4g}" for name, value in one.items() if name not in ("trial", "knee"))
        who = f"trial {one['trial']}" if one["trial"] else "the baseline"
        click.echo(f"{'Front' if place == 0 else '':8} {figures}, {who}{', the knee' if one['knee'] else ''}")


class _Interruption:
    """What Ctrl-C and SIGTERM do: before a search has begun they end the command at once; then they are noted, for the search is to
    be paused, and a second one ends it all."""

    def __init__(self) -> None:
        self.asked = threading.Event()
        signal.signal(signal.SIGTERM, signal.getsignal(signal.SIGINT))
        self._before = signal.getsignal(signal.SIGINT)

    def note(self) -> None:
        for number in (signal.SIGINT, signal.SIGTERM):
            signal.signal(number, self._noted)

    def _noted(self, number: int, frame: FrameType | None) -> None:
        for one in (signal.SIGINT, signal.SIGTERM):
            signal.signal(one, self._before)
        self.asked.set()


def _run_here(workspace: Workspace, plan: PlanFile, as_json: bool, interruption: _Interruption) -> dict[str, Any]:
    what = plan.name or "own code" if plan.code else f"{import_for(workspace, plan).name}, {plan.learner}"
    asked = interruption.asked
    collect_seldom()
    with closing(Engine(workspace)) as engine:
        interruption.note()
        search_id = begin(engine, plan)
        with Progress(quiet=as_json, title=what) as progress:
            _follow(lambda: search_view(engine, search_id), progress, asked)
            if asked.is_set() and search_view(engine, search_id).state == "running":
                with suppress(PelluxError):  # it has just ended
                    set_state(engine, search_id, "paused")
                _await_leaving("running", lambda: search_view(engine, search_id))
            progress.show(search_view(engine, search_id))
        return summary(engine, search_id)


def _run_there(remote: Remote, plan: PlanFile, as_json: bool, interruption: _Interruption) -> dict[str, Any]:
    remote.take_data(plan)
    interruption.note()
    asked = interruption.asked
    search_id = remote.send("POST", "/runs", plan.model_dump(by_alias=True))["id"]

    def look() -> SearchView:
        return SearchView.model_validate(remote.get(f"/searches/{search_id}"))

    with Progress(quiet=as_json, title=f"on {remote.url}, {plan.learner or plan.name or 'own code'}") as progress:
        _follow(look, progress, asked)
        if asked.is_set() and look().state == "running":
            with suppress(PelluxError):
                remote.send("PUT", f"/searches/{search_id}/state", {"state": "paused"})
            _await_leaving("running", look)
        progress.show(look())
    found: dict[str, Any] = remote.get(f"/searches/{search_id}/summary")
    return found


def _follow(look: Callable[[], SearchView], progress: Progress, asked: threading.Event) -> None:
    _await_leaving("paused", look)  # a paused search that was just told to go on
    while not asked.is_set():
        view = look()
        progress.show(view)
        if (view.state in EXIT and view.state not in ("running", "paused")) or view.halted is not None or view.state == "paused":
            return
        asked.wait(POLL)


def _await_leaving(state: str, look: Callable[[], SearchView]) -> None:
    until = time.monotonic() + 10
    while look().state == state and time.monotonic() < until:
        time.sleep(0.05)
