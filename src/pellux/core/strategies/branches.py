"""Branches of a conditional space, and which of them gets the next trial."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from pellux.core.space import Choice, Configuration, Counting, Fixed, Parameter, Space, Value, draw
from pellux.core.space.expressions import names
from pellux.core.strategies.densities import GOOD_SHARE

Array = NDArray[np.float64]
# What is active in a branch, by name; of choices that switch others the option's place in the unit cube, of the rest None.
Key = tuple[tuple[str, float | None], ...]
MOST_BRANCHES = 12  # past it not every branch is tried: options are judged one by one
LEAST_TRIES = 3  # of a branch, before it is judged by what they brought, and one more for each setting that no other branch has
BOLD = 1.5  # how much may be hoped of a branch for each of its settings, in spreads of the scores over the root of its trials
LEAST_TRIED_EVERY = 8  # which proposals go to the branch that was tried least, whatever is hoped of it
DRAWS = 300  # that look for a branch
OPTIONS_DRAWN = 24  # of too many branches, among which the options that did best are sought
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

    begins: int = LEAST_TRIES
    holds: float = math.inf


def branch_of(space: Space, configuration: Configuration) -> Key:
    """What tells a configuration's branch: which parameters are active, and the choices that switch them."""
    if not space.conditional:
        return ()
    switches = settled(space)
    return tuple((name, space.by_name[name].encode(value) if name in switches else None) for name, value in configuration.items())


@lru_cache(maxsize=32)
def settled(space: Space) -> frozenset[str]:
    """The choices that switch parameters on: each branch has settled them."""
    switches = {n for p in space.parameters if p.condition is not None for n in names(p.condition)}
    return frozenset(n for n in switches if isinstance(space.by_name[n], Choice))


@lru_cache(maxsize=4096)
def groups(space: Space, branch: Key) -> tuple[tuple[int, ...], ...]:
    """Places of the settings that vary in a branch, those that are active together beside each other.

    Settings under one condition are searched together in every branch that has them.
    """
    active = {name for name, _ in branch}
    found: dict[str, list[int]] = {}
    for place, p in enumerate(space.searched):
        if not space.conditional or (p.name in active and p.name not in settled(space)):
            found.setdefault(str(p.condition), []).append(place)
    return tuple(tuple(places) for places in found.values())


@lru_cache(maxsize=32)
def _fair(space: Space) -> Space:
    """The space with even weights, so that an unlikely option hides no branch."""
    even = [replace(p, weights=(1.0,) * len(p.weights)) if isinstance(p, Choice) else p for p in space.parameters]
    return Space(tuple(even), space.requirements)


@lru_cache(maxsize=32)
def known_branches(space: Space) -> Mapping[Key, Branch]:
    """The branches of a space; none where they are too many to try each."""
    if not space.conditional:
        return {(): Branch()}
    fair, rng = _fair(space), np.random.default_rng(0)
    found = {branch_of(space, c): c for c in (draw(fair, rng) for _ in range(DRAWS))}
    if len(found) > MOST_BRANCHES:
        return {}
    having = Counter(place for branch in found for places in groups(space, branch) for place in places)
    return {branch: _sized(space, c, having) for branch, c in found.items()}


def _sized(space: Space, configuration: Configuration, having: Mapping[int, int]) -> Branch:
    """The branch of a configuration: choices that switch are settled in it, all else varies."""
    places = [place for group in groups(space, branch_of(space, configuration)) for place in group]
    holds = math.prod(math.inf if count is None else count for count in (space.searched[place].count for place in places))
    counted = Counting.of(_inside(space, configuration)).total if holds <= MOST_COUNTED else None
    return Branch(LEAST_TRIES + sum(having[place] == 1 for place in places), holds if counted is None else counted)


def _inside(space: Space, configuration: Configuration) -> Space:
    """A branch as a space of its own: what activates its parameters is required there."""
    active = [space.by_name[name] for name in configuration]
    kept: tuple[Parameter, ...] = tuple(
        Fixed(name=p.name, value=configuration[p.name]) if p.name in settled(space) else replace(p, condition=None) for p in active
    )
    asked = [*(p.condition for p in active if p.condition is not None), *space.requirements]
    return Space(kept, tuple(e for e in asked if set(names(e)) <= set(configuration)))


def chosen(space: Space, branches: Sequence[Key], means: Array, pending: Sequence[Key], number: int) -> Key:
    """Of known branches one that has not begun with as many trials as it needs; else the one of which most may be hoped.

    That is its best score, and for each of its settings a share of the spread of all scores that shrinks with the root of
    its trials (after the bound of Auer, Cesa-Bianchi & Fischer 2002): a branch with many settings needs many trials to
    show its worth. Now and then the least tried has its turn. One that is tried out gets none.

    Parameters
    ----------
    branches, means : sequence and array, shape (n,)
        Branch and mean score of each trial; minus infinity where it failed.
    pending : sequence of Key
        Branches of trials under way.
    number : int
        Of the trial that is proposed, for turns.
    """
    known, begun = known_branches(space), Counter([*branches, *pending])
    every = {b: branch for b, branch in known.items() if begun[b] < branch.holds} or known
    if len(every) == 1:
        return next(iter(every))
    # Requirements may leave next to nothing of a branch without end, 0.1 < x < 0.1001: that is not waited for.
    beginning = number <= 2 * sum(branch.begins for branch in known.values())
    lacking = [b for b, branch in every.items() if beginning and begun[b] < branch.begins]
    least_tried = min(lacking or every, key=lambda b: begun[b] / every[b].begins)
    told = np.isfinite(means)
    if lacking or not told.any() or number % LEAST_TRIED_EVERY == LEAST_TRIED_EVERY - 1:
        return least_tried
    spread = float(means[told].max() - np.median(means[told]))
    best = dict.fromkeys(every, -np.inf)
    for branch, mean in zip(branches, means, strict=True):
        best[branch] = max(best.get(branch, -np.inf), float(mean))

    def hoped(branch: Key) -> float:
        size = max(1, sum(map(len, groups(space, branch))))
        return best[branch] + BOLD * spread * size / math.sqrt(max(1, begun[branch]))

    return max(every, key=hoped)


def by_options(space: Space, branches: Sequence[Key], means: Array, rng: np.random.Generator) -> Key:
    """A branch out of too many to try each: of some random ones that whose options are most often among the best trials'."""
    good = np.argsort(-means, kind="stable")[: max(2, math.ceil(GOOD_SHARE * len(means)))]
    every = Counter(one for branch in branches for one in branch)
    best = Counter(one for i in good for one in branches[i])

    def promise(branch: Key) -> float:
        return sum(math.log((best[one] + GOOD_SHARE) / (every[one] + 1)) for one in branch if one[1] is not None)

    fair = _fair(space)
    return max((branch_of(space, draw(fair, rng)) for _ in range(OPTIONS_DRAWN)), key=promise)


def drawn(space: Space, branch: Key, rng: np.random.Generator) -> dict[str, Value] | None:
    """A random configuration of a branch; None when none is met."""
    fair = _fair(space)
    for _ in range(DRAWS):
        found = draw(fair, rng)
        if branch_of(space, found) == branch:
            return found
    return None
