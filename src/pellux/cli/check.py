"""`pellux check`: validate a plan and count what it would do."""

from __future__ import annotations

import json
import tempfile
from pathlib import Path

import click

from pellux.cli import options
from pellux.service.plan_files import read_plan
from pellux.service.runs import check
from pellux.service.workspace import Workspace


@click.command("check", short_help="Validate a plan and count what it would do.")
@click.argument("plan", type=click.Path(path_type=Path))
@click.option("--set", "overrides", multiple=True, metavar="KEY=VALUE", help="Change a value of the plan: plan.trials=10.")
@options.as_json
def command(plan: Path, overrides: tuple[str, ...], as_json: bool) -> None:
    """Validate PLAN against its data; count configurations and fits. Nothing is kept."""
    with tempfile.TemporaryDirectory(prefix="pellux-check-") as scratch:
        workspace = Workspace(Path(scratch))
        brief, checked = check(workspace, read_plan(plan, overrides))
        workspace.close()
    forecast = checked.forecast
    if as_json:
        found = {"metric": brief.metric, "task": brief.task, "split": brief.split.label, **forecast.model_dump()}
        click.echo(json.dumps(found))
        return
    size = "infinitely many" if forecast.configurations is None else f"{forecast.configurations:,}"
    click.echo(f"{brief.target} ({brief.task}) judged by {brief.judged_by.label} on {brief.split.label}")
    click.echo(f"{checked.space.dimension} parameters to search, {size} configurations")
    click.echo(
        f"{forecast.trials} trials and the baseline × {forecast.folds} folds = {forecast.fits:,} fits on {forecast.workers} workers"
    )
