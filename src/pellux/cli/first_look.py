"""What `pellux check` and `pellux init` tell of a first look at own code."""

from __future__ import annotations

import json
import sys

import click

from pellux.cli.progress import duration
from pellux.service.problems.schemas import FirstLookView, LookLine
from pellux.service.searches.plans import CheckedCode

SHOWN = 20  # lines of output


def tell_first_look(checked: CheckedCode, *, as_json: bool) -> None:
    """Print it; ends with 2 when the fit gave no score."""
    brief, look, forecast = checked.brief, checked.look, checked.forecast
    if as_json:
        about = {"metric": brief.metric, "folds": brief.folds, **forecast.model_dump()}
        click.echo(json.dumps({**about, "first_look": None if look is None else look.model_dump()}))
    else:
        direction = "larger" if brief.larger_is_better else "smaller"
        click.echo(
            f"{brief.label}, judged by {brief.metric} ({direction} is better) on {brief.folds} fold{'s' if brief.folds > 1 else ''}"
        )
        if brief.folds == 1:
            click.echo("One fold: no standard error, and nothing to race between folds.")
        click.echo(f"{checked.space.dimension} parameters to search. Strategy: {forecast.strategy}. {forecast.reason}")
        click.echo(
            f"{forecast.trials} trials and the baseline × {forecast.folds} folds = {forecast.fits:,} fits on {forecast.workers} workers"
        )
        if look is not None:
            show(look)
    if look is not None and look.problem:
        click.echo(f"pellux: {look.problem}", err=True)
        sys.exit(2)


def show(look: FirstLookView) -> None:
    """The output with the lines marked from which something was read, then what it came to."""
    click.echo(
        f"First look at {', '.join(f'{k} {v}' for k, v in look.configuration.items()) or 'no settings'} (level {look.level}):"
    )
    for line in look.lines[-SHOWN:]:
        click.echo(f"  {_mark(line):>12} │ {line.text[:110]}")
    if look.score is not None:
        click.echo(
            f"Read by {look.how}: {look.score:.6g}, {len(look.curve)} point{'s' if len(look.curve) != 1 else ''}, in {duration(look.seconds)}"
        )
    for file in look.files:
        click.echo(f"  left {file.name} ({file.bytes:,} bytes{', kept' if file.kept else ''})")


def _mark(line: LookLine) -> str:
    return "" if line.read is None or line.read.score is None else f"{line.read.score:.5g}"
