"""Branches of a conditional space, and which of them gets the next trial."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from pellux.core.space import Choice, Configuration, Counting, Fixed, Parameter, Space, Value, draw
from pellux.core.space.expressions import names

Array = NDArray[np.float64]
MOST_BRANCHES = 12  # past it not every branch is tried
LEAST_TRIES = 5  # of a branch, before its density means anything,
TRIES_EACH = 4  # and so many for each of its parameters, beside two,
MOST_BEGINNING = 42  # up to an even share of so many
OTHERS_EVERY = 3  # which proposals go to another branch than the best one's; all but those once that one stands still
PATIENCE = 4  # trials of a branch without a gain after which it stands still
GAIN = 0.03  # of the distance from the median to the best: less is none
DRAWS = 300  # that look for a branch
MOST_COUNTED = 5_000  # combinations of a branch that are walked: each of twelve takes some 30 ms


@dataclass(frozen=True)
class Branch:
    """What is known of a branch before any trial.

    Attributes
    ----------
    begins : int
        Trials before it is judged by what they brought.
    holds : float
        Configurations; without regard to requirements where they would be too many to count. Infinite where they cannot run out.
    """

    begins: int = 0
    holds: float = math.inf


def branch_of(space: Space, configuration: Configuration) -> str:
    """What tells a configuration's branch: which parameters are active, and the choices that switch them."""
    if not space.conditional:
        return ""
    options = [
        f"{n}={configuration[n]}" for n in sorted(_switches(space)) if isinstance(space.by_name[n], Choice) and n in configuration
    ]
    return ";".join([*options, *configuration])


def _switches(space: Space) -> set[str]:
    return {n for p in space.parameters if p.condition is not None for n in names(p.condition)}


def _fair(space: Space) -> Space:
    """The space with even weights, so that an unlikely option hides no branch."""
    even = [replace(p, weights=(1.0,) * len(p.weights)) if isinstance(p, Choice) else p for p in space.parameters]
    return Space(tuple(even), space.requirements)


@lru_cache(maxsize=32)
def known_branches(space: Space) -> Mapping[str, Branch]:
    """The branches of a space; none where they are too many to try each."""
    if not space.conditional:
        return {"": Branch()}
    fair, rng = _fair(space), np.random.default_rng(0)
    found = {branch_of(space, c): c for c in (draw(fair, rng) for _ in range(DRAWS))}
    if len(found) > MOST_BRANCHES:
        return {}
    return {branch: _sized(space, c, max(LEAST_TRIES, MOST_BEGINNING // len(found))) for branch, c in found.items()}


def _sized(space: Space, configuration: Configuration, most: int) -> Branch:
    """The branch of a configuration: choices that switch are settled in it, all else varies."""
    settled = {n for n in _switches(space) if isinstance(space.by_name[n], Choice)}
    inside = [p for p in space.searched if p.name in configuration and p.name not in settled]
    begins = int(np.clip(2 + TRIES_EACH * len(inside), LEAST_TRIES, most))
    holds = math.prod(math.inf if p.count is None else p.count for p in inside)
    counted = Counting.of(_inside(space, configuration, settled)).total if holds <= MOST_COUNTED else None
    return Branch(begins, holds if counted is None else counted)


def _inside(space: Space, configuration: Configuration, settled: set[str]) -> Space:
    """A branch as a space of its own: what activates its parameters is required there."""
    active = [space.by_name[name] for name in configuration]
    kept: tuple[Parameter, ...] = tuple(
        Fixed(name=p.name, value=configuration[p.name]) if p.name in settled else replace(p, condition=None) for p in active
    )
    asked = [*(p.condition for p in active if p.condition is not None), *space.requirements]
    return Space(kept, tuple(e for e in asked if set(names(e)) <= set(configuration)))


def chosen(known: Mapping[str, Branch], branches: list[str], means: Array, pending: list[str], number: int) -> str:
    """A branch that has not begun with as many trials as it needs; else the best trial's, and every third time another one.

    A branch with many parameters needs many trials to show its worth: by results alone it would never get them. Once the
    leading branch stands still, two of three proposals go to the others, to those first that still gain. One that is
    tried out gets none.

    Parameters
    ----------
    known : mapping
        The branches of the space, as far as they are known.
    branches, means : list and array, shape (n,)
        Branch and mean score of each trial; minus infinity where it failed.
    pending : list of str
        Branches of trials under way.
    number : int
        Of the trial that is proposed, for turns.
    """
    begun = Counter([*branches, *pending])
    listed = {b: known.get(b, Branch()) for b in (known or dict.fromkeys(branches))}
    every = {b: branch for b, branch in listed.items() if begun[b] < branch.holds} or listed
    # Requirements may leave next to nothing of a branch without end, 0.1 < x < 0.1001: that is not waited for.
    beginning = number <= 2 * sum(branch.begins for branch in listed.values())
    lacking = [b for b, branch in every.items() if beginning and begun[b] < branch.begins]
    if lacking:
        return min(lacking, key=lambda b: begun[b] / every[b].begins)
    scores = {b: means[[at == b for at in branches]] for b in every}
    leading = max(every, key=lambda b: scores[b].max(initial=-np.inf))
    others = [b for b in every if b != leading]
    least_gain = GAIN * float(means.max() - np.median(means[np.isfinite(means)]))
    still = {b for b in every if _stands_still(scores[b], least_gain)}
    others_turn = number % OTHERS_EVERY == OTHERS_EVERY - 1
    if others and others_turn != (leading in still):  # turns are swapped once the leading branch stands still
        others = [b for b in others if b not in still] or others
        return others[number // OTHERS_EVERY % len(others)]
    return leading


def _stands_still(scores: Array, least_gain: float) -> bool:
    """Whether the last few of some scores, in the order of their trials, brought next to no gain."""
    return len(scores) > PATIENCE and not scores[-PATIENCE:].max() > scores[:-PATIENCE].max() + least_gain


def drawn(space: Space, branch: str, rng: np.random.Generator) -> dict[str, Value] | None:
    """A random configuration of a branch; None when none is met."""
    fair = _fair(space)
    for _ in range(DRAWS):
        found = draw(fair, rng)
        if branch_of(space, found) == branch:
            return found
    return None
