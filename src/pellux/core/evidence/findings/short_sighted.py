"""Proposals of a strategy that learns were made while much of what it would have learnt from was still under way."""

from __future__ import annotations

import numpy as np

from pellux.core.evidence.findings.contract import Change, Finding, Material

BLIND = 0.25  # of what it could have known, on average
LEAST = 10  # proposals


def find(material: Material) -> list[Finding]:
    """What is found of this kind; when it is stands above."""
    if not material.models or material.workers < 3:
        return []
    own = [t for t in material.tried if t.own and t.seen + t.pending > 0]
    if len(own) < LEAST:
        return []
    blind = np.array([t.pending / (t.seen + t.pending) for t in own])
    share = float(blind.mean())
    if share < BLIND:
        return []
    # With w workers, w - 1 proposals are always under way: over n trials about (w - 1) ln(n) / n of what could be known.
    fewer = max(1, round((material.workers - 1) * BLIND / 2 / share) + 1)
    if fewer >= material.workers:
        return []
    facts = {"share": share, "workers": material.workers, "to": fewer, "proposals": len(own)}
    ids = tuple(t.id for t, b in zip(own, blind, strict=True) if b >= BLIND)
    return [Finding("short sighted", facts, (), ids, 0.25, Change(plan={"workers": fewer}))]
