"""`pellux serve`: serve a workspace."""

from __future__ import annotations

import secrets
from collections.abc import Callable, Sequence
from pathlib import Path

import click

from pellux.cli import options
from pellux.service.engine.engine import Engine, prepare
from pellux.service.evidence import faceoffs
from pellux.service.machines.views import connect
from pellux.service.workspace import Workspace
from pellux.web.app import create_app
from pellux.web.security import is_loopback
from pellux.web.server import address, bind, serve


@click.command("serve", short_help="Serve a workspace.")
@options.workspace
@options.where
@options.allow
@options.devices
@options.cluster
def command(
    folder: Path, host: str, port: int, allowed: tuple[Path | str, ...], devices: list[str] | None, cluster: str,
    door: tuple[str, int] | None,
) -> None:  # fmt: skip
    """Serve a workspace (made if missing) in the browser."""
    open_bench(folder, host, port, allowed=allowed, devices=devices, cluster=cluster, door=door)


def open_bench(
    folder: Path, host: str, port: int, ready: Callable[[Engine], None] | None = None, allowed: Sequence[Path | str] = (),
    devices: Sequence[str] | None = None, cluster: str = "", door: tuple[str, int] | None = None,
) -> None:  # fmt: skip
    """Serve until a signal; searches that were running go on. `ready` is called before the address is printed."""
    folders, modules = options.folders_and_modules(allowed)
    workspace = Workspace(folder, allowed=folders, allowed_modules=modules, devices=devices)
    workspace.hold_engine()
    workspace.clusters.door = door
    if cluster:
        connect(workspace, cluster)
        workspace.clusters.preferred = cluster
    listening = bind(host, port)
    token = None if is_loopback(host) else secrets.token_urlsafe(24)
    workspace.tell_about_engine(url=address(listening), token=token)
    engine = Engine(workspace)
    prepare()
    taken_up = engine.take_up()
    faceoffs.take_up(engine)
    if ready is not None:
        ready(engine)

    def announce() -> None:
        click.echo(f"Pellux serves {workspace.folder} at {address(listening)}")
        if taken_up:
            click.echo(f"Going on with {len(taken_up)} unfinished search{'es' if len(taken_up) > 1 else ''}.")
        if token:
            click.echo(f"Token: {token}")

    serve(create_app(engine, host=host, token=token), listening, workspace, announce)
    workspace.close()
