"""What a search asks of machines."""

from __future__ import annotations

from pellux.core.objective import Objective
from pellux.engine.cluster.machines import Demand
from pellux.service.machine import default_workers
from pellux.service.planning.requests import SettingsRequest, kept_settings
from pellux.store.records import Search


def count_of(plan: SettingsRequest) -> int | None:
    """Workers as a number; None where the plan leaves that open."""
    return plan.workers if isinstance(plan.workers, int) else None


def demand_of(objective: Objective, memory_mb: int | None) -> Demand:
    """What one fit holds of a machine."""
    holds = objective.holds
    return Demand(holds.cores, holds.devices, memory_mb or holds.memory_mb or 0)


def workers_here(search: Search) -> int:
    """With how many workers this machine does what follows from a search: as many as it had, but of a cluster's no more than there are
    cores here."""
    return min(search.workers, default_workers()) if kept_settings(search.plan).runner.cluster else search.workers
