"""Use cases around clusters: name one, look at it, have done with it."""

from __future__ import annotations

import time

from pellux.engine.cluster.connection import Cluster, Unreachable, connected
from pellux.engine.cluster.machines import Machine
from pellux.service.machines.schemas import ClusterView, MachineView
from pellux.service.workspace import Workspace


def clusters_view(workspace: Workspace) -> list[ClusterView]:
    """Every cluster that this user named; none is waited for."""
    return [view_of(workspace, address) for address in workspace.clusters.known()]


def connect(workspace: Workspace, address: str) -> ClusterView:
    """Name a cluster, and look at its machines; Unreachable where it is not there."""
    workspace.clusters.connect(address).looked()
    return view_of(workspace, address)


def look_at(address: str) -> list[MachineView]:
    """The machines of a cluster, without a workspace; Unreachable where it is not there."""
    with connected(address) as cluster:
        cluster.looked()
        return [_machine(machine) for machine in cluster.known()]


def view_of(workspace: Workspace, address: str) -> ClusterView:
    cluster = workspace.clusters.opened(address)
    return ClusterView(
        address=address, preferred=address == workspace.clusters.preferred, trouble=_trouble(cluster),
        door=f"{cluster.door.host}:{cluster.door.port}" if cluster else "",
        cores=sum(machine.threads for machine in cluster.known()) if cluster else 0,
        taken=sum(_taken(machine) for machine in cluster.known()) if cluster else 0,
        machines=[_machine(machine) for machine in cluster.known()] if cluster else [],
    )  # fmt: skip


def _trouble(cluster: Cluster | None) -> str:
    if cluster is None:
        return "It is not connected."
    if cluster.gone:
        return "Its scheduler is gone; it is looked for."
    return "" if cluster.known() else "No machine has joined it."


def _machine(machine: Machine) -> MachineView:
    return MachineView(
        label=machine.label, address=machine.address, cores=machine.threads, memory_mb=machine.memory_mb, devices=list(machine.devices),
        taken=_taken(machine), trouble="" if machine.usable(time.monotonic()) else machine.trouble, versions=dict(machine.versions),
        sent_mb=round(machine.sent_bytes / 2**20, 2),
    )  # fmt: skip


def _taken(machine: Machine) -> int:
    return sum(place.cores for place in machine.taken)


__all__ = ["Unreachable", "clusters_view", "connect", "look_at", "view_of"]
