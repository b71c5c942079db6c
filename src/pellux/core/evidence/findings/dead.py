"""A parameter that the score does not depend on: held at one value, it costs no trials any more."""

from __future__ import annotations

import numpy as np

from pellux.core.evidence.findings.contract import Change, Finding, Material, tidy
from pellux.core.space import Fixed, Value
from pellux.core.space.expressions import names

LITTLE, AT_MOST = 0.01, 0.05  # of the variance: what is expected, and what it may be nine times out of ten
AMONG_GOOD = 0.15
NEARBY = 0.06  # of a standard deviation of the trials: what it may change near the best
TOLD = 0.5  # of the differences have to be foretold, else everything looks dead


def find(material: Material) -> list[Finding]:
    """What is found of this kind; when it is stands above."""
    if material.importances is None or material.importances.explained < TOLD or len(material.scored) < 20:
        return []
    asked = {n for p in material.space.parameters if p.condition is not None for n in names(p.condition)}
    found = []
    for place, parameter in enumerate(material.space.searched):
        one = material.shares[parameter.name]
        if parameter.name in asked or parameter.condition is not None:
            continue  # it switches others on and off, or says little of where it is off
        if one.total.share > LITTLE or one.total.high > AT_MOST or one.total_among_good.high > AMONG_GOOD:
            continue
        if float(np.ptp(material.curves[place].drawn_near.mean(1))) > NEARBY:
            continue
        value = tidy(parameter, _held(material, parameter.name))
        facts = {"setting": parameter.name, "share": one.total.share, "high": one.total.high, "value": value}
        held = Fixed(name=parameter.name, condition=parameter.condition, value=value)
        ids = tuple(t.id for t in material.leading(0.1))
        found.append(Finding("dead setting", facts, (parameter.name,), ids, 0.3, Change(parameters=(held,))))
    return found if len(found) < len(material.space.searched) else []


def _held(material: Material, name: str) -> Value:
    """What the best trial has."""
    return material.active(name, material.ranked)[0].configuration[name]
