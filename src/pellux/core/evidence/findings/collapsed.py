"""Good configurations fill a part of a range: the rest costs trials."""

from __future__ import annotations

import math

import numpy as np

from pellux.core.evidence.findings.contract import Array, Change, Finding, Material, without_start
from pellux.core.space import Integer, Parameter, Real

HOLDS = 0.95  # of the good configurations
WIDE = 0.6  # of the range: a part that is wider is not worth the cut
MARGIN = 0.05
TOLD = 0.6


def find(material: Material) -> list[Finding]:
    """What is found of this kind; when it is stands above."""
    reading = material.reading
    if reading is None or reading.explained < TOLD or len(material.scored) < 20:
        return []
    found = []
    for place, parameter in material.numbers():
        if not isinstance(parameter, (Real, Integer)) or parameter.step is not None:
            continue
        here = material.good[:, place]
        here = here[~np.isnan(here)]
        if len(here) < 200:
            continue
        leading = np.array(
            [parameter.encode(t.configuration[parameter.name]) for t in material.active(parameter.name, material.leading(0.1))]
        )
        low, high = _part(here, leading)
        if high - low > WIDE:
            continue
        narrow, ends = _narrowed(parameter, low, high)
        if narrow is None:
            continue
        inside = (here >= low) & (here <= high)
        ids = tuple(t.id for t in material.leading(0.1))
        facts = {"setting": parameter.name, "low": ends[0], "high": ends[1], "holds": float(inside.mean()), "part": high - low}
        found.append(
            Finding("collapsed range", facts, (parameter.name,), ids, 0.4 * (1 - (high - low)), Change(parameters=(narrow,)))
        )
    return found


def _part(here: Array, leading: Array) -> tuple[float, float]:
    """The part that holds the good ones and every leading trial, with room beside it; ends that are nearly reached are kept."""
    low, high = np.quantile(here, [(1 - HOLDS) / 2, (1 + HOLDS) / 2])
    if len(leading):
        low, high = min(low, leading.min()), max(high, leading.max())
    low, high = max(0.0, low - MARGIN), min(1.0, high + MARGIN)
    return (0.0 if low < MARGIN else float(low)), (1.0 if high > 1 - MARGIN else float(high))


def _narrowed(parameter: Real | Integer, low: float, high: float) -> tuple[Parameter | None, tuple[float, float]]:
    ends = list[float]()
    for position, upper in ((low, False), (high, True)):
        value = float(parameter.decode(position))
        if isinstance(parameter, Integer):
            ends.append(int(value))
        elif position in (0.0, 1.0):
            ends.append(parameter.high if upper else parameter.low)
        else:
            ends.append(_outward(value, upper))
    first, last = max(ends[0], parameter.low), min(ends[1], parameter.high)
    if first >= last or (first, last) == (parameter.low, parameter.high):
        return None, (parameter.low, parameter.high)
    return without_start(parameter, low=first, high=last), (first, last)


def _outward(value: float, upper: bool) -> float:
    """Two digits, rounded away from the middle."""
    if value == 0:
        return 0.0
    unit = 10.0 ** (math.floor(math.log10(abs(value))) - 1)
    return float(f"{(math.ceil if upper else math.floor)(value / unit) * unit:.6g}")
