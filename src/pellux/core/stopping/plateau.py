"""Plateau: a curve that has stopped gaining is not trained on; one that never left its start ends the trial.

Patience as in Prechelt (1998, "Early stopping: but when?"), with a least gain, so that noise does not count as progress.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import ClassVar

from pellux.core.reasons import because
from pellux.core.stopping.contract import KEEP, Enough, Prune, TrialContext, Verdict, demand
from pellux.core.stopping.record import Curve, Record


@dataclass(frozen=True)
class PlateauSettings:
    """Settings of the plateau rule."""

    patience: int = 8
    gain: float = 0.0005
    sentences: ClassVar[Mapping[str, str]] = {
        "patience": "Points of a curve without a gain after which it counts as flat.",
        "gain": "The least rise of the score, in its own units, that counts as a gain.",
    }

    def __post_init__(self) -> None:
        demand(self.patience >= 1, f"Patience is 1 or more. Got {self.patience}.", "patience")
        demand(self.gain >= 0, f"The least gain is 0 or more. Got {self.gain}.", "gain")


def verdict(trial: TrialContext, record: Record, settings: PlateauSettings) -> Verdict:
    """What becomes of the trial; the method and its source stand above."""
    if trial.fold < 0:
        return KEEP
    curve = record.curve(trial.number, trial.fold)
    last = last_gain(curve, settings.gain)
    if len(curve.scores) - 1 - last < settings.patience:
        return KEEP
    iteration = curve.iterations[-1]
    if last == 0:
        first = record.sign * curve.scores[0]
        return Prune(because("flat", fold=trial.fold + 1, iteration=iteration, first=first, gain=settings.gain))
    return Enough(because("gains no more", iteration=iteration, since=curve.iterations[last]))


def last_gain(curve: Curve, gain: float) -> int:
    """The place of the last point that was better by `gain` than the best counted before it; 0 when none was."""
    place, held = 0, curve.scores[0]
    for i, score in enumerate(curve.scores):
        if score > held + gain:
            place, held = i, score
    return place
