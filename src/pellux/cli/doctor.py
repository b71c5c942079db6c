"""`pellux doctor`: what is here."""

from __future__ import annotations

import importlib.util
import json
from pathlib import Path

import click
import psutil

from pellux.cli import options
from pellux.service.machine import default_workers, versions
from pellux.service.machines.views import look_at
from pellux.service.workspace import EngineHeld, Workspace

OPTIONAL = {"lightgbm": "LightGBM", "xgboost": "XGBoost", "distributed": "cluster runner", "skl2onnx": "ONNX export"}


@click.command("doctor", short_help="Show versions, cores, workspace and optional parts.")
@options.workspace
@click.option("--cluster", metavar="ADDRESS", default="", help="Look at the cluster of this scheduler too.")
@options.as_json
def command(folder: Path, cluster: str, as_json: bool) -> None:
    """Show versions, cores, the workspace and which optional parts are installed; with --cluster its machines too."""
    found = {
        "versions": versions(),
        "cores": default_workers(),
        "memory_gb": round(psutil.virtual_memory().total / 2**30, 1),
        "workspace": str(folder.resolve()),
        "workspace_state": _workspace_state(folder),
        "optional": {label: importlib.util.find_spec(name) is not None for name, label in OPTIONAL.items()},
    }
    machines = look_at(cluster) if cluster else []
    if cluster:
        found["cluster"] = {"address": cluster, "machines": [machine.model_dump() for machine in machines]}
    if as_json:
        click.echo(json.dumps(found))
        return
    click.echo("  ".join(f"{name} {number}" for name, number in versions().items()))
    click.echo(f"{found['cores']} cores, {found['memory_gb']} GiB of memory")
    click.echo(f"Workspace {found['workspace']}: {found['workspace_state']}")
    for label, there in found["optional"].items():  # type: ignore[attr-defined]
        click.echo(f"{label}: {'installed' if there else 'not installed'}")
    if cluster:
        click.echo(f"Cluster {cluster}: {len(machines)} machine{'s' if len(machines) != 1 else ''}")
    for machine in machines:
        devices = f", {len(machine.devices)} devices" if machine.devices else ""
        state = machine.trouble or "may be used"
        click.echo(
            f"  {machine.label}: {machine.cores} core{'s' if machine.cores > 1 else ''}, {machine.memory_mb / 1024:.1f} GiB{devices}: {state}"
        )


def _workspace_state(folder: Path) -> str:
    if not (folder / "pellux.db").exists():
        return "not made yet"
    workspace = Workspace(folder)
    try:
        workspace.hold_engine()
    except EngineHeld as held:
        return f"served by process {held.holder.get('pid')} at {held.holder.get('url')}"
    finally:
        workspace.close()
    return "free"
