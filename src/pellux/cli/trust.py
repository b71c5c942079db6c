"""`pellux trust`: let the own code of a workspace run that came from elsewhere."""

from __future__ import annotations

from pathlib import Path

import click

from pellux.cli import options
from pellux.service.trust import trust
from pellux.service.workspace import Workspace


@click.command("trust", short_help="Let the own code of a workspace from elsewhere run.")
@options.workspace
def command(folder: Path) -> None:
    """Let own code run that stands in a workspace and was not brought into it by you.

    Look at it first: learners and metrics lie in the workspace's folder own, commands and functions are shown in their briefs.
    """
    if not (folder / "pellux.db").exists():
        raise click.UsageError(f"{folder} is no workspace.")
    workspace = Workspace(folder)
    try:
        allowed = trust(workspace)
    finally:
        workspace.close()
    click.echo("\n".join(f"May run: {name}" for name in allowed) or "There is nothing in it that might not run already.")
