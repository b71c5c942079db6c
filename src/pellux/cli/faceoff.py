"""`pellux faceoff`: ways to search set against each other, here or on the server that holds the workspace."""

from __future__ import annotations

import json
import time
from collections.abc import Callable
from contextlib import closing
from pathlib import Path
from typing import Any

import click

from pellux.cli import options
from pellux.cli.remote import Remote
from pellux.service.engine.engine import Engine
from pellux.service.errors import InvalidPlan, WorkspaceError
from pellux.service.evidence.faceoff_schemas import EntrantsRequest, FaceOffRequest, FaceOffView
from pellux.service.evidence.faceoffs import begin, begin_planned
from pellux.service.evidence.reports import newest_search, problem_of
from pellux.service.evidence.standings import faceoff_view
from pellux.service.planning.plan_files import own_folders, own_modules, read_plan
from pellux.service.planning.requests import PlanFile, checked
from pellux.service.searches.plans import import_for
from pellux.service.workspace import EngineHeld, Workspace

LOOK = 0.3
EXIT = {"done": 0, "failed": 1, "stopped": 130, "paused": 130}


@click.command("faceoff", short_help="Set ways to search against each other.")
@click.argument("subject")
@options.workspace
@click.option("--entrants", required=True, help="Between commas: 'random, gaussian process, random + fold race'.")
@click.option("--repeats", type=int, default=6, show_default=True, help="With other seeds; fewer than six tell nothing from luck.")
@click.option("--trials", type=int, help="The budget of each run in trials; 30 when no other is given.")
@click.option("--fits", type=int, help="The budget in fits.")
@click.option("--seconds", type=int, help="The budget in seconds.")
@click.option("--replayed", is_flag=True, help="On a model of the trials so far: instant, and not measured.")
@click.option("--seed", type=int, default=1, show_default=True)
@options.as_json
def command(
    subject: str, folder: Path, entrants: str, repeats: int, trials: int | None, fits: int | None, seconds: int | None, replayed: bool,
    seed: int, as_json: bool,
) -> None:  # fmt: skip
    """Set ENTRANTS against each other over the space of SUBJECT: a plan file, whose own search need not be run; the id of a search; or
    problem:ID for its newest search."""
    plan = _plan(subject)
    if plan is None and not (folder / "pellux.db").exists():
        raise WorkspaceError(f"{folder} is not a workspace: it has no pellux.db.")
    given = [(name, amount) for name, amount in (("trials", trials), ("fits", fits), ("seconds", seconds)) if amount is not None]
    if len(given) > 1:
        raise InvalidPlan("A face-off has one budget: --trials, --fits or --seconds.", at="budget")
    budget, amount = given[0] if given else ("trials", 30)
    body = {
        "entrants": [_entrant(text) for text in entrants.split(",")], "budget": budget, "amount": amount,
        "repeats": repeats, "seed": seed, "mode": "replayed" if replayed else "fitted",
    }  # fmt: skip
    wanted = checked(EntrantsRequest, body, what="face-off")
    workspace = Workspace(
        folder, allowed=own_folders(Path(subject), plan) if plan else (), allowed_modules=own_modules(plan) if plan else ()
    )
    try:
        found = _run(workspace, subject if plan is None else plan, wanted, as_json)
    finally:
        workspace.close()
    _say(found, as_json)
    raise SystemExit(EXIT.get(found.state, 1))


def _plan(subject: str) -> PlanFile | None:
    """The plan that a file holds; None where the subject is no file's name."""
    number = subject.removeprefix("problem:")
    return None if number.isdecimal() or not (Path(subject).suffix or Path(subject).exists()) else read_plan(Path(subject))


def _run(workspace: Workspace, subject: str | PlanFile, wanted: EntrantsRequest, as_json: bool) -> FaceOffView:
    """To its end, on the server that holds the workspace or else here."""
    try:
        workspace.hold_engine()
    except EngineHeld as held:
        remote = Remote(held.holder)
        made = remote.send("POST", *_told(workspace, remote, subject, wanted))["id"]
        return _follow(lambda: FaceOffView.model_validate(remote.get(f"/face-offs/{made}")), as_json)
    if isinstance(subject, PlanFile) and subject.code is None:
        import_for(workspace, subject)
    with closing(Engine(workspace)) as engine:
        if isinstance(subject, PlanFile):
            made = begin_planned(engine, subject, wanted)
        else:
            search = _search(workspace, subject)
            made = begin(engine, problem_of(workspace, search), FaceOffRequest(search=search, **wanted.fields()))
        return _follow(lambda: faceoff_view(engine, made), as_json)


def _told(workspace: Workspace, remote: Remote, subject: str | PlanFile, wanted: EntrantsRequest) -> tuple[str, dict[str, Any]]:
    """Where the server is asked for it, and how."""
    body = wanted.model_dump(by_alias=True)
    if isinstance(subject, PlanFile):
        remote.take_data(subject)
        return "/face-offs", {**body, "plan": subject.model_dump(by_alias=True)}
    search = _search(workspace, subject)
    return f"/problems/{problem_of(workspace, search)}/face-offs", {**body, "search": search}


def _entrant(text: str) -> dict[str, Any]:
    """'gaussian process + fold race': a strategy, and an early stopping rule if there is one."""
    strategy, _, rule = (part.strip() for part in text.partition("+"))
    return {"strategy": strategy, "early stopping": rule or "none"}


def _search(workspace: Workspace, subject: str) -> int:
    kind, colon, number = subject.rpartition(":")
    if not number.isdecimal() or (colon and kind != "problem"):
        raise InvalidPlan(f"'{subject}' is neither a plan file, nor the id of a search, nor problem:ID.", at="subject")
    return newest_search(workspace, int(number)) if colon else int(number)


def _follow(look: Callable[[], FaceOffView], quiet: bool) -> FaceOffView:
    told = -1
    while (view := look()).state == "running":
        if view.done != told and not quiet:
            told = view.done
            click.echo(f"{view.done} of {view.planned} runs", err=True)
        time.sleep(LOOK)
    return view


def _say(found: FaceOffView, as_json: bool) -> None:
    if as_json:
        click.echo(json.dumps(found.model_dump(mode="json")))
        return
    if found.message:
        click.echo(found.message)
    for one in found.standings:
        rule = "" if one.early_stopping == "none" else f" + {one.early_stopping}"
        mean = "–" if one.mean is None else f"{one.mean:.5g}" + ("" if one.error is None else f" ± {one.error:.2g}")
        level = "never" if one.to_level is None else f"{one.to_level:.1f} s"
        click.echo(f"{one.strategy + rule:36} {mean:22} to the common level {level:10} never left the ground {one.grounded:.0%}")
    click.echo(found.sentence)
