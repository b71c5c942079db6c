"""Fits that somebody else's loop does: nothing of ours runs, so there is nothing to open in a worker."""

from __future__ import annotations

from dataclasses import dataclass

from pellux.core.objective import Evaluator


@dataclass(frozen=True)
class OutsideSource:
    def open(self) -> Evaluator:
        raise NotImplementedError("Fits of an outside loop are handed out as leases, never to a worker.")

    def tidy(self) -> None:
        pass
