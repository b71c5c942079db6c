"""Failures crowd in a corner of the space: a requirement keeps trials out of it."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import combinations

import numpy as np
import scipy
from numpy.typing import NDArray

from pellux.core.evidence.findings.contract import Change, Finding, Material, Tried
from pellux.core.space import Parameter, word

LEAST = 4  # failures
INSIDE, CAUGHT = 0.8, 0.75  # this share of what lies in the corner failed; that share of all failures lies in it
BY_CHANCE = 1e-3
Flags = NDArray[np.bool_]


def find(material: Material) -> list[Finding]:
    """What is found of this kind; when it is stands above."""
    told = [t for t in material.tried if t.failed or t.mean is not None]
    failed = np.array([t.failed for t in told], dtype=bool)
    if failed.sum() < LEAST or failed.all():
        return []
    halves = [half for _, p in material.numbers() for half in _halves(p, told, failed)]
    best: tuple[float, float, list[tuple[str, Flags]]] | None = None
    for corner in [*([half] for half in halves), *([a, b] for a, b in combinations(halves, 2) if a[1].any() and b[1].any())]:
        inside = np.logical_and.reduce([flags for _, flags in corner])
        weighed = _weighed(inside, failed)
        if weighed is not None:
            quality = weighed[0] - 0.02 * len(corner)  # a plainer rule is the better one
            if best is None or quality > best[0]:
                best = quality, weighed[1], corner
    if best is None:
        return []
    _, p_value, corner = best
    inside = np.logical_and.reduce([flags for _, flags in corner])
    requirement = " or ".join(text for text, _ in corner)
    facts = {
        "requirement": requirement, "failed": int((inside & failed).sum()), "inside": int(inside.sum()), "of": int(failed.sum()),
        "p_value": p_value,
    }  # fmt: skip
    names = tuple(dict.fromkeys(text.split()[0] for text, _ in corner))
    ids = tuple(t.id for t, bad in zip(told, inside & failed, strict=True) if bad)
    return [Finding("failing corner", facts, names, ids, 0.8, Change(requirements=(requirement,)))]


def _halves(parameter: Parameter, told: Sequence[Tried], failed: Flags) -> list[tuple[str, Flags]]:
    """Ends of a parameter that failures reach into, each with the words that keep out of it."""
    name = parameter.name
    if parameter.condition is not None:
        return []  # a requirement would ask for it where it has no value
    at = np.array([float(parameter.encode(t.configuration[name])) for t in told])
    values = [t.configuration[name] for t in told]
    found: list[tuple[str, Flags]] = []
    for upper in (True, False):
        side = at if upper else -at
        edge = np.sort(side[failed])[int(0.1 * failed.sum())]  # nine failures of ten lie beyond it
        outside = np.flatnonzero(side < edge)
        if len(outside) == 0:
            continue
        nearest = values[int(outside[np.argmax(side[outside])])]
        found.append((f"{name} {'<=' if upper else '>='} {word(nearest)}", side >= edge))
    return found


def _weighed(inside: Flags, failed: Flags) -> tuple[float, float] | None:
    """How well a corner parts failures from the rest, and how likely that is by chance; None where it does not."""
    bad, caught = int((inside & failed).sum()), int(inside.sum())
    if bad < LEAST or bad < INSIDE * caught or bad < CAUGHT * failed.sum():
        return None
    table = [[bad, caught - bad], [int(failed.sum()) - bad, int((~inside & ~failed).sum())]]
    p_value = float(scipy.stats.fisher_exact(table).pvalue)
    return None if p_value > BY_CHANCE else (bad / caught + bad / failed.sum(), p_value)
