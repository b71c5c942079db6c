"""What a search asks of machines."""

from __future__ import annotations

from pellux.core.objective import Objective
from pellux.engine.cluster.machines import Demand
from pellux.service.planning.requests import SettingsRequest


def count_of(plan: SettingsRequest) -> int | None:
    """Workers as a number; None where the plan leaves that open."""
    return plan.workers if isinstance(plan.workers, int) else None


def demand_of(objective: Objective, memory_mb: int | None) -> Demand:
    """What one fit holds of a machine."""
    holds = objective.holds
    return Demand(holds.cores, holds.devices, memory_mb or holds.memory_mb or 0)
