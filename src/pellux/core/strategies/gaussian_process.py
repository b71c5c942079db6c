"""Gaussian process: Bayesian optimisation with log expected improvement (Jones 1998; Ament et al. 2023).

Every proposal fits the model anew from the history alone, so nothing depends on what this process did before. Pending
trials are believed to score what the model expects of them (Ginsbourger et al. 2010). Every third proposal works on
another basin than the incumbent's: plain expected improvement polishes the first basin it finds, although a rival that
it left half-climbed may be higher. One that climbs too slowly to catch up is abandoned. From the hundredth trial on every third
proposal looks closer at the incumbent than a model of all the space can (`closer.py`). Once the incumbent's basin has next to
nothing left to gain, most proposals go elsewhere: where there are choices to other options, the least tried first and at first
not to the ends of their numbers. Limits are modelled beside the score: what is to be gained counts by the chance of keeping them,
and while nothing keeps them that chance is all that counts (`keeping.py`). Where several metrics decide together the volume that
their front covers takes the place of the score (`several.py`).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from pellux.core.forecasting.cost_model import CostModel
from pellux.core.space import Configuration, Space, Value, identity, repair
from pellux.core.strategies import even_spread
from pellux.core.strategies.acquisition import MANY, Found, Maximiser
from pellux.core.strategies.basins import tops
from pellux.core.strategies.closer import closer
from pellux.core.strategies.contract import Answer, History, Observation, SeedStream
from pellux.core.strategies.evidence import Evidence, gather, kept
from pellux.core.strategies.fresh import Taken, one_by_one, taken
from pellux.core.strategies.gains import Improvement, telling_noise
from pellux.core.strategies.keeping import Keeping, limited
from pellux.core.strategies.lessons import Lesson
from pellux.core.strategies.recall import Recall, recall
from pellux.core.strategies.regions import Everywhere, Inside, OutsideBasins, Region, Surroundings
from pellux.core.strategies.several import known_enough, several, towards_front
from pellux.core.surrogates.coding import Coding
from pellux.core.surrogates.gaussian_process import Posterior, fit

Array = NDArray[np.float64]
Mask = NDArray[np.bool_]
FIRST_TRIALS = 3  # spread evenly before the model is asked: its priors are right enough to be better than chance from then on
RIVALS_FROM = (
    20  # trials before numbers' rival basins get proposals of their own; with few trials each is needed where most is hoped for
)
POLISHED = 1e-3  # of what there was to gain: an expected improvement below it is not worth most of the proposals
DONE = np.log(300)  # by how much less is not worth a single proposal more
TIDY = 3  # every so many proposals one goes on polishing all the same
STILL = 8  # last trials on a hill, beside one a parameter, over which its best is looked at
HILLS = 3  # so many are left aside at the most
LOOKED_INTO = 3  # rivals looked into for one proposal
RIVALS = 9  # a stream of chance of its own
VISITS = 3  # trials of a rival basin, beside one a parameter, over which its climb is looked at
REACH = 12  # at that pace, as many more trials may be needed to catch up with the incumbent
RIM = 0.3  # of a number, at both ends, where no options' first trials go
KNOWN = 5  # trials a number until that rim has shrunk to nothing
TIE = 0.5  # standard deviations of the noise: no further behind is not behind
REMEMBERED = 40  # trials from which on what other problems taught does not count any more: the search knows better
FEWEST = 3  # scores that a model is made of
CLOSER, CLOSER_EVERY = 100, 3  # trials from which on every so many proposals look closer at the incumbent
LAST_DIGITS = 30  # every so many do where next to nothing is left, too: the rest of the space had its turns by then


@dataclass(frozen=True)
class Design:
    """The choices in this strategy that can be left out, each to be seen in `benchmarks/strategies/run.py`.

    Attributes
    ----------
    rival_every : int or None
        Which proposals work on another basin than the incumbent's; 0 for none, None for every second where the space has
        choices (each combination of options is a basin) and every third elsewhere.
    polish : bool
        A basin with next to nothing left to gain gets most of its proposals taken away.
    first : int
        Trials that are spread evenly before the model speaks.
    centre : bool
        The first trial is the middle of the space: people put ranges around what they believe in.
    warp : bool
        Scores are straightened by a Yeo-Johnson transform.
    additive : bool
        The kernel has a part that is a sum over parameters.
    kinds : tuple of bool
        The joint kernels to choose from: smooth (True), rough (False).
    climb : bool
        Candidates are improved by gradients and by their discrete neighbours.
    abandon : bool
        A rival basin that will not catch up with the incumbent, or has a trial pending, gets no proposals.
    inside : bool
        The first trials of options that are not the incumbent's keep away from the ends of numbers.
    noise : bool
        Where scores are noisy, what another measurement would tell counts (Huang et al. 2006).
    thrift : bool
        Expected improvement for a second of training counts, not for a trial (Snoek, Larochelle & Adams 2012).
    closer : int or None
        Trials from which on every third proposal is a closer look at the incumbent; None for never.
    taught : tuple of str
        What is taken from lessons: the first trials ("first"), what is believed of hyperparameters ("beliefs"), where improvement is
        looked for ("leaning"); each to be seen in `benchmarks/memory/pieces.py`.
    """

    rival_every: int | None = None
    polish: bool = True
    first: int = FIRST_TRIALS
    centre: bool = True
    warp: bool = True
    additive: bool = True
    kinds: tuple[bool, ...] = (True, False)
    climb: bool = True
    abandon: bool = True
    inside: bool = True
    noise: bool = True
    thrift: bool = False
    closer: int | None = CLOSER
    taught: tuple[str, ...] = ("first", "beliefs", "leaning")

    def period(self, coding: Coding) -> int:
        """Every how many proposals one works on a rival basin; 0 for none."""
        return self.rival_every if self.rival_every is not None else 2 if coding.choices else 3


USUAL = Design()


def propose(
    space: Space, history: History, pending: Sequence[Configuration], count: int, seeds: SeedStream, design: Design = USUAL,
    lessons: Sequence[Lesson] = (),
) -> Answer:  # fmt: skip
    """The next proposals; see `contract.Strategy`, and above for the method and its source."""
    return one_by_one(space, history, pending, count, seeds, partial(single, space, history, design, lessons))


def single(
    space: Space, history: History, design: Design, lessons: Sequence[Lesson], pending: Sequence[Configuration], seeds: SeedStream
) -> dict[str, Value] | None:
    """The next configuration, or None where the model finds nothing untried."""
    known = [o for o in history if o.mean is not None or o.bad]
    tried = taken(history, pending)
    begun = len(history) + len(pending)
    remembered = recall(space, lessons) if begun < REMEMBERED else None
    if remembered is not None and "first" in design.taught and seeds.number <= remembered.firsts:
        first = remembered.first([*(o.configuration for o in history), *pending], tried)
        if first is not None:
            return first
    # The baseline does not count: it runs beside the first proposal. What is known from elsewhere does.
    if design.centre and seeds.number == 1 and not any(o.elsewhere for o in history):
        middle = even_spread.middle(space)
        first = middle if space.fulfils(middle) else repair(space, middle, seeds.own())
        if identity(first) not in tried:
            return first
    if begun < design.first or sum(o.mean is not None for o in known) < 2:
        return even_spread.point(space, seeds)
    if several(known):
        if not known_enough(space, known, begun):
            return even_spread.point(space, seeds)
        log_cost = _log_cost(space, known) if design.thrift else None
        beliefs = () if remembered is None or "beliefs" not in design.taught else remembered.beliefs
        return towards_front(
            space, known, pending, seeds, tried, climb=design.climb, kinds=design.kinds, log_cost=log_cost, beliefs=beliefs
        )
    if _looks_closer(design, begun, seeds.number, known):
        looked = closer(space, known, pending, tried, seeds.own(), to_the_last=seeds.number % LAST_DIGITS == 0)
        if looked is not None:
            return looked
    return _Proposal(space, known, pending, seeds, tried, design, remembered).configuration()


def _looks_closer(design: Design, begun: int, number: int, known: Sequence[Observation]) -> bool:
    """Whether it is a closer look's turn. It goes by the score alone: where cost counts, or limits, that is not all."""
    due = design.closer is not None and begun >= design.closer and number % CLOSER_EVERY == 0
    return due and not design.thrift and not limited(known)


def _log_cost(space: Space, known: Sequence[Observation]) -> Array | None:
    """What each feature adds to the logarithm of a trial's expected seconds, shape (columns,)."""
    timed = [o for o in known if o.state == "scored" and o.seconds > 0]
    costs = CostModel.of(space, [o.configuration for o in timed], [o.seconds for o in timed])
    return None if costs is None else costs.mean[1:]


def _least(evidence: Evidence) -> float:
    """Log of the least expected improvement that is worth a proposal."""
    worth = POLISHED * evidence.span
    return float(np.log(worth)) if worth > 0 else -np.inf


class _Proposal:
    """One question to the model: where next, given what is known and what is pending?"""

    def __init__(
        self, space: Space, known: Sequence[Observation], pending: Sequence[Configuration], seeds: SeedStream,
        tried: Taken, design: Design, remembered: Recall | None,
    ) -> None:  # fmt: skip
        self._seeds, self._tried, self._design = seeds, tried, design
        self._coding = Coding.of(space)
        self._known, self._pending = kept(known), pending
        model = believe(space, known, pending, design, remembered)
        self._points, self._features = model.evidence.points, model.features
        self._posterior, self._expected = model.posterior, model.expected
        self._measured = len(self._points) - len(pending)
        self._keeping = self._limits(design) if limited(self._known) else None
        self._keeps = self._kept()
        self._order = np.lexsort((-self._expected, ~self._keeps))
        self._highest = float(self._expected[self._order[0]])
        self._least = _least(model.evidence)
        noise = self._posterior.hyperparameters.noise
        self._tie = float(TIE * np.sqrt(noise))
        self._noise = telling_noise(noise) if design.noise else 0.0
        self._log_cost = _log_cost(space, self._known) if design.thrift else None
        leans = remembered if "leaning" in design.taught else None
        self._leaning = None if leans is None else leans.leaning(self._measured)
        self._beside_hill: dict[int, Mask] = {}  # each top is asked about several times, and every answer costs two kernels

    def _limits(self, design: Design) -> Keeping | None:
        measured = [place for place, o in enumerate(self._known) if o.slack]
        return Keeping.of(self._coding, self._features[measured], [self._known[place] for place in measured], design.kinds)

    def _kept(self) -> Mask:
        """Whether each point keeps the limits, as measured; what is pending, as is likelier."""
        found = np.array([o.keeps and (bool(o.slack) or self._keeping is None) for o in self._known], dtype=bool)
        if not self._pending:
            return found
        waiting = self._features[self._measured :]
        likely = self._keeping.log_chance(waiting) > np.log(0.5) if self._keeping else np.ones(len(waiting), dtype=bool)
        return np.concatenate([found, likely])

    def configuration(self) -> dict[str, Value] | None:
        """From everywhere or from a rival basin, whichever has its turn and something left to gain."""
        if self._keeping is not None and not self._keeps.any():
            order = np.argsort(-self._keeping.log_chance(self._features), kind="stable")
            return self._maximiser(Everywhere(self._posterior, self._coding), None).best(self._points[order]).configuration
        every = self._design.period(self._coding)
        rivals_turn = bool(every) and self._seeds.number % every == every - 1
        if rivals_turn:
            rival = self._among(self._rivals())
            if rival is not None:
                return rival.configuration
        everywhere = Everywhere(self._posterior, self._coding)
        usual = self._best(everywhere)
        if not self._design.polish or not self._settled(usual):
            return usual.configuration
        # On their turn there were none: they need not be asked twice.
        others = self._among(self._rivals()) if self._coding.choices and not rivals_turn else None
        found = others or self._elsewhere()
        if found is None:  # nothing is left to gain where the model believes it knows
            found = self._maximiser(everywhere, self._highest).least_known(self._highest)
        return (found if found.configuration is not None else usual).configuration

    def _settled(self, usual: Found) -> bool:
        """Whether the incumbent's hill has next to nothing left to gain: by what the model says, or by what came of it."""
        if self._seeds.number % TIDY == 0 and usual.gain > self._least - DONE:
            return False
        top, numbers = int(self._order[0]), len(self._coding.numbers)
        alike = (self._features[:, numbers:] == self._features[top, numbers:]).all(1)  # other options are other hills
        return usual.gain <= self._least or self._stands_still(top, alike)

    def _stands_still(self, top: int, among: Mask) -> bool:
        """Whether the last trials on a top's hill gained next to nothing."""
        if self._noise > 0:
            return False  # what noise hides is no standstill
        measured = self._measured
        inside = (among & ~self._beside([top]))[:measured]
        best = np.maximum.accumulate(self._expected[:measured][inside])
        if len(best) <= STILL + self._coding.space.dimension:
            return False
        return bool(best[-1] - best[-1 - STILL] < np.exp(self._least))

    def _outside_basins(self, hills: Sequence[int], posterior: Posterior) -> OutsideBasins:
        return OutsideBasins(posterior, self._coding, self._posterior, self._features[hills])

    def _beside(self, hills: Sequence[int]) -> Mask:
        """Which of the known points lie outside all of some hills."""
        for top in hills:
            if top not in self._beside_hill:
                region = self._outside_basins([top], self._posterior)
                self._beside_hill[top] = region.holds_features(self._features, self._expected)
        found: Mask = np.logical_and.reduce([self._beside_hill[top] for top in hills])
        return found

    def _elsewhere(self) -> Found | None:
        """The best place beside the incumbent's hill and others that stand still, by a model that does not know them:
        next to a high hill all the rest looks flat, and a model of both calls a second one next to impossible."""
        hills = [int(self._order[0])]
        for _ in range(HILLS):
            left = self._beside(hills)
            order = self._order[left[self._order]]
            if not len(order):
                return None
            found = None if self._stands_still(int(order[0]), left) else self._of_the_rest(hills, left)
            if found is not None:
                return found
            hills.append(int(order[0]))
        return None

    def _of_the_rest(self, hills: Sequence[int], left: Mask) -> Found | None:
        measured = self._measured
        known = [o for o, within in zip(self._known, left[:measured], strict=True) if within]
        pending = [c for c, within in zip(self._pending, left[measured:], strict=True) if within]
        if sum(o.mean is not None for o in known) < FEWEST:
            return None
        model = believe(self._coding.space, known, pending, self._design)
        order = np.argsort(-model.expected, kind="stable")
        region = self._outside_basins(hills, model.posterior)
        found = self._maximiser(region, float(model.expected[order[0]])).best(model.evidence.points[order])
        return found if found.configuration is not None and found.gain > _least(model.evidence) else None

    def _best(self, region: Region) -> Found:
        region = self._without_rim(region)
        inside = self._order[region.holds(self._points[self._order])]
        order = inside if len(inside) else self._order
        return self._maximiser(region, float(self._expected[order[0]])).best(self._points[order])

    def _without_rim(self, region: Region) -> Region:
        """Of a part of a space with choices, its inside, which grows with the trials it holds to all of it."""
        held = np.flatnonzero(region.holds(self._points))
        if not self._design.inside or not self._coding.choices or not 0 < len(held) < len(self._points):
            return region
        active = int(np.isfinite(self._points[held[0], self._coding.numbers]).sum())
        rim = RIM * (1 - len(held) / (KNOWN * active)) if active else 0.0
        return Inside(region, rim) if rim > 0 else region

    def _maximiser(self, region: Region, best: float | None) -> Maximiser:
        gain = None if best is None else Improvement(region.posterior, best, self._noise)
        return Maximiser(
            region,
            gain,
            self._tried,
            self._seeds.own(),
            climb=self._design.climb,
            log_cost=self._log_cost,
            keeping=self._keeping,
            leaning=self._leaning,
        )

    def _rivals(self) -> list[Region]:
        """The surroundings of basins beside the incumbent's; of options the least tried first, else in random order."""
        found = tops(self._posterior, self._coding, self._features, self._expected, self._order[: int(self._keeps.sum()) or None])
        regions: list[Region] = []
        for chosen in range(1, len(found)):
            others = [top for place, top in enumerate(found) if place != chosen]
            region = Surroundings(self._posterior, self._coding, self._features[[found[chosen], *others]])
            if self._may_catch_up(region):
                regions.append(region)
        order = np.random.default_rng([self._seeds.seed, self._seeds.number, RIVALS]).permutation(len(regions)).tolist()
        if self._coding.choices:  # by chance one option can wait for many trials while another is polished
            order.sort(key=lambda i: int(regions[i].holds(self._points).sum()))
        # Each costs a search of its own: one must do when observations are many.
        return [regions[i] for i in order[: 1 if len(self._features) > MANY else LOOKED_INTO]]

    def _may_catch_up(self, region: Region) -> bool:
        """Whether a rival basin has no trial pending and climbs fast enough to reach the incumbent, or was hardly visited."""
        if not self._design.abandon:
            return True
        held, measured = region.holds(self._points), self._measured
        inside = self._expected[:measured][held[:measured]]
        if held[measured:].any():
            return False  # what is pending there has to tell first
        visits = VISITS + self._coding.space.dimension
        if len(inside) <= visits:
            return True
        behind = self._highest - float(inside.max())
        climbed = float(inside.max()) - float(inside[:-visits].max())
        return behind <= REACH / visits * climbed + self._tie

    def _among(self, regions: Sequence[Region]) -> Found | None:
        """The best of the first region with something left to gain."""
        for region in regions:
            found = self._best(region)
            if found.configuration is not None and (found.gain > self._least or not self._design.polish):
                return found
        return None


@dataclass(frozen=True)
class Model:
    """What is believed of a space: the evidence with pending trials among it, and what is expected of each of its points."""

    evidence: Evidence
    features: Array
    posterior: Posterior
    expected: Array


def believe(
    space: Space, known: Sequence[Observation], pending: Sequence[Configuration], design: Design = USUAL,
    remembered: Recall | None = None,
) -> Model:  # fmt: skip
    """Fits the model, as if pending trials had scored what it expects of them: their surroundings are known already, and
    one of them counts as the best so far where more is expected of it than of all that is known."""
    coding, evidence = Coding.of(space), gather(space, known, warp=design.warp)
    features = coding.features(evidence.points)
    beliefs = None if remembered is None or "beliefs" not in design.taught else remembered.beliefs[0]
    h = fit(features, evidence.scores, evidence.noise, coding.groups, additive=design.additive, kinds=design.kinds, beliefs=beliefs)
    posterior = Posterior(h, features, evidence.scores, evidence.noise, coding.groups)
    if pending:
        points = np.array([space.encode(c) for c in pending])
        more = coding.features(points)
        evidence = replace(
            evidence,
            points=np.concatenate([evidence.points, points]),
            scores=np.concatenate([evidence.scores, posterior.expected(more)]),
            noise=np.concatenate([evidence.noise, np.ones(len(pending))]),
        )
        features = np.concatenate([features, more])
        posterior = Posterior(h, features, evidence.scores, evidence.noise, coding.groups)
    return Model(evidence, features, posterior, posterior.expected(features))


def recommend(space: Space, history: History) -> Observation:
    """The trial the model expects most of: on noisy scores a better choice than the luckiest one."""
    known = [o for o in history if o.mean is not None]
    if len(known) < 3:
        return max(known, key=lambda o: o.mean or -np.inf)
    return kept(known)[int(np.argmax(believe(space, known, []).expected))]
