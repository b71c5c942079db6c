"""`pellux trials`: write every trial of a search."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from pellux.cli import options
from pellux.service.errors import WorkspaceError
from pellux.service.searches.trials import EXPORTS, export
from pellux.service.workspace import Workspace


@click.command("trials", short_help="Write every trial of a search.")
@click.argument("search", type=int)
@options.workspace
@click.option("--format", "kind", type=click.Choice(list(EXPORTS)), default="csv", show_default=True)
@click.option("-o", "--output", type=click.Path(path_type=Path, dir_okay=False), help="A file instead of the terminal.")
def command(search: int, folder: Path, kind: str, output: Path | None) -> None:
    """Write every trial of SEARCH with its configuration and fold scores."""
    if not (folder / "pellux.db").exists():
        raise WorkspaceError(f"{folder} is not a workspace: it has no pellux.db.")
    workspace = Workspace(folder)
    chunks = export(workspace, search, kind)
    if output is None:
        for chunk in chunks:
            sys.stdout.buffer.write(chunk)
    else:
        try:
            with output.open("wb") as file:
                file.writelines(chunks)
        except OSError as error:
            raise WorkspaceError(f"{output} cannot be written: {error.strerror}.") from None
    workspace.close()
