"""Findings: what the trials of a search say that a person would act on. One file a kind, and their registry.

To add one, write `find` in a file of its own, a line in `KINDS`, its sentence in service/wording.py, and its truth in
benchmarks/evidence/made_up.py, which says how often it is right.
"""

from __future__ import annotations

from pellux.core.evidence.findings import (
    collapsed,
    crowded_end,
    dead,
    failing_corner,
    flat_runs,
    little_tried,
    log_axis,
    losing_option,
    nothing_gained,
    ridge,
    short_sighted,
    within_noise,
)
from pellux.core.evidence.findings.contract import Change, Finding, Kind, Material, Tried, follow

KINDS: tuple[Kind, ...] = (
    failing_corner.find,
    crowded_end.find,
    losing_option.find,
    log_axis.find,
    collapsed.find,
    dead.find,
    ridge.find,
    little_tried.find,
    within_noise.find,
    nothing_gained.find,
    flat_runs.find,
    short_sighted.find,
)


def findings(material: Material) -> list[Finding]:
    """All that is found, the strongest first; of several changes of one parameter only the strongest stays."""
    found = sorted((finding for find in KINDS for finding in find(material)), key=lambda one: -one.weight)
    changed, kept = set[str](), list[Finding]()
    for finding in found:
        own = {p.name for p in finding.change.parameters} | set(finding.change.dropped)
        if own & changed:
            continue
        changed |= own
        kept.append(finding)
    return kept


__all__ = ["KINDS", "Change", "Finding", "Kind", "Material", "Tried", "findings", "follow"]
