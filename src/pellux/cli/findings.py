"""`pellux findings`: what the trials of a search say, and what would follow from it."""

from __future__ import annotations

import json
from pathlib import Path

import click

from pellux.cli import options
from pellux.service.errors import InvalidPlan, WorkspaceError
from pellux.service.evidence.reports import newest_search, told
from pellux.service.evidence.schemas import EvidenceView
from pellux.service.workspace import Workspace


@click.command("findings", short_help="What the trials of a search say.")
@click.argument("subject")
@options.workspace
@click.option("--json", "as_json", is_flag=True, help="One JSON object, as POST /searches/{id}/evidence gives it.")
@click.option("--space", "space_only", is_flag=True, help="Only the space after all changes that the findings propose.")
def command(subject: str, folder: Path, as_json: bool, space_only: bool) -> None:
    """Tell what the trials of SUBJECT say: the id of a search, or problem:ID for its newest search."""
    if not (folder / "pellux.db").exists():
        raise WorkspaceError(f"{folder} is not a workspace: it has no pellux.db.")
    workspace = Workspace(folder)
    try:
        found = told(workspace, _search(workspace, subject))
    finally:
        workspace.close()
    if as_json:
        click.echo(json.dumps(found.model_dump(mode="json"), indent=2))
    elif space_only:
        click.echo(found.after.rstrip("\n"))
    else:
        _say(found)


def _search(workspace: Workspace, subject: str) -> int:
    kind, colon, number = subject.rpartition(":")
    if not number.isdecimal() or (colon and kind != "problem"):
        raise InvalidPlan(f"'{subject}' is neither the id of a search nor problem:ID.", at="subject")
    return newest_search(workspace, int(number)) if colon else int(number)


def _say(found: EvidenceView) -> None:
    if found.trials == 0:
        click.echo("Too few trials are scored, or all scored alike: little can be said of the settings.")
    else:
        click.echo(f"From {found.trials} scored trials; {found.explained:.0%} of their differences can be foretold.")
        for one in found.singles:
            click.echo(
                f"  {one.name:24} {one.total.share:4.0%}  ({one.total.low:.0%} to {one.total.high:.0%})  alone {one.alone.share:.0%}"
            )
    for k, finding in enumerate(found.findings, 1):
        click.echo(f"\n{k}. {finding.sentence}")
        for line in finding.lines:
            click.echo(f"   - {line.before}" + (f"\n   + {line.after}" if line.after else ""))
        for requirement in finding.requirements:
            click.echo(f"   + require {requirement}")
        for key, value in finding.plan.items():
            click.echo(f"   + plan: {key}: {value}")
    if not found.findings:
        click.echo("\nNothing is found that one would act on.")
