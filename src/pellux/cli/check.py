"""`pellux check`: validate a plan, rehearse it with a few real fits, forecast what it would take."""

from __future__ import annotations

import json
import tempfile
from contextlib import closing
from pathlib import Path

import click

from pellux.cli import options
from pellux.cli.first_look import tell_first_look
from pellux.cli.progress import duration
from pellux.service.planning.plan_files import own_folders, own_modules, read_plan
from pellux.service.planning.schemas import ForecastView, RehearsalFitView
from pellux.service.searches.plans import check, check_code
from pellux.service.workspace import Workspace


@click.command("check", short_help="Validate a plan, rehearse it, forecast it.")
@click.argument("plan", type=click.Path(path_type=Path))
@click.option("--set", "overrides", multiple=True, metavar="KEY=VALUE", help="Change a value of the plan: plan.trials=10.")
@click.option("--quick", is_flag=True, help="No rehearsal: nothing is fitted, and no time is forecast.")
@options.devices
@options.as_json
def command(plan: Path, overrides: tuple[str, ...], quick: bool, devices: list[str] | None, as_json: bool) -> None:
    """Validate PLAN against its data, try a few fits, and forecast fits and minutes. Of own code one real fit is run, and what was
    read from its output is marked. Nothing is kept."""
    wanted = read_plan(plan, overrides)
    with (
        tempfile.TemporaryDirectory(prefix="pellux-check-") as scratch,
        closing(
            Workspace(Path(scratch), allowed=own_folders(plan, wanted), allowed_modules=own_modules(wanted), devices=devices)
        ) as workspace,
    ):
        if wanted.code is not None:
            tell_first_look(check_code(workspace, wanted, looked=not quick), as_json=as_json)
            return
        checked = check(workspace, wanted, rehearsed=not quick)
    brief, space, found, forecast = checked.brief, checked.space, checked.found, checked.found.forecast
    if checked.warning:
        click.echo(f"Warning: {checked.warning}", err=True)
    if as_json:
        about = {"metric": brief.metric, "task": brief.task, "split": brief.split.label, **forecast.model_dump()}
        click.echo(json.dumps({**about, "rehearsal": [fit.model_dump() for fit in found.fits]}))
        return
    size = "infinitely many" if forecast.configurations is None else f"{forecast.configurations:,}"
    click.echo(f"{brief.target} ({brief.task}) judged by {brief.judged_by.label} on {brief.split.label}")
    click.echo(f"{space.dimension} parameters to search, {size} configurations")
    click.echo(f"Strategy: {forecast.strategy}. {forecast.reason}")
    click.echo(
        f"{forecast.trials} trials and the baseline × {forecast.folds} folds = {forecast.fits:,} fits on {forecast.workers} workers"
    )
    if forecast.stopping.key != "none":
        click.echo(_stopping_line(forecast))
    for fit in found.fits:
        click.echo(_fit_line(fit))
    click.echo(_time_line(forecast))
    click.echo(f"{forecast.short_sighted:.0%} of the proposals will be made with two or more other trials under way")


def _stopping_line(forecast: ForecastView) -> str:
    found, unit = forecast.stopping, {"rows": "% of the rows"}.get(forecast.stopping.resource, forecast.stopping.resource)
    brackets = dict.fromkeys(rung.bracket for rung in forecast.rungs)
    steps = "; ".join(" → ".join(f"{r.trials:,} to {r.level}" for r in forecast.rungs if r.bracket == b) for b in brackets)
    rungs = f" Trials: {steps} {unit}." if steps else ""
    return f"Early stopping: {found.label.lower()}. {found.reason}{rungs} About {forecast.work:.0%} of the work."


def _fit_line(fit: RehearsalFitView) -> str:
    result = f"score {fit.score:.4g}" if fit.score is not None else f"{fit.state}: {fit.message}"
    return f"Rehearsal, {fit.what}: {duration(fit.seconds)}, {result}"


def _time_line(forecast: ForecastView) -> str:
    if forecast.seconds is None or forecast.seconds_low is None or forecast.seconds_high is None:
        return "Time: unknown until a fit has been done"
    likely = f"{duration(forecast.seconds_low)} to {duration(forecast.seconds_high)}"
    return f"Time: about {duration(forecast.seconds)}, likely {likely}"
