"""The best lies at an end of a range: beyond it may be better ones."""

from __future__ import annotations

import math

import numpy as np

from pellux.core.evidence.curves import Along
from pellux.core.evidence.findings.contract import Change, Finding, Material, without_start
from pellux.core.space import Integer, Parameter, Real

AT_END = 0.08  # of the range
SURE, SURER = 0.9, 0.98  # with half of the best trials there, and without
RISES = 0.04  # of a standard deviation of the trials, over the last fifth: what is still gained towards the end
WIDE = 20.0  # times
FURTHER = 10.0  # times as far on a log scale, at most; on a linear one half the range


def find(material: Material) -> list[Finding]:
    """What is found of this kind; when it is stands above."""
    found = []
    for place, parameter in material.numbers():
        if not isinstance(parameter, (Real, Integer)) or material.reading is None or len(material.scored) < 15:
            continue
        share = material.shares[parameter.name]
        if max(share.total.share, share.total_among_good.share) < 0.03:
            continue
        for upper in (False, True):
            if not upper and not parameter.log and parameter.low > 0 and parameter.high >= WIDE * parameter.low:
                continue  # small values have no room on a linear scale: see log_axis
            chance = _chance(material.curves[place], upper)
            leading = [t for t in material.leading(0.15, 4) if parameter.name in t.configuration]
            close = [t for t in leading if _close(parameter, t, upper)]
            if chance < SURE or not close or (chance < SURER and 2 * len(close) < len(leading)):
                continue
            widened, beyond = _widened(material, parameter, upper)
            end = parameter.high if upper else parameter.low
            facts = {
                "setting": parameter.name, "end": end, "upper": upper, "to": beyond, "sure": round(chance, 3),
                "at": len(close), "of": len(leading), "costly": parameter.costly and upper,
            }  # fmt: skip
            change = Change() if widened is None else Change(parameters=(widened,))
            ids = tuple(t.id for t in close)
            found.append(Finding("crowded end", facts, (parameter.name,), ids, 0.5 + share.total.share / 2, change))
    return found


def _chance(curve: Along, upper: bool) -> float:
    """Share of the functions whose slice near the best is highest at the end and still rises towards it."""
    drawn = curve.drawn_near if upper else curve.drawn_near[::-1]
    count = len(drawn)
    if count < 3:
        return 0.0
    last = max(1, math.ceil(AT_END * (count - 1)))
    back = max(last + 1, round(0.2 * (count - 1)))
    rising = drawn[-1] - drawn[-1 - back] > RISES
    return float(((drawn.argmax(0) >= count - last) & rising).mean())


def _close(parameter: Parameter, trial: object, upper: bool) -> bool:
    position = float(parameter.encode(trial.configuration[parameter.name]))  # type: ignore[attr-defined]
    return (1 - position if upper else position) <= 0.15


def _widened(material: Material, parameter: Real | Integer, upper: bool) -> tuple[Parameter | None, float | None]:
    """The parameter with its end further out; None where a hard limit leaves no room."""
    low, high = parameter.low, parameter.high
    span = math.log(high / low) if parameter.log else high - low
    step = min(span / 2, math.log(FURTHER)) if parameter.log else span / 2
    end = high if upper else low
    beyond = end * math.exp(step if upper else -step) if parameter.log else end + (step if upper else -step)
    limits = material.hard.get(parameter.name, (-math.inf, math.inf))
    beyond = min(max(beyond, limits[0]), limits[1])
    if not parameter.log and low >= 0 and beyond < 0:
        beyond = 0.0  # what was never negative is not made so
    beyond = float(f"{beyond:.2g}")
    beyond = min(max(beyond, limits[0]), limits[1])
    if isinstance(parameter, Integer):
        beyond = int(math.floor(beyond) if upper else math.ceil(beyond))
        beyond = max(beyond, 1) if parameter.log else beyond
    if parameter.step is not None:
        beyond = end + (1 if upper else -1) * parameter.step * math.floor(abs(beyond - end) / parameter.step + 1e-9)
    moved = beyond > high if upper else beyond < low
    if not moved or not np.isfinite(beyond):
        return None, None
    return without_start(parameter, **({"high": beyond} if upper else {"low": beyond})), beyond
