"""Good values crowd at the low end of a wide linear range: on a log scale they would have room."""

from __future__ import annotations

import numpy as np

from pellux.core.evidence.findings.contract import Change, Finding, Material, without_start
from pellux.core.space import Integer, Real

WIDTH = 20.0  # times: narrower ranges gain nothing
LOW_PART, MOST = 0.2, 0.8  # this share of the good ones lies in that part of the range
TOLD = 0.5
MATTERS = 0.05


def find(material: Material) -> list[Finding]:
    """What is found of this kind; when it is stands above."""
    reading = material.reading
    if reading is None or reading.explained < TOLD or len(material.scored) < 15:
        return []
    found = []
    for place, parameter in material.numbers():
        if not isinstance(parameter, (Real, Integer)) or parameter.log or parameter.step is not None or parameter.low <= 0:
            continue
        if parameter.high / parameter.low < WIDTH or material.shares[parameter.name].total.share < MATTERS:
            continue
        here = material.good[:, place]
        here = here[~np.isnan(here)]
        leading = [
            parameter.encode(t.configuration[parameter.name]) for t in material.active(parameter.name, material.leading(0.15))
        ]
        share = float((here <= LOW_PART).mean()) if len(here) else 0.0
        if share < MOST or not leading or np.mean(np.array(leading) <= LOW_PART) < MOST:
            continue
        end = float(parameter.decode(LOW_PART))
        facts = {"setting": parameter.name, "share": share, "end": end, "low": parameter.low, "high": parameter.high}
        ids = tuple(t.id for t in material.leading(0.15))
        found.append(
            Finding("log axis", facts, (parameter.name,), ids, 0.45, Change(parameters=(without_start(parameter, log=True),)))
        )  # fmt: skip
    return found
