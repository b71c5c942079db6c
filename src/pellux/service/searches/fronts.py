"""The front of a search whose metrics decide together: its points, how it grew, and what random draws would have come to."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pellux.core.errors import Conflict
from pellux.core.evidence.random_front import expected_course
from pellux.core.judging.aims import Aim, turned
from pellux.core.judging.fronts import choose, course, on_front, reference_point
from pellux.core.objective import Judging
from pellux.core.space import Space, parse
from pellux.service.planning.requests import kept_settings
from pellux.service.searches.schemas import AimView, FrontPoint, FrontView, RandomCourse
from pellux.service.workspace import Workspace
from pellux.store import runs, trials
from pellux.store.problems import get_problem

Array = NDArray[np.float64]
MOST_POINTS = 5000
MOST_MODELLED = 400  # trials, the newest, that models of random draws are made of


@dataclass(frozen=True)
class _Scored:
    """The scored trials of a search: `values` are turned so that larger is better, those that break a limit are NaN in `usable`."""

    judging: Judging
    aims: tuple[Aim, ...]
    space: Space
    rows: Sequence[tuple[Any, ...]]
    values: Array
    usable: Array
    baseline: Array | None

    @property
    def signs(self) -> Array:
        return np.array([self.judging.sign, *(aim.sign for aim in self.aims)], dtype=float)

    @property
    def front(self) -> NDArray[np.bool_]:
        return on_front(self.usable)

    @property
    def reference(self) -> Array:
        return reference_point(self.usable, self.baseline)

    @property
    def extent(self) -> float:
        """The volume between the reference point and the best of each metric."""
        return float(np.prod(self.usable[self.front].max(0) - self.reference))


def front_view(workspace: Workspace, search_id: int) -> FrontView:
    """The front of a search as it is now; Conflict where one metric decides."""
    found = _scored(workspace, search_id)
    aims = [
        AimView(measure=found.judging.metric, larger_is_better=found.judging.larger_is_better),
        *(AimView(measure=aim.measure, larger_is_better=aim.larger) for aim in found.aims),
    ]
    front = found.front
    own = found.values * found.signs
    newest = len(found.rows) - MOST_POINTS
    points = [
        FrontPoint(
            trial_id=row[0], number=row[1], origin=row[2], values=[float(v) if np.isfinite(v) else None for v in own[place]],
            on_front=bool(front[place]), keeps=row[5],
        )
        for place, row in enumerate(found.rows)
        if front[place] or place >= newest
    ]  # fmt: skip
    if not front.any():
        return FrontView(aims=aims, points=points, scored=len(found.rows), reference=None, course=[], knee=None)
    knee = choose(found.usable)
    return FrontView(
        aims=aims, points=points, scored=len(found.rows), reference=(found.reference * found.signs).tolist(),
        course=_rises(course(found.usable, found.reference) / found.extent), knee=None if knee is None else found.rows[knee][0],
    )  # fmt: skip


def random_course(workspace: Workspace, search_id: int) -> RandomCourse:
    """What as many random draws of its space would cover of what its front covers, as models of its trials expect it."""
    found = _scored(workspace, search_id)
    if not found.front.any():
        return RandomCourse(course=[])
    whole = np.flatnonzero(np.isfinite(found.values).all(1))[-MOST_MODELLED:]
    with workspace.database.read() as session:
        known = trials.by_ids(session, [found.rows[i][0] for i in whole])
    placed = {int(i): here for i in whole if (here := found.space.placed(known[found.rows[i][0]].configuration, {})) is not None}
    keeps = np.array([found.rows[i][5] is not False for i in placed])
    expected = expected_course(
        found.space, list(placed.values()), found.values[list(placed)], keeps, found.reference, len(found.rows)
    )
    return RandomCourse(course=[(count, min(volume / found.extent, 1.0)) for count, volume in expected])


def _scored(workspace: Workspace, search_id: int) -> _Scored:
    with workspace.database.read() as session:
        search = runs.get_search(session, search_id)
        problem = get_problem(session, search.problem_id)
        rows = trials.measured(session, search_id)
        baselines = trials.baselines(session, problem.id)
    judging = workspace.objective(problem).judging
    aims = judging.weighed(kept_settings(search.plan).against)
    if search.kind != runs.SEARCH:
        raise Conflict(f"A front is that of a search; run {search.number} is none.")
    if not aims:
        raise Conflict(f"{judging.metric} decides alone in search {search.number}: it has a best trial, and no front.")
    values = np.array([_values(judging, aims, row[3], row[4]) for row in rows]).reshape(-1, 1 + len(aims))
    usable = np.where(np.array([row[5] is not False for row in rows], dtype=bool).reshape(-1, 1), values, np.nan)
    known = [_values(judging, aims, trial.mean, trial.measured) for trial, _, _ in baselines[:1]]
    return _Scored(judging, aims, parse(search.space), rows, values, usable, np.array(known[0]) if known else None)


def _values(judging: Judging, aims: Sequence[Aim], mean: float | None, measured: Any) -> tuple[float, ...]:
    return (np.nan if mean is None else judging.sign * mean, *turned(aims, measured or {}))


def _rises(covered: Array) -> list[tuple[int, float]]:
    """Where it rose, and the end."""
    return [
        (count, float(share))
        for count, share in enumerate(covered, 1)
        if count == len(covered) or count == 1 or share > covered[count - 2]
    ]
