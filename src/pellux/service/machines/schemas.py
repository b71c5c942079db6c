"""Clusters and their machines, as they are shown."""

from __future__ import annotations

from pydantic import Field

from pellux.service.planning.request import Request
from pellux.service.schemas import View


class ClusterRequest(Request):
    address: str = Field(max_length=300, description="Of its scheduler: 'tcp://head:8786', or 'tls://head:8786'.")


class MachineView(View):
    """`trouble` says why it gets no fits now; empty where it may."""

    label: str
    address: str
    cores: int
    memory_mb: int
    devices: list[str]
    taken: int = Field(description="Cores that fits of this server hold.")
    trouble: str
    versions: dict[str, str]
    sent_mb: float = Field(description="Data and code that went to it from this server, once for all its searches.")


class ClusterView(View):
    """`trouble` says why it cannot be used now; empty where it can."""

    address: str
    preferred: bool = Field(description="Whether plans are offered it first.")
    trouble: str
    door: str = Field(description="Where its machines reach this server.")
    cores: int
    taken: int
    machines: list[MachineView]
