"""A search that learns has gained nothing for long, and its model expects no more: the next trials are better spent elsewhere."""

from __future__ import annotations

import numpy as np

from pellux.core.evidence.findings.contract import Finding, Material

LEAST, SHARE = 20, 0.4  # trials since the last gain, and of all
WORTH = 0.1  # of a standard deviation of the trials, and no less than the noise of one: a gain of less is none
CHANCE = 0.2  # that the space holds such a gain above the best


def find(material: Material) -> list[Finding]:
    """What is found of this kind; when it is stands above."""
    reading = material.reading
    if reading is None or not material.models:
        return []
    means = np.array([t.mean for t in material.scored], dtype=float)
    last = int(means.argmax())
    since = len(means) - 1 - last
    if since < max(LEAST, SHARE * len(means)):
        return []
    reached = reading.at(np.nan_to_num(reading.best, nan=0.5)[None])[0]
    above = np.maximum(reading.values.max(0) - reached, 0)
    if (above > max(WORTH, reading.noise)).mean() > CHANCE:
        return []
    best = material.scored[last]
    facts = {"since": since, "trials": len(means), "best": best.id, "gain": reading.unit * float(above.mean())}
    return [Finding("nothing gained", facts, (), (best.id,), 0.6)]
