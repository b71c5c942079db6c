"""None: every trial runs in full."""

from __future__ import annotations

from pellux.core.stopping.contract import KEEP, NoSettings, Sight, Verdict
from pellux.core.stopping.record import Record


def verdict(trial: Sight, record: Record, settings: NoSettings) -> Verdict:
    return KEEP
