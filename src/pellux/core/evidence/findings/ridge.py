"""Good values of two parameters move together: one of the two can be held, and the other found along it."""

from __future__ import annotations

import numpy as np
import scipy

from pellux.core.evidence.findings.contract import Change, Finding, Material, tidy
from pellux.core.space import Fixed

LEAST = 12  # trials among the best
STRONG, BY_CHANCE = 0.6, 0.01
SURELY, TOLD_WELL, LIKELY = 0.75, 0.8, 0.05  # where the model is that sure, fewer trials have to say so
TOLD = 0.5
TOGETHER = 0.05  # of the variance that the two make beyond each alone


def find(material: Material) -> list[Finding]:
    """What is found of this kind; when it is stands above."""
    reading, known = material.reading, material.importances
    if reading is None or known is None or reading.explained < TOLD:
        return []
    leading = material.leading(0.15, LEAST)
    pairs = [pair for pair in known.pairs if pair.beyond.share >= TOGETHER]
    found, held = list[Finding](), set[str]()
    for pair in pairs:
        a, b = (material.space.by_name[name] for name in pair.names)
        places = [material.space.place[name] for name in pair.names]
        if any((place, p) not in set(material.numbers()) for place, p in zip(places, (a, b), strict=True)):
            continue
        both = [t for t in leading if a.name in t.configuration and b.name in t.configuration]
        here = material.good[:, places]
        here = here[~np.isnan(here).any(1)]
        if len(both) < LEAST or len(here) < 100 or held & {a.name, b.name}:
            continue
        values = [[p.encode(t.configuration[p.name]) for t in both] for p in (a, b)]
        if min(np.ptp(values[0]), np.ptp(values[1])) < 0.2:
            continue  # they crowd at one point, and not along a line
        measured = scipy.stats.spearmanr(*values)
        modelled = float(scipy.stats.spearmanr(here[:, 0], here[:, 1]).statistic)
        rank = float(measured.statistic)
        surely = abs(modelled) >= SURELY and reading.explained >= TOLD_WELL
        by_chance = LIKELY if surely else BY_CHANCE / max(len(pairs), 1)
        if abs(rank) < STRONG or measured.pvalue > by_chance or modelled * rank <= 0 or abs(modelled) < STRONG / 2:
            continue
        weaker = min(pair.names, key=lambda name: material.shares[name].alone.share)
        other = next(name for name in pair.names if name != weaker)
        value = tidy(material.space.by_name[weaker], material.active(weaker, material.ranked)[0].configuration[weaker])
        facts = {"settings": list(pair.names), "rank": rank, "trials": len(both), "hold": weaker, "other": other, "value": value}
        fixed = Fixed(name=weaker, condition=material.space.by_name[weaker].condition, value=value)
        found.append(Finding("ridge", facts, pair.names, tuple(t.id for t in both), 0.35, Change(parameters=(fixed,))))
        held |= {a.name, b.name}
    return found
