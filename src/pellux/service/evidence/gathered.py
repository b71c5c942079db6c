"""All that a process of its own needs to look for evidence."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from pellux.core.evidence.findings import Tried
from pellux.core.space import Configuration

SCORES, GAINS = "scores", "gains in an interval"  # what a trial is weighed by


@dataclass(frozen=True)
class Gathered:
    """All that a process needs to look for evidence; it can be pickled.

    Attributes
    ----------
    weighed : str
        'scores', or 'gains in an interval' where trials go on from each other.
    whole : tuple of fold scores, one a trial
        Of the search's own trials that have them all.
    rungs : tuple of (rung, trials, pairs of a score there and at the highest rung that both have)
    names : mapping of int to str
        How a trial is called in a sentence.
    begin : configuration or None
        Where the way to the best begins: the usual settings.
    measured : mapping of str to (mean, standard error or None, trial id)
        Scores by the identity of a configuration.
    """

    space: str
    sign: int
    seed: int
    weighed: str
    tried: tuple[Tried, ...]
    whole: tuple[tuple[float, ...], ...]
    test_to_train: float
    rungs: tuple[tuple[int, tuple[float, ...], tuple[float, ...]], ...]
    names: Mapping[int, str]
    begin: Configuration | None
    measured: Mapping[str, tuple[float, float | None, int]]
    hard: Mapping[str, tuple[float, float]] = field(default_factory=dict)
    workers: int = 1
    models: bool = False
    stops: bool = False


def facts_of(found: Mapping[str, Any], names: Mapping[int, str]) -> dict[str, Any]:
    """A finding's numbers with trials called by their names."""
    return {**found, "best": names.get(found["best"], "")} if "best" in found else dict(found)
