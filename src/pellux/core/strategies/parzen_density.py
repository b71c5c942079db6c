"""Parzen density: a multivariate tree-structured Parzen estimator (Bergstra 2011; Watanabe 2023).

Two densities, of the good trials and of the others; the next configuration is the candidate for which the first exceeds
the second most. Branches of a conditional space are told apart first and densities are built inside one branch: a
single density over all starves the small ones.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np
import scipy
from numpy.typing import NDArray

from pellux.core.space import Choice, Configuration, Space, Value
from pellux.core.strategies import even_spread
from pellux.core.strategies.branches import branch_of, chosen, drawn, known_branches
from pellux.core.strategies.contract import Answer, History, SeedStream
from pellux.core.strategies.fresh import one_by_one

Array = NDArray[np.float64]
CANDIDATES = 64
FIRST_TRIALS = 10
GOOD_SHARE = 0.15
MOST_GOOD, MOST_OTHERS = 30, 160
NARROWEST = 0.02  # bandwidth, once good trials are many
WIDE = 1.0  # bandwidth times one more than the number of good trials, while they are few


def propose(space: Space, history: History, pending: Sequence[Configuration], count: int, seeds: SeedStream) -> Answer:
    """The next proposals; see `contract.Strategy`, and above for the method and its source."""
    return one_by_one(space, history, pending, count, seeds, partial(_single, space, history))


def _single(space: Space, history: History, pending: Sequence[Configuration], seeds: SeedStream) -> dict[str, Value] | None:
    known = [o for o in history if o.mean is not None or o.bad]
    if len(history) + len(pending) < FIRST_TRIALS or sum(o.mean is not None for o in known) < 4:
        return even_spread.point(space, seeds)
    rng = seeds.own()
    means = np.array([-np.inf if o.mean is None else o.mean for o in known])
    branches = [branch_of(space, o.configuration) for o in known]
    branch = chosen(known_branches(space), branches, means, [branch_of(space, c) for c in pending], seeds.number)
    inside = np.array([i for i, b in enumerate(branches) if b == branch], dtype=np.intp)
    if np.isfinite(means[inside]).sum() < 4:
        return drawn(space, branch, rng)
    order = np.argsort(-means[inside], kind="stable")
    good = int(np.clip(np.ceil(GOOD_SHARE * len(inside)), 2, MOST_GOOD))
    others = order[good:]
    if len(others) > MOST_OTHERS:
        others = np.sort(others)[np.linspace(0, len(others) - 1, MOST_OTHERS).astype(int)]
    rest = _points(space, [known[inside[i]].configuration for i in others])
    here = [space.encode(c) for c in pending if branch_of(space, c) == branch]
    if here:  # what is under way counts as neither good nor new
        rest = np.concatenate([rest, np.array(here)])
    best = _points(space, [known[inside[i]].configuration for i in order[:good]])
    return _best_candidate(space, branch, best, rest, rng)


def _points(space: Space, configurations: Sequence[Configuration]) -> Array:
    return np.array([space.encode(c) for c in configurations]).reshape(-1, space.dimension)


def _best_candidate(space: Space, branch: str, good: Array, rest: Array, rng: np.random.Generator) -> dict[str, Value] | None:
    active = ~np.isnan(good[0])
    # The same share of the prior in both: where nothing was tried neither density is larger.
    share = 1.0 / (len(good) + len(rest) + 1)
    # Two good trials close together do not mean that the rest of the space is worthless.
    narrowest = max(WIDE / (1 + len(good)), NARROWEST)
    promising = Density.of(space, good, active, rank_weights(len(good)), share, narrowest)
    plain = Density.of(space, rest, active, np.ones(len(rest)), share, narrowest)
    asked = promising.draw(CANDIDATES, rng)
    full = np.full((len(asked), space.dimension), 0.5)
    full[:, active] = asked
    # An inactive switch keeps the branch: coordinates outside it do not reach the configuration.
    full[:, ~active] = rng.random((len(asked), int((~active).sum())))
    snapped = space.snap(full)
    order = np.argsort(plain.log(snapped[:, active]) - promising.log(snapped[:, active]), kind="stable")
    for i in order:
        found = space.decode(snapped[i])
        if space.fulfils(found) and branch_of(space, found) == branch:
            return found
    return None


# Densities


def rank_weights(n: int) -> Array:
    """The best counts most: log weights as evolution strategies use them (Hansen 2016)."""
    found: Array = np.log(n + 1.5) - np.log(np.arange(1, n + 1))
    return found


@dataclass(frozen=True)
class Density:
    """A mixture of one product kernel an observation and the even prior; columns are the active coordinates."""

    centres: Array
    widths: Array  # (columns,)
    weights: Array  # (n + 1,), the prior's last
    options: tuple[Choice | None, ...]

    @staticmethod
    def of(space: Space, points: Array, active: NDArray[np.bool_], weights: Array, share: float, narrowest: float) -> Density:
        centres = np.nan_to_num(points[:, active], nan=0.5)
        n, d = centres.shape
        spread = np.sqrt(np.average((centres - np.average(centres, axis=0, weights=weights)) ** 2, axis=0, weights=weights))
        widths = np.clip(1.06 * spread * n ** (-1.0 / (d + 4)), narrowest, 0.5)
        total = np.concatenate([weights / weights.sum() * (1 - share), [share]])
        kinds = [p for p, a in zip(space.searched, active, strict=True) if a]
        return Density(centres, widths, total, tuple(p if isinstance(p, Choice) else None for p in kinds))

    @property
    def _slip(self) -> float:
        """SeedStream that a choice differs from its centre's (Aitchison & Aitken 1976)."""
        return 1.0 / (math.sqrt(len(self.centres)) + 2)

    def draw(self, count: int, rng: np.random.Generator) -> Array:
        which = rng.choice(len(self.weights), size=count, p=self.weights / self.weights.sum())
        found = rng.random((count, len(self.widths)))
        kernel = which < len(self.centres)
        centres = self.centres[which[kernel]]
        low, high = scipy.special.ndtr(-centres / self.widths), scipy.special.ndtr((1 - centres) / self.widths)
        moved = centres + self.widths * scipy.special.ndtri(low + found[kernel] * (high - low))
        for column, choice in enumerate(self.options):
            if choice is not None:
                keep = rng.random(len(centres)) >= self._slip
                moved[:, column] = np.where(keep, centres[:, column], found[kernel, column])
        found[kernel] = np.clip(moved, 0.0, 1.0)
        return found

    def log(self, points: Array) -> Array:
        """Log density at points, shape (m,)."""
        logs = np.zeros((len(points), len(self.weights)))
        for column, choice in enumerate(self.options):
            centre, at = self.centres[:, column], points[:, column]
            if choice is None:
                width = self.widths[column]
                inside = scipy.special.ndtr((1 - centre) / width) - scipy.special.ndtr(-centre / width)
                z = (at[:, None] - centre[None, :]) / width
                logs[:, :-1] += -0.5 * z * z - np.log(width * np.sqrt(2 * np.pi) * inside)
            else:
                equal = choice.index(at)[:, None] == choice.index(centre)[None, :]
                share = 1.0 / choice.count
                # Relative to the even prior, whose density is 1 in every column.
                logs[:, :-1] += np.log(np.where(equal, (1 - self._slip) / share + self._slip, self._slip))
        found: Array = scipy.special.logsumexp(logs, axis=1, b=self.weights)
        return found
