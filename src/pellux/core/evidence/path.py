"""From one configuration to a better one, a change at a time: which of the differences make the gain.

Ablation as of Fawcett & Hoos (Journal of Heuristics 22, 2016), with the model's opinion in the place of runs: each step is the change that
gains most. A setting that switches others on or off changes together with those.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from pellux.core.evidence.reading import Reading
from pellux.core.space import Configuration, Space, Value

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Step:
    """A change and what the score is after it.

    Attributes
    ----------
    changed : mapping of str to (value or None, value or None)
        Settings, with what they were and what they are; None where one is inactive.
    configuration : Configuration
        After the change.
    score, gain, error : float
        The model's mean after it, by how much that is more than before, and one standard deviation of the gain.
    """

    changed: Mapping[str, tuple[Value | None, Value | None]]
    configuration: Configuration
    score: float
    gain: float
    error: float


def path(reading: Reading, begin: Configuration, end: Configuration) -> tuple[Step, ...]:
    """Steps from `begin` to `end`, both of the reading's space; empty where they are the same."""
    space = reading.space
    here, target = space.encode(begin), space.encode(end)
    goal = np.where(np.isnan(target), here, target)  # what the end does not have is left as it was until it is switched off
    goal = np.where(np.isnan(goal), 0.5, goal)
    at = np.where(np.isnan(here), goal, here)  # what is switched on later has the end's value at once
    left = [i for i in range(space.dimension) if _apart(here[i], target[i])]
    steps, value = list[Step](), reading.at(at[None])[0]
    while left:
        options = np.tile(at, (len(left), 1))
        options[np.arange(len(left)), left] = goal[left]
        now = _exact(space, at, left, begin, end)
        whole = [_exact(space, row, [j for j in left if j != i], begin, end) for row, i in zip(options, left, strict=True)]
        values = reading.at(options)
        differs = [configuration != now for configuration in whole]
        gains = np.where(differs, values.mean(1), -np.inf)
        if not np.isfinite(gains).any():
            break  # what is left is inactive on both sides
        chosen = int(gains.argmax())
        before, at = now, options[chosen]
        after, gain = whole[chosen], values[chosen] - value
        names = [n for n in space.by_name if before.get(n) != after.get(n)]
        changed = {n: (before.get(n), after.get(n)) for n in names}
        value = values[chosen]
        score = float(reading.in_scores(value.mean()))
        steps.append(Step(changed, after, score, reading.unit * float(gain.mean()), reading.unit * float(gain.std(ddof=1))))
        left.pop(chosen)
    return tuple(steps)


def _exact(space: Space, point: Array, left: list[int], begin: Configuration, end: Configuration) -> dict[str, Value]:
    """The configuration at a point with the very values of its two ends: a step that a trial has been at is to be told as that one."""
    waiting = {space.searched[i].name for i in left}
    sources = {name: (begin, end) if name in waiting else (end, begin) for name in space.by_name}
    return {
        name: next((source[name] for source in sources[name] if name in source), value)
        for name, value in space.decode(point).items()
    }


def _apart(one: float, other: float) -> bool:
    return bool(np.isnan(one) != np.isnan(other) or (not np.isnan(one) and one != other))
