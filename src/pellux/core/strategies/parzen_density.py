"""Parzen density: a multivariate tree-structured Parzen estimator (Bergstra 2011; Watanabe 2023).

Two densities, of the good trials and of the others; the next configuration is the candidate for which the first exceeds
the second most. In a conditional space a branch is chosen first (`branches.py`). Settings that are active together are a
group with a density of its own, of all branches' trials that have them: what a setting is worth is learnt in every branch,
and what is good is told inside each, since a poor branch has good trials of its own. What other problems taught chooses the
first trials (`recall.py`), and their good trials are good ones here too, for as long as there are few.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np
from numpy.typing import NDArray

from pellux.core.space import Configuration, Space, Value
from pellux.core.strategies import even_spread
from pellux.core.strategies.branches import Key, branch_of, by_options, chosen, drawn, groups, known_branches
from pellux.core.strategies.contract import Answer, History, SeedStream
from pellux.core.strategies.densities import GOOD_SHARE, Density, rank_weights
from pellux.core.strategies.fresh import one_by_one, taken
from pellux.core.strategies.lessons import Lesson
from pellux.core.strategies.placed import placed
from pellux.core.strategies.recall import recall
from pellux.core.strategies.standstill import elsewhere

Array = NDArray[np.float64]
CANDIDATES = 64
FIRST_TRIALS = 10
MOST_GOOD, MOST_OTHERS = 30, 160
FEWEST = 4  # trials of the branch itself of which some are called good,
FEWEST_THERE = 3  # of another one
OWN_COUNTS = 8  # so many trials of a branch weigh as much as those of the others
NARROWEST = 0.02  # bandwidth, once good trials are many
PRIOR_EVERY = 20  # which proposals are drawn from the prior, whatever was seen
REMEMBERED = 40  # trials from which on what other problems taught does not count any more
TAUGHT = 40.0  # trials at which their good trials weigh as much as one here
WIDE = 1.0  # bandwidth times one more than the number of good trials, while they are few
# With fewer settings than these it is less: a kernel as wide fills more of so small a space and tells less. Not where there are
# branches: one that is polished early takes trials from those that have not shown their worth.
FEW = 3


def propose(
    space: Space, history: History, pending: Sequence[Configuration], count: int, seeds: SeedStream, lessons: Sequence[Lesson] = ()
) -> Answer:
    """The next proposals; see `contract.Strategy`, and above for the method and its source."""
    return one_by_one(space, history, pending, count, seeds, partial(_single, space, history, lessons))


def _single(
    space: Space, history: History, lessons: Sequence[Lesson], pending: Sequence[Configuration], seeds: SeedStream
) -> dict[str, Value] | None:
    remembered = recall(space, lessons) if len(history) + len(pending) < REMEMBERED else None
    if remembered is not None and seeds.number <= remembered.firsts:
        first = remembered.first([*(o.configuration for o in history), *pending], taken(history, pending))
        if first is not None:
            return first
    known = [o for o in history if o.mean is not None or o.bad]
    told = sum(o.mean is not None for o in known) >= FEWEST
    if (len(history) + len(pending) < FIRST_TRIALS or not told) and not (space.conditional and known_branches(space)):
        return even_spread.point(space, seeds)
    rng = seeds.own()
    trials = Trials(*placed(space, known), np.array([-np.inf if o.mean is None else o.mean for o in known]))
    waiting = [branch_of(space, c) for c in pending]
    if known_branches(space):
        branch = chosen(space, trials.branches, trials.means, waiting, seeds.number)
    else:
        branch = by_options(space, trials.branches, trials.means, rng)
    if not groups(space, branch) or seeds.number % PRIOR_EVERY == PRIOR_EVERY - 1:
        return drawn(space, branch, rng)
    seen = _seen(space, branch, _left(space, branch, trials, seeds.number))
    if not len(seen.good):
        return drawn(space, branch, rng)
    if remembered is not None:
        seen = seen.taught(*remembered.good, TAUGHT / len(known))
    under_way = [space.encode(c) for c, b in zip(pending, waiting, strict=True) if b == branch]
    return _best_candidate(space, branch, seen.beside(np.array(under_way).reshape(-1, space.dimension)), rng)


@dataclass(frozen=True)
class Trials:
    """All trials: points of the unit cube, branches, mean scores (minus infinity where one failed); shapes (n, dimension) and (n,)."""

    points: Array
    branches: Sequence[Key]
    means: Array


def _left(space: Space, branch: Key, trials: Trials, number: int) -> Trials:
    """The trials to go by; see `standstill.py`."""
    own = np.array([b == branch for b in trials.branches], dtype=bool)
    told = np.isfinite(trials.means)
    if not told[own].any():
        return trials
    places = [place for group in groups(space, branch) for place in group]
    spread = float(trials.means[told].max() - np.median(trials.means[told]))
    left = ~own
    left[own] = elsewhere(space, places, trials.points[own], trials.means[own], spread, number)
    return Trials(trials.points[left], [b for b, kept in zip(trials.branches, left, strict=True) if kept], trials.means[left])


@dataclass(frozen=True)
class Seen:
    """The trials that tell of a branch, as points of the unit cube with their weights: good ones, and the others; so many of the good
    ones, the last, are other problems'."""

    good: Array
    good_weights: Array
    others: Array
    other_weights: Array
    elsewhere: int = 0

    def taught(self, points: Array, shares: Array, weight: float) -> Seen:
        """With the good trials of other problems, which weigh so much together."""
        good = np.concatenate([self.good, points])
        return Seen(good, np.append(self.good_weights, weight * shares), self.others, self.other_weights, len(points))

    def beside(self, points: Array) -> Seen:
        """With what is under way, which counts as neither good nor new."""
        weights = np.append(self.other_weights, np.ones(len(points)))
        return Seen(self.good, self.good_weights, np.concatenate([self.others, points]), weights, self.elsewhere)


def _seen(space: Space, branch: Key, trials: Trials) -> Seen:
    """Each branch's trials parted into good ones and others; those of other branches count less the more there are of this one."""
    here = {place for group in groups(space, branch) for place in group}
    by_branch: dict[Key, list[int]] = {}
    for i, b in enumerate(trials.branches):
        by_branch.setdefault(b, []).append(i)
    away = OWN_COUNTS / (OWN_COUNTS + len(by_branch.get(branch, ())))
    good, others, weights, other_weights = list[int](), list[int](), [np.empty(0)], [np.empty(0)]
    for b, inside in by_branch.items():
        own, fewest = b == branch, FEWEST if b == branch else FEWEST_THERE
        if not own and (len(inside) < fewest or not here & {place for group in groups(space, b) for place in group}):
            continue
        means = trials.means[inside]
        order = np.array(inside)[np.argsort(-means, kind="stable")]
        # Failures tell where not to go; a branch of failures alone has no good trials.
        enough = np.isfinite(means).sum() >= fewest
        count = int(np.clip(np.ceil(GOOD_SHARE * len(inside)), 2 if own else 1, MOST_GOOD)) if enough else 0
        rest = order[count:]
        if len(rest) > MOST_OTHERS:
            rest = np.sort(rest)[np.linspace(0, len(rest) - 1, MOST_OTHERS).astype(int)]
        good += order[:count].tolist()
        others += rest.tolist()
        weights.append((1.0 if own else away) * rank_weights(count))
        other_weights.append(np.full(len(rest), 1.0 if own else away))
    return Seen(trials.points[good], np.concatenate(weights), trials.points[others], np.concatenate(other_weights))


def _best_candidate(space: Space, branch: Key, seen: Seen, rng: np.random.Generator) -> dict[str, Value] | None:
    # Places outside the branch do not reach the configuration; its switches do.
    asked = rng.random((CANDIDATES, space.dimension))
    switched = dict(branch)
    for place, p in enumerate(space.searched):
        position = switched.get(p.name)
        if position is not None:
            asked[:, place] = position
    pairs = [(group, *_densities(space, group, seen, _wide(space))) for group in groups(space, branch)]
    for group, promising, _ in pairs:
        asked[:, list(group)] = promising.draw(CANDIDATES, rng)
    snapped = space.snap(asked)
    against = sum(plain.log(snapped[:, list(group)]) - promising.log(snapped[:, list(group)]) for group, promising, plain in pairs)
    for i in np.argsort(against, kind="stable"):
        found = space.decode(snapped[i])
        if space.fulfils(found) and branch_of(space, found) == branch:
            return found
    return None


def _wide(space: Space) -> float:
    return WIDE if space.conditional else WIDE * min(1.0, space.dimension / FEW)


def _densities(space: Space, group: tuple[int, ...], seen: Seen, wide: float) -> tuple[Density, Density]:
    """Of the good trials and of the others, in the settings of a group."""
    good, others = (~np.isnan(points[:, group[0]]) for points in (seen.good, seen.others))
    # What other problems taught is no evidence of this one's: it draws proposals, and makes no density surer or narrower.
    own = good[: len(good) - seen.elsewhere].sum()
    # The same share of the prior in both: where nothing was tried neither density is larger.
    share = 1.0 / (own + others.sum() + 1)
    # Two good trials close together do not mean that the rest of the space is worthless.
    narrowest = max(wide / (1 + own), NARROWEST)
    return (
        Density.of(space, seen.good[good], group, seen.good_weights[good], share, narrowest),
        Density.of(space, seen.others[others], group, seen.other_weights[others], share, narrowest),
    )
