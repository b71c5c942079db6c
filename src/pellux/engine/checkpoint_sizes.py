"""How much disk the checkpoints of a search take: those of parked trials are given up when it is too much."""

from __future__ import annotations

from collections.abc import Iterable, Mapping


class CheckpointSizes:
    """Bytes by trial and fold."""

    def __init__(self, known: Mapping[int, Mapping[int, int]]) -> None:
        self._held = {trial: dict(by_fold) for trial, by_fold in known.items()}
        self.total = sum(sum(by_fold.values()) for by_fold in self._held.values())

    def __contains__(self, trial: int) -> bool:
        return trial in self._held

    def note(self, trial: int, fold: int, size: int) -> None:
        """A fold's checkpoint takes the place of the one it had before."""
        held = self._held.setdefault(trial, {})
        self.total += size - held.get(fold, 0)
        held[fold] = size

    def drop(self, trial: int) -> bool:
        """Forget a trial's; whether there was anything to forget."""
        freed = sum(self._held.pop(trial, {}).values())
        self.total -= freed
        return freed > 0

    def too_many(self, limit: int, weakest_first: Iterable[int]) -> list[int]:
        """Which trials' to give up, the weakest first, so that the rest keeps within the limit."""
        found: list[int] = []
        left = self.total
        for trial in weakest_first:
            if left <= limit:
                break
            size = sum(self._held.get(trial, {}).values())
            if size:
                found.append(trial)
                left -= size
        return found
