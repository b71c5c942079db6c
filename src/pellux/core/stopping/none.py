"""None: every trial runs in full."""

from __future__ import annotations

from pellux.core.stopping.contract import KEEP, NoSettings, TrialContext, Verdict
from pellux.core.stopping.record import Record


def verdict(trial: TrialContext, record: Record, settings: NoSettings) -> Verdict:
    """What becomes of the trial; the method and its source stand above."""
    return KEEP
