"""An option that never wins: whatever goes with it, another does better."""

from __future__ import annotations

import numpy as np

from pellux.core.evidence.findings.contract import Array, Finding, Material, restricted
from pellux.core.space import Choice, Fixed, Parameter, YesNo, word

LEAST = 4  # trials with it
UNLIKELY = 0.03
TOLD = 0.5
TOP = 4  # points of the sample whose mean stands for what can be reached: one alone is mostly luck of the draw


def find(material: Material) -> list[Finding]:
    """What is found of this kind; when it is stands above."""
    reading = material.reading
    if reading is None or reading.explained < TOLD or len(material.scored) < 15:
        return []
    found = []
    for place, choice in material.choices():
        column = reading.points[:, place]
        here = np.where(np.isnan(column), -1, choice.index(np.nan_to_num(column)))
        reached = [_reached(reading.values[here == k]) for k in range(choice.count)]
        losing = []
        for k, option in enumerate(choice.options):
            tried = [t for t in material.active(choice.name) if t.configuration[choice.name] == option]
            others = np.max([reached[j] for j in range(choice.count) if j != k], axis=0)
            gap = others - reached[k]
            chance = float((gap < max(reading.noise, 0.1)).mean())
            near = any(t.configuration.get(choice.name) == option for t in material.leading(0.1, 5))
            if len(tried) >= LEAST and chance <= UNLIKELY and not near:
                losing.append((k, len(tried), chance, reading.unit * float(gap.mean()), tuple(t.id for t in tried)))
        kept = [k for k in range(choice.count) if k not in {k for k, *_ in losing}]
        if not losing or not kept:
            continue
        rest = _without(choice, kept)
        if rest is None:
            continue
        facts = {
            "setting": choice.name, "options": [word(choice.options[k]) for k, *_ in losing], "tried": sum(n for _, n, *_ in losing),
            "gain": min(gap for *_, gap, _ in losing), "sure": 1 - max(chance for _, _, chance, *_ in losing),
        }  # fmt: skip
        ids = tuple(i for *_, some in losing for i in some)
        found.append(Finding("losing option", facts, (choice.name,), ids, 0.5, restricted(material.space, rest)))
    return found


def _reached(values: Array) -> Array:
    """About the most of each function among points; shape (DRAWS,)."""
    if len(values) < TOP:
        return np.full(values.shape[1], np.inf)  # too few to say that it does not win
    found: Array = np.sort(values, axis=0)[-TOP:].mean(0)
    return found


def _without(choice: Choice, kept: list[int]) -> Parameter | None:
    if len(kept) == 1:
        return Fixed(name=choice.name, condition=choice.condition, value=choice.options[kept[0]])
    if isinstance(choice, YesNo):
        return None
    options = tuple(choice.options[k] for k in kept)
    start = choice.start if choice.start in options else None
    weights = tuple(choice.weights[k] for k in kept)
    return Choice(name=choice.name, condition=choice.condition, start=start, options=options, weights=weights)
