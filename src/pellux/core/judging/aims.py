"""Several metrics that decide together: none of them alone says which configuration is best, so that a search looks for the front.

The score comes first; what it is weighed *against* are quantities that are measured beside it, as those of limits are.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from pellux.core.errors import InvalidPlan

MOST = 2  # beside the score: of four metrics nearly every configuration is on the front, which then says nothing


@dataclass(frozen=True)
class Aim:
    """A quantity that is to be as good as possible beside the score.

    Attributes
    ----------
    larger : bool
        Whether larger is better.
    """

    measure: str
    larger: bool

    @property
    def sign(self) -> int:
        return 1 if self.larger else -1


def turned(aims: Sequence[Aim], measured: Mapping[str, float]) -> tuple[float, ...]:
    """What was measured of each aim, larger is better; NaN where it was not."""
    return tuple(aim.sign * measured[aim.measure] if aim.measure in measured else math.nan for aim in aims)


def read_aims(names: Collection[str], directions: Mapping[str, bool], deciding: str, *, at: str = "against") -> tuple[Aim, ...]:
    """What the score is weighed against, in the order in which it was written; InvalidPlan where it cannot be meant.

    Parameters
    ----------
    directions : mapping of str to bool
        The quantities that are measured, each with whether larger is better.
    deciding : str
        The metric of the score.
    """
    if len(names) > MOST:
        raise InvalidPlan(
            f"{len(names) + 1} metrics cannot decide together: at most {MOST + 1}, for of more nearly every trial is on the front. "
            "Put limits on the others.",
            at=at,
        )
    found: list[Aim] = []
    for name in names:
        if name == deciding:
            raise InvalidPlan(f"{deciding} decides already; it cannot be weighed against itself.", at=at)
        if name not in directions:
            raise InvalidPlan(
                f"'{name}' is not measured, so nothing can be weighed against it. Measured: {', '.join(directions)}. "
                "Further metrics are measured once the brief records them.",
                at=at,
            )
        if any(aim.measure == name for aim in found):
            raise InvalidPlan(f"{name} is named twice; once is enough.", at=at)
        found.append(Aim(name, directions[name]))
    return tuple(found)
