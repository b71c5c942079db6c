"""What a fit of own code that grows leaves of each level: other metrics of all, predictions of the last."""

from __future__ import annotations

import base64
import json

from pellux.core.objective import FitOrder, Kept, Left
from pellux.objectives.code.folders import Mark

NAME = "predictions"


def write_left(kept: Kept, order: FitOrder, mark: Mark, level: int, predictions: bytes | None) -> None:
    """Lay it down for whoever learns which level counts; a full disk costs it, not the fit."""
    held = None if predictions is None else base64.b64encode(predictions).decode()
    found = {"others": {at: dict(scores) for at, scores in mark.others.items()}, "level": level, "predictions": held}
    try:
        kept.put(order.trial, order.fold, NAME, json.dumps(found).encode())
    except OSError:
        return


def read_left(kept: Kept, trial: int, fold: int, level: int) -> Left | None:
    """What was left of a level; None when nothing is there any more."""
    try:
        content = kept.get(trial, fold, NAME)
        found = None if content is None else json.loads(content)
    except (OSError, ValueError):
        return None
    if found is None:
        return None
    held = found["predictions"] if level == found["level"] else None
    return Left(None if held is None else base64.b64decode(held), found["others"].get(str(level), {}))
