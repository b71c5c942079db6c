"""Applies a search's stopping rule: which fits a trial gets next, who waits at a rung, who goes on and who ends.

Pure like the coordinator it serves. Its record holds results only, so it is made anew from a search's trials after a restart.
"""

from __future__ import annotations

import heapq
from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from pellux.core.objective import Points
from pellux.core.reasons import NONE
from pellux.core.stopping import FOLDS, Keep, Ladder, Prune, Record, Rule, TrialContext, Verdict, best_common, rule
from pellux.core.stopping.contract import KEEP, NoSettings
from pellux.core.stopping.front_record import FrontRecord
from pellux.engine.limiting import BREAKS, Watch, beside_by_fold
from pellux.engine.model import PROPOSED, Limits, Trial
from pellux.engine.states import TrialState

EXEMPT = ("baseline", "by hand", "finalist", "recheck")  # a person wants to see these in full


@dataclass(frozen=True)
class Stopping:
    """How a search ends trials early: rule, settings and rungs.

    Attributes
    ----------
    curves : bool
        Fits tell their scores along the iterations.
    """

    rule: Rule = field(default_factory=lambda: rule("none"))
    settings: Any = field(default_factory=NoSettings)
    ladder: Ladder = field(default_factory=Ladder)
    curves: bool = False

    @property
    def cohorts(self) -> bool:
        """Whether trials are compared in cohorts, which wait for their members."""
        return self.rule.placed is not None

    def place(self, index: int) -> tuple[int, int, int]:
        """Bracket, cohort and cohort size of a proposal, counted from 0."""
        return self.rule.placed(index, self.ladder, self.settings) if self.rule.placed else (0, 0, 0)


class Pruning:
    """Keeps the record of a search and asks its rule."""

    def __init__(self, stopping: Stopping, limits: Limits) -> None:
        self.stopping, self.folds, self.sign, self._aims = stopping, limits.folds, limits.sign, limits.against
        self.watch = Watch(limits.keep, stopping.ladder.resource)
        self.ladder = stopping.ladder
        self.record = (
            FrontRecord(limits.folds, limits.trials, limits.sign, len(self._aims))
            if self._aims
            else Record(limits.folds, limits.trials, sign=limits.sign)
        )
        self._alive: dict[int, int] = defaultdict(int)
        self._parked: dict[int, Trial] = {}
        self._best: dict[tuple[int, int], list[tuple[float, int]]] = defaultdict(list)  # parked, best first
        self._places: list[tuple[int, int]] = []  # where trials were ever parked, the highest rung first
        self._still: set[tuple[int, int]] = set()  # places whose best may not go on, until a result comes to them
        self._worst: dict[tuple[int, int], list[tuple[float, int]]] = defaultdict(list)
        self._members: dict[int, set[int]] = defaultdict(set)  # parked trials by cohort
        self._working: set[int] = set()

    # Where trials begin

    def exempt(self, trial: Trial) -> bool:
        return trial.origin in EXEMPT

    def admit(self, trial: Trial, index: int) -> None:
        """Give a new trial its place: bracket, cohort, first rung. `index` counts the proposals from 0."""
        if self.exempt(trial):
            trial.rung = self.ladder.top
        elif self.stopping.cohorts:
            trial.bracket, trial.cohort, _ = self.stopping.place(index)
            trial.rung = trial.bracket  # a bracket is named by the rung it begins at
        self._join(trial, index)

    def _join(self, trial: Trial, index: int) -> None:
        if not self.exempt(trial) and self.stopping.cohorts:
            self.record.join(trial.cohort, self.stopping.place(index)[2])
            self._alive[trial.cohort] += 1
        self.working(trial)

    def may_propose(self, index: int) -> bool:
        """Whether a further trial may begin: a cohort of successive halving ends before the next begins."""
        if not self.stopping.rule.one_by_one:
            return True
        cohort = self.stopping.place(index)[1]
        return cohort == 0 or self._alive[cohort - 1] == 0

    def goal(self, trial: Trial) -> int:
        """The last rung that a trial is to reach."""
        return self.ladder.top if trial.goal is None else trial.goal

    def working(self, trial: Trial) -> None:
        """A trial begins a rung."""
        self._unpark(trial)
        if self.stopping.cohorts and not self.exempt(trial) and trial.number not in self._working:
            self._working.add(trial.number)
            self.record.enter(trial.cohort)

    def _rest(self, trial: Trial) -> None:
        if trial.number in self._working:
            self._working.discard(trial.number)
            self.record.leave(trial.cohort)

    # Results

    def stepped(self, trial: Trial, fold: int, points: Points) -> Verdict:
        """A curve has grown; what the rule says at the first of its points that ends something."""
        watch = self.stopping.rule.watches and not self.exempt(trial)
        for iteration, score in points:
            if not self.record.note_point(trial.number, fold, iteration, self.sign * score) or not watch:
                continue
            found = self.stopping.rule.verdict(
                TrialContext(trial.number, trial.rung, fold=fold), self.record, self.stopping.settings
            )
            if not isinstance(found, Keep):
                return found
        return KEEP

    def reached(self, trial: Trial, fold: int) -> int | None:
        """The last iteration of a fold's curve."""
        iterations = self.record.curve(trial.number, fold).iterations
        return iterations[-1] if iterations else None

    def finished_curve(self, trial: Trial, fold: int) -> None:
        self.record.note_finished_curve(trial.number, fold)

    def rung_done(self, trial: Trial) -> Verdict:
        """All fits of a rung are done: note its scores and judge. What breaks a limit is not what others are measured against."""
        self._score(trial)
        whole = trial.rung >= self.goal(trial) or self.exempt(trial)
        broken = NONE if whole else self.watch.surely_broken(trial)
        if broken or (whole and self.watch.breaks(trial)):
            self.record.forget_rungs(trial.number, trial.bracket, trial.cohort, trial.rung)
            self._still.clear()  # whom it stood before may go on now
        else:
            self._note(trial)
        if whole:
            return KEEP
        self._rest(trial)
        return Prune(broken) if broken else self._judge(trial)

    def _score(self, trial: Trial) -> None:
        common = None
        if self.stopping.curves:
            common = best_common([self.record.curve(trial.number, fold) for fold in sorted(trial.fits)])
        if common is None:
            scores_by_fold = [None if (fit := trial.fits.get(f)) is None else fit.score or 0.0 for f in range(max(trial.fits) + 1)]
            trial.results[trial.rung] = tuple(scores_by_fold)
        else:
            trial.best_iteration, scores = common
            trial.results[trial.rung] = tuple(self.sign * score for score in scores)

    def _note(self, trial: Trial) -> None:
        """Enter a rung's scores, those of the trial in full too: a race is run against them."""
        turned = tuple([self.sign * score for score in trial.results[trial.rung] if score is not None])
        beside = beside_by_fold(trial, self._aims, trial.rung) if self._aims else ()
        if self.ladder.resource in (FOLDS, ""):
            self.record.note_folds(trial.number, turned, beside)
        if not self.exempt(trial):
            self._still.discard((trial.bracket, trial.rung))
            means = [sum(told) / max(len(told), 1) for told in beside]
            self.record.note_rung(trial.number, trial.bracket, trial.cohort, trial.rung, sum(turned) / len(turned), means)
            if self.record.moves:  # the others of the rung may stand elsewhere now
                self._order_anew((trial.bracket, trial.rung))

    def _judge(self, trial: Trial) -> Verdict:
        sight = TrialContext(trial.number, trial.rung, trial.bracket, trial.cohort)
        return self.stopping.rule.verdict(sight, self.record, self.stopping.settings)

    # Parked trials

    def park(self, trial: Trial) -> None:
        score = self.record.score(trial.number, trial.rung)
        self._parked[trial.number] = trial
        self._members[trial.cohort].add(trial.number)
        if (trial.bracket, trial.rung) not in self._best:
            self._places = sorted([*self._places, (trial.bracket, trial.rung)], key=lambda key: -key[1])
        self._still.discard((trial.bracket, trial.rung))
        heapq.heappush(self._best[trial.bracket, trial.rung], (-score, trial.number))
        heapq.heappush(self._worst[trial.bracket, trial.rung], (score, trial.number))

    def _order_anew(self, place: tuple[int, int]) -> None:
        """Put the parked trials of a rung in the order in which they stand by now."""
        here = [t for t in self._parked.values() if (t.bracket, t.rung) == place]
        scores = [(self.record.score(t.number, t.rung), t.number) for t in here]
        if not here:
            return
        self._best[place] = [(-score, number) for score, number in scores]
        self._worst[place] = scores
        heapq.heapify(self._best[place])
        heapq.heapify(self._worst[place])

    def _unpark(self, trial: Trial) -> None:
        if self._parked.pop(trial.number, None) is not None:
            self._members[trial.cohort].discard(trial.number)
            self._still.discard((trial.bracket, trial.rung))

    @property
    def parked(self) -> Sequence[Trial]:
        return list(self._parked.values())

    def ended(self, trial: Trial) -> None:
        self._unpark(trial)
        self._rest(trial)
        if self.stopping.cohorts and not self.exempt(trial):
            self._alive[trial.cohort] -= 1
        self.watch.note(trial)
        self.record.note_ended(trial.number)
        self.record.forget_curves(trial.number)

    def settled(self, cohort: int) -> list[tuple[Trial, Verdict]]:
        """The verdicts on a cohort's parked trials, all at once, as soon as none of it works any more."""
        if not self.stopping.cohorts or self.record.working(cohort) > 0:
            return []
        found = [(self._parked[n], self._judge(self._parked[n])) for n in sorted(self._members[cohort])]
        return [(trial, verdict) for trial, verdict in found if isinstance(verdict, (Keep, Prune))]

    def hopeless(self, trial: Trial) -> list[tuple[Trial, Verdict]]:
        """Parked trials at a trial's rung that cannot go on any more, whatever comes."""
        if self.stopping.cohorts:
            return []
        found: list[tuple[Trial, Verdict]] = []
        heap = self._worst[trial.bracket, trial.rung]
        while heap:
            worst = self._parked.get(heap[0][1])
            if worst is None or (worst.bracket, worst.rung) != (trial.bracket, trial.rung):
                heapq.heappop(heap)
                continue
            verdict = self._judge(worst)
            if not isinstance(verdict, Prune):
                break
            heapq.heappop(heap)
            found.append((worst, verdict))
        return found

    def promotable(self) -> Trial | None:
        """A parked trial that may go on now, of the highest rung that has one."""
        if self.stopping.cohorts or not self._parked:
            return None
        for place in self._places:
            if place in self._still:
                continue
            trial = self._best_at(place)
            if trial is not None and isinstance(self._judge(trial), Keep):
                return trial
            self._still.add(place)
        return None

    def _best_at(self, place: tuple[int, int]) -> Trial | None:
        """The best parked trial of a bracket's rung."""
        heap = self._best[place]
        while heap:
            trial = self._parked.get(heap[0][1])
            if trial is not None and (trial.bracket, trial.rung) == place:
                return trial
            heapq.heappop(heap)
        return None

    def close(self) -> None:
        """No further trial will begin."""
        self.record.closing = True
        self._still.clear()

    def reopen(self, trials: int) -> None:
        """So many trials may begin in all: more or less than before."""
        self.record.closing, self.record.trials = False, trials
        self._still.clear()

    def weakest_first(self) -> list[Trial]:
        """Parked trials, those of low rungs and low scores first."""
        return sorted(self._parked.values(), key=lambda t: (t.rung, self.record.score(t.number, t.rung), t.number))

    def cohorts_waiting(self) -> list[int]:
        return sorted(cohort for cohort, members in self._members.items() if members)

    # After a restart

    def restore(self, trials: Iterable[Trial], curves: Mapping[tuple[int, int], Points]) -> None:
        """Enter what a search knew: trials in the order in which they ended, those that live last."""
        known = list(trials)
        proposed = sorted(trial.number for trial in known if trial.origin in PROPOSED)
        indices = {number: index for index, number in enumerate(proposed)}
        for trial in sorted(known, key=lambda t: (t.ended_at is None, t.ended_at or 0.0, t.number)):
            self._join(trial, indices.get(trial.number, 0))
            self._restore_curves(trial, curves)
            rung = trial.rung
            useless = trial.reason.code == BREAKS or (trial.state is TrialState.SCORED and self.watch.breaks(trial))
            for done in sorted(trial.results):
                trial.rung = done
                if not useless:
                    self._note(trial)
            trial.rung = rung
            if trial.state is TrialState.PARKED:
                self._rest(trial)
                self.park(trial)
            elif trial.state.ended:
                self.ended(trial)

    def _restore_curves(self, trial: Trial, curves: Mapping[tuple[int, int], Points]) -> None:
        for fold in trial.fits:
            points = curves.get((trial.number, fold), ())
            for iteration, score in points:
                self.record.note_point(trial.number, fold, iteration, self.sign * score)
            if points and trial.state is TrialState.SCORED:
                self.finished_curve(trial, fold)


__all__ = ["EXEMPT", "Pruning", "Stopping"]
