"""The states that searches, trials and fits pass through, and which changes are legal: tables, and nothing else decides it."""

from __future__ import annotations

from collections.abc import Mapping
from enum import StrEnum
from typing import TypeVar

from pellux.core.errors import Conflict


class IllegalTransition(Conflict):
    """A change of state, or an event, that the present state does not allow."""

    code = "illegal-transition"


class SearchState(StrEnum):
    DRAFT = "draft"
    RUNNING = "running"
    PAUSED = "paused"
    FINISHED = "finished"
    STOPPED = "stopped"
    FAILED = "failed"

    @property
    def ended(self) -> bool:
        return not SEARCH[self]


class TrialState(StrEnum):
    WAITING = "waiting"
    RUNNING = "running"
    PARKED = "parked"
    SCORED = "scored"
    PRUNED = "pruned"
    FAILED = "failed"
    WITHDRAWN = "withdrawn"

    @property
    def ended(self) -> bool:
        return not TRIAL[self]


class FitState(StrEnum):
    QUEUED = "queued"
    RUNNING = "running"
    DONE = "done"
    CUT = "cut"
    LOST = "lost"
    ERROR = "error"
    TIMEOUT = "timeout"
    MEMORY = "memory"

    @property
    def ended(self) -> bool:
        return not FIT[self]


S, T, F = SearchState, TrialState, FitState
SEARCH: Mapping[SearchState, frozenset[SearchState]] = {
    S.DRAFT: frozenset({S.RUNNING}),
    S.RUNNING: frozenset({S.PAUSED, S.FINISHED, S.STOPPED, S.FAILED}),
    S.PAUSED: frozenset({S.RUNNING, S.STOPPED, S.FAILED}),
    S.FINISHED: frozenset(),
    S.STOPPED: frozenset(),
    S.FAILED: frozenset(),
}
TRIAL: Mapping[TrialState, frozenset[TrialState]] = {
    T.WAITING: frozenset({T.RUNNING, T.FAILED, T.WITHDRAWN}),
    T.RUNNING: frozenset({T.PARKED, T.SCORED, T.PRUNED, T.FAILED, T.WITHDRAWN}),
    T.PARKED: frozenset({T.RUNNING, T.PRUNED, T.WITHDRAWN}),
    T.SCORED: frozenset(),
    T.PRUNED: frozenset(),
    T.FAILED: frozenset(),
    T.WITHDRAWN: frozenset(),
}
FIT: Mapping[FitState, frozenset[FitState]] = {
    F.QUEUED: frozenset({F.RUNNING, F.CUT}),
    F.RUNNING: frozenset({F.QUEUED, F.DONE, F.CUT, F.LOST, F.ERROR, F.TIMEOUT, F.MEMORY}),
    F.DONE: frozenset(),
    F.CUT: frozenset(),
    F.LOST: frozenset(),
    F.ERROR: frozenset(),
    F.TIMEOUT: frozenset(),
    F.MEMORY: frozenset(),
}

State = TypeVar("State", SearchState, TrialState, FitState)


def moved(now: State, to: State, what: str) -> State:
    """`to`, if it can be reached from here in one step or is here already; IllegalTransition otherwise."""
    table: Mapping[State, frozenset[State]] = {SearchState: SEARCH, TrialState: TRIAL, FitState: FIT}[type(now)]  # type: ignore[assignment]
    if to is not now and to not in table[now]:
        raise IllegalTransition(f"{what} is {now.value} and cannot become {to.value}.")
    return to
