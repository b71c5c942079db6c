"""Fits that somebody else's loop does: nothing of ours runs, so there is nothing to open in a worker."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from pellux.core.objective import Elsewhere, Evaluator


@dataclass(frozen=True)
class OutsideSource:
    def open(self) -> Evaluator:
        raise NotImplementedError("Fits of an outside loop are handed out as leases, never to a worker.")

    def files(self) -> Mapping[str, str]:
        return {}

    def moved(self, place: Elsewhere) -> OutsideSource:
        return self

    def tidy(self) -> None:
        pass
