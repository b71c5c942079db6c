"""How often Python looks for garbage in circles.

A search keeps tens of thousands of small objects until it ends, and every one of its events makes some more. By the usual thresholds the
collector goes through them so often that a tenth of the coordinator's time is its (`benchmarks/crowds.py`).
"""

from __future__ import annotations

import gc

YOUNG = 20_000  # objects more than there were, after which the youngest are looked through; 700 is usual
FACTORS = (10, 10)  # as is usual: how many of these rounds until older ones are, too


def collect_seldom() -> None:
    """For a process of our own that runs searches: what was loaded until now is left out for good."""
    gc.collect()
    gc.freeze()
    gc.set_threshold(YOUNG, *FACTORS)
