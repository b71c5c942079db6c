"""A learner on a data set, searched with and without what searches of the same learner taught on the nine others."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache, partial

from benchmarks.memory.data import DATA, loaded
from benchmarks.memory.tables import CASES, KIN_CASES, Case, best, problem, range_of
from benchmarks.strategies.playing import Play, play
from pellux.core.likeness import Traits, likeness
from pellux.core.space import Configuration
from pellux.core.strategies import STRATEGIES, Observation, gaussian_process
from pellux.core.strategies.gaussian_process import Design
from pellux.core.strategies.lessons import Lesson, adapted
from pellux.core.strategies.recall import recall
from pellux.objectives.tabular.learners.catalogue import OURS

GAUSSIAN = "gaussian process"
EARLIER = 40  # trials of each search that teaches
NEAR = 0.01


@dataclass(frozen=True)
class Run:
    """The regret of each trial, in shares of what there is to gain from the median configuration to the best; whether lessons were
    believed."""

    case: Case
    seed: int
    regrets: tuple[float, ...]
    believed: bool = False

    def within_score(self) -> int:
        """Trials until the best is within 1 % of the best score there is; one more than there were where it never was."""
        return self._until(NEAR * abs(best(self.case)) / range_of(self.case))

    def within_range(self) -> int:
        """Trials until it is within 1 % of what there is to gain, which asks for more."""
        return self._until(NEAR)

    def best_at(self, trials: int) -> float:
        return min(self.regrets[:trials])

    def _until(self, near: float) -> int:
        return next((n for n, regret in enumerate(self.regrets, 1) if regret <= near), len(self.regrets) + 1)


def run_of(case: Case, seed: int, found: Play, *, believed: bool = False) -> Run:
    return Run(case, seed, tuple(-truth for truth in found.truths), believed)


def without(case: Case, seed: int, trials: int, strategy: str = GAUSSIAN) -> Run:
    return run_of(case, seed, play(problem(case), STRATEGIES[strategy].propose, trials, seed))


def with_memory(
    case: Case,
    seed: int,
    trials: int,
    histories: dict[Case, list[Observation]],
    design: Design | None = None,
    strategy: str = GAUSSIAN,
) -> Run:
    """`histories` has the search that teaches of every case; those of other learners and of this data set are left aside. A design is of
    the Gaussian process."""
    others = [other for other in histories if other.learner == case.learner and other.data != case.data]
    lessons = tuple(taught for other in others if (taught := lesson(case, other, histories[other])) is not None)
    propose = STRATEGIES[strategy].propose if design is None else partial(gaussian_process.propose, design=design)
    found = play(problem(case), partial(propose, lessons=lessons), trials, seed)
    return run_of(case, seed, found, believed=recall(case.space, lessons) is not None)


def history(case: Case, seed: int, strategy: str = GAUSSIAN) -> list[Observation]:
    """Of a search that teaches: it remembers nothing itself."""
    return play(problem(case), STRATEGIES[strategy].propose, EARLIER, seed).history


def lesson(here: Case, there: Case, trials: Sequence[Observation]) -> Lesson | None:
    """What a search on another data set found, in this space."""
    defaults = OURS.learner(here.learner, DATA[here.data].task).defaults
    placed = [(adapted(here.space, o.configuration, defaults), o) for o in trials]
    known = [(c, o.mean, o.beside) for c, o in placed if c is not None and o.mean is not None]
    told = list[tuple[Configuration, float]]((c, mean) for c, mean, _ in known)
    return Lesson.of(likeness(traits(here), traits(there)), told, [beside for *_, beside in known])


@cache
def traits(case: Case) -> Traits:
    rows, columns = loaded(case.data)[0].shape
    return Traits("", rows, columns, 1.0, DATA[case.data].task, DATA[case.data].scoring)


__all__ = ["CASES", "GAUSSIAN", "KIN_CASES", "Run", "history", "with_memory", "without"]
