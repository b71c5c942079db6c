"""`pellux demo`: serve the demo workspace."""

from __future__ import annotations

from pathlib import Path

import click

from pellux.cli import options
from pellux.cli.serve import open_bench
from pellux.demo.workspace import CODE, furnish, start_live


@click.command("demo", short_help="Serve a demo workspace.")
@click.option("--workspace", "folder", type=click.Path(path_type=Path), default=Path("demo-workspace"), show_default=True)
@options.where
def command(folder: Path, host: str, port: int) -> None:
    """Serve a workspace with made-up problems, one of them a training program: searches that are finished, one running from the start."""
    if furnish(folder, click.echo):
        click.echo("The demo workspace is ready.")
    open_bench(folder, host, port, ready=start_live, allowed=CODE)
