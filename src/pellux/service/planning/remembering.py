"""What earlier problems of a workspace teach a new search: their trials of the same learner or code, the most alike ones first."""

from __future__ import annotations

import json
import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from statistics import mean
from typing import Any

from pellux.core.errors import PelluxError
from pellux.core.judging.aims import Aim, turned
from pellux.core.judging.limits import quantity
from pellux.core.likeness import Traits, likeness, scatter_of
from pellux.core.objective import Objective
from pellux.core.space import Space, Value
from pellux.core.strategies import CONTINUING, Lesson, adapted, strategy
from pellux.core.strategies.recall import recall
from pellux.objectives.tabular.learners.several import split_key
from pellux.service.planning.requests import SearchRequest
from pellux.service.planning.schemas import RememberedView
from pellux.service.workspace import Workspace
from pellux.store.database import Session
from pellux.store.fits import Told, told
from pellux.store.lessons import named
from pellux.store.problems import get_problem
from pellux.store.records import KeptLesson, KeptTrial
from pellux.store.trials import Scored, baselines, scored_by_problem, scored_configurations

MOST = 8  # problems a search learns from
LOOKED_AT = 60  # of the newest that may be alike
LEAST = 0.1  # likeness of what is worth a look


@dataclass(frozen=True)
class Beginning:
    """What is about to be searched: the problem, what it configures, the space, the strategy's key, what the score is weighed
    against, how many trials are known already."""

    problem_id: int
    objective: Objective
    request: SearchRequest
    space: Space
    strategy: str
    against: tuple[Aim, ...]
    known: int

    @property
    def remembers(self) -> bool:
        """Whether it is to learn from earlier problems, and can."""
        return self.request.plan.memory and self.known < strategy(self.strategy).remembers


def lessons(workspace: Workspace, session: Session, search: Beginning) -> list[KeptLesson]:
    """What there is to learn now, the most alike first; nothing where that is switched off, the strategy cannot, or the problems
    contradict each other."""
    if not search.remembers:
        return []
    here = _traits(session, search.problem_id, search.objective)
    alike = list[tuple[float, int, str, Objective]]()
    for problem_id in _candidates(session, search):
        problem = get_problem(session, problem_id)
        try:
            objective = workspace.objective(problem)
            there = _traits(session, problem_id, objective)
        except PelluxError:  # its data or code are gone: what it taught cannot be weighed
            continue
        alike.append(
            (likeness(here, there) if objective.kind == search.objective.kind else 0.0, problem_id, problem.name, objective)
        )
    alike.sort(key=lambda one: (-one[0], -one[1]))
    found = list[KeptLesson]()
    for near, problem_id, name, objective in alike:
        if near < LEAST or len(found) == MOST:
            break
        lesson = _lesson(session, search, near, problem_id, objective)
        if lesson is not None:
            found.append(KeptLesson(problem_id, name, near, _kept(lesson)))
    return found if _believed(search.space, json.dumps([(one.likeness, one.trials) for one in found])) else []


@lru_cache(maxsize=64)
def _believed(space: Space, trials: str) -> bool:
    """Whether the strategy will believe these lessons: who says that a search learns from a problem must not say it in vain. Each has
    a model fitted, about a second for all, so what was found is kept: a forecast is asked for with every change of a plan."""
    return recall(space, [_taught(near, each) for near, each in json.loads(trials)]) is not None


def taught(kept: Sequence[KeptLesson]) -> list[Lesson]:
    """As the strategy takes them."""
    return [_taught(one.likeness, one.trials) for one in kept]


def _kept(lesson: Lesson) -> list[KeptTrial]:
    beside = lesson.beside or ((),) * len(lesson.scores)
    return [(dict(c), score, *others) for c, score, others in zip(lesson.configurations, lesson.scores, beside, strict=True)]


def _taught(likeness: float, trials: Sequence[Any]) -> Lesson:
    configurations, scores, *others = zip(*trials, strict=True)
    return Lesson(likeness, configurations, scores, tuple(zip(*others, strict=True)))


def remembered(kept: Sequence[KeptLesson]) -> list[RememberedView]:
    return [RememberedView(problem_id=one.problem_id, name=one.name, likeness=one.likeness, trials=len(one.trials)) for one in kept]


def remembered_by(session: Session, search_ids: Sequence[int]) -> dict[int, list[RememberedView]]:
    """By search, what it was taught when it began."""
    return {
        search_id: [RememberedView(problem_id=p, name=name, likeness=near, trials=trials) for p, name, near, trials in found]
        for search_id, found in named(session, search_ids).items()
    }


def _candidates(session: Session, search: Beginning) -> list[int]:
    """Other problems with trials of a learner that this search has too, newest first."""
    wanted = _names(search.request.learner)
    found = {p for p, learner in scored_by_problem(session) if p != search.problem_id and wanted & _names(learner)}
    return sorted(found, reverse=True)[:LOOKED_AT]


def _names(learner: str) -> set[str]:
    return {name for name, _ in split_key(learner)} if learner else {""}


def _traits(session: Session, problem_id: int, objective: Objective) -> Traits:
    scored = baselines(session, problem_id)
    return objective.traits(scatter_of(scored[0][0].scores) if scored else None)


def _lesson(session: Session, search: Beginning, near: float, problem_id: int, objective: Objective) -> Lesson | None:
    """Its trials as far as they mean something here."""
    key, sign = search.request.learner, objective.judging.sign
    defaults, found = search.objective.configurable(key).defaults, dict[str, tuple[dict[str, Value], float, tuple[float, ...]]]()
    trials = scored_configurations(session, problem_id, but_strategies=CONTINUING)
    for trial, beside in zip(trials, _beside(session, trials, search.against), strict=True):
        moved = search.objective.translated(key, trial.learner, trial.configuration)
        placed = None if moved is None else adapted(search.space, moved, defaults)
        if placed is not None and all(map(math.isfinite, beside)):
            found[str(sorted(placed.items()))] = (placed, sign * trial.mean, beside)
    kept = found.values()
    return Lesson.of(near, [(c, score) for c, score, _ in kept], [beside for *_, beside in kept])


def _beside(session: Session, trials: Sequence[Scored], aims: Sequence[Aim]) -> list[tuple[float, ...]]:
    """Of each trial what the score is weighed against here, though nobody may have asked for it there; NaN of what was not measured."""
    lacking = [one.id for one in trials if not all(aim.measure in one.measured for aim in aims)]
    folds = told(session, lacking) if lacking else {}
    return [turned(aims, {**_told(folds.get(one.id, ()), aims), **one.measured}) for one in trials]


def _told(folds: Sequence[Told], aims: Sequence[Aim]) -> dict[str, float]:
    """The mean over folds of each quantity that fits told of."""
    each = {aim.measure: [quantity(aim.measure, *fold) for fold in folds] for aim in aims}
    known = {measure: [value for value in values if value is not None] for measure, values in each.items()}
    return {measure: mean(values) for measure, values in known.items() if values}
