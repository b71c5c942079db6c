"""Random: independent draws from the prior of each parameter (Bergstra & Bengio, JMLR 2012).

Never the same configuration twice: a finite space is drawn without replacement until nothing is left.
"""

from __future__ import annotations

from collections.abc import Sequence

from pellux.core.space import Configuration, Space
from pellux.core.strategies.contract import Answer, History, SeedStream
from pellux.core.strategies.fresh import one_by_one


def propose(space: Space, history: History, pending: Sequence[Configuration], count: int, seeds: SeedStream) -> Answer:
    """The next proposals; see `contract.Strategy`, and above for the method and its source."""
    return one_by_one(space, history, pending, count, seeds, lambda waiting, now: None)
