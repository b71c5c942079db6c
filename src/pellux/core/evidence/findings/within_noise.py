"""The differences between trials are no more than their folds scatter: more trials of this kind find luck, not settings."""

from __future__ import annotations

from pellux.core.evidence.findings.contract import Finding, Material

BY_CHANCE = 0.1
LEAST = 10


def find(material: Material) -> list[Finding]:
    """What is found of this kind; when it is stands above."""
    noise = material.noise
    if noise is None or noise.trials < LEAST or noise.p_value < BY_CHANCE:
        return []
    if material.reading is not None and material.reading.explained > 0.3:
        return []  # folds say nothing apart, but settings foretell the scores
    facts = {"share": noise.share, "alike": noise.alike, "trials": noise.trials, "folds": noise.folds}
    ids = tuple(t.id for t in material.leading(0.2))
    return [Finding("within noise", facts, (), ids, 0.9)]
