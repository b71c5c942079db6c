"""A branch that hardly a trial went into, and that may hold a better one than any."""

from __future__ import annotations

import numpy as np

from pellux.core.evidence.findings.contract import Finding, Material, restricted
from pellux.core.space import Fixed, word

FEW, SHARE = 4, 0.05  # trials, and of all
MAY = 0.1  # of the functions hold its best above the best elsewhere


def find(material: Material) -> list[Finding]:
    """What is found of this kind; when it is stands above."""
    reading = material.reading
    if reading is None or len(material.scored) < 20:
        return []
    found = []
    for place, choice in material.choices():
        column = reading.points[:, place]
        here = np.where(np.isnan(column), -1, choice.index(np.nan_to_num(column)))
        active = material.active(choice.name)
        for k, option in enumerate(choice.options):
            tried = [t for t in active if t.configuration[choice.name] == option]
            if len(tried) > max(FEW, SHARE * len(active)) or len(active) < 20 or not (here == k).any() or (here == k).all():
                continue
            if tried and max(t.mean or -np.inf for t in tried) < float(np.median([t.mean for t in active])) and len(tried) >= FEW:
                continue
            inside, outside = reading.values[here == k].max(0), reading.values[here != k].max(0)
            chance = float((inside > outside).mean())
            if chance < MAY:
                continue
            facts = {"setting": choice.name, "option": word(option), "tried": len(tried), "of": len(active), "chance": chance}
            only = Fixed(name=choice.name, condition=choice.condition, value=option)
            found.append(
                Finding("little tried", facts, (choice.name,), tuple(t.id for t in tried), 0.4, restricted(material.space, only))
            )  # fmt: skip
    return found
