"""Checkpoints: what a growing fit leaves to go on from, and what it predicted at each iteration.

Both are sealed: they are read by running what they say, so only what this user's own processes wrote is read. One that is
damaged, gone or somebody else's means starting anew, not failing.
"""

from __future__ import annotations

import pickle

from pellux.core.objective import Kept, Left
from pellux.objectives.sealed import opened, seal
from pellux.objectives.tabular.growing import Progress

CHECKPOINT, PREDICTIONS = "checkpoint", "predictions"


def write(kept: Kept, trial: int, fold: int, progress: Progress) -> int:
    """Bytes written. OSError when the disk is full; what was there before stays."""
    return kept.put(trial, fold, CHECKPOINT, seal(pickle.dumps(progress, protocol=5), CHECKPOINT))


def read(kept: Kept, trial: int, fold: int) -> tuple[Progress | None, str]:
    """What there is to go on from, and a complaint when it cannot be used."""
    try:
        found = kept.get(trial, fold, CHECKPOINT)
    except OSError as error:
        return None, f"Its checkpoint could not be read ({error.strerror}); it was trained anew."
    if found is None:
        return None, ""
    content = opened(found, CHECKPOINT)
    if content is None:
        return None, "Its checkpoint was damaged or written elsewhere; it was trained anew."
    try:
        progress: Progress = pickle.loads(content)
    except (ImportError, AttributeError, pickle.UnpicklingError):  # of another version of a library
        return None, "Its checkpoint was written by another version; it was trained anew."
    progress.__dict__.setdefault("recorded", {})  # version 0.1 recorded at the last iteration only
    return progress, ""


def write_left(kept: Kept, trial: int, fold: int, progress: Progress) -> None:
    """Lay down what was predicted and recorded at each iteration: which one counts is known once all folds are done."""
    left = {at: (predictions, progress.recorded.get(at, {})) for at, predictions in progress.predictions.items()}
    kept.put(trial, fold, PREDICTIONS, seal(pickle.dumps(left, protocol=5), PREDICTIONS))


def read_left(kept: Kept, trial: int, fold: int, iteration: int) -> Left | None:
    """What was left of an iteration; None when it is not there any more."""
    try:
        kept_then = kept.get(trial, fold, PREDICTIONS)
        content = None if kept_then is None else opened(kept_then, PREDICTIONS)
        found: dict[int, tuple[bytes, dict[str, float]]] = {} if content is None else pickle.loads(content)
    except (OSError, pickle.UnpicklingError, EOFError):
        return None
    if iteration not in found:
        return None
    then = found[iteration]
    return Left(then) if isinstance(then, bytes) else Left(*then)  # version 0.1 laid down predictions alone
