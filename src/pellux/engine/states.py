"""The states that searches, trials and fits pass through, and which changes are legal: tables, and nothing else decides it."""

from __future__ import annotations

from collections.abc import Mapping
from enum import StrEnum
from typing import Any, TypeVar

from pellux.core.errors import Conflict


class IllegalTransition(Conflict):
    """A change of state, or an event, that the present state does not allow."""

    code = "illegal-transition"


class _State(StrEnum):
    """A state that knows its table, since both are asked for at every event."""

    after: frozenset[Any]  # the states that can be reached from here in one step
    ended: bool


class SearchState(_State):
    DRAFT = "draft"
    RUNNING = "running"
    PAUSED = "paused"
    FINISHED = "finished"
    STOPPED = "stopped"
    FAILED = "failed"


class TrialState(_State):
    DUE = "due"
    RUNNING = "running"
    PARKED = "parked"
    SCORED = "scored"
    ENDED_EARLY = "ended early"
    FAILED = "failed"
    WITHDRAWN = "withdrawn"


class FitState(_State):
    QUEUED = "queued"
    RUNNING = "running"
    DONE = "done"
    CUT = "cut"
    LOST = "lost"
    ERROR = "error"
    TOO_LONG = "too long"
    TOO_LARGE = "too large"


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
    T.DUE: frozenset({T.RUNNING, T.FAILED, T.WITHDRAWN}),
    T.RUNNING: frozenset({T.PARKED, T.SCORED, T.ENDED_EARLY, T.FAILED, T.WITHDRAWN}),
    T.PARKED: frozenset({T.RUNNING, T.ENDED_EARLY, T.WITHDRAWN}),
    T.SCORED: frozenset(),
    T.ENDED_EARLY: frozenset(),
    T.FAILED: frozenset(),
    T.WITHDRAWN: frozenset(),
}
FIT: Mapping[FitState, frozenset[FitState]] = {
    F.QUEUED: frozenset({F.RUNNING, F.CUT}),
    F.RUNNING: frozenset({F.QUEUED, F.DONE, F.CUT, F.LOST, F.ERROR, F.TOO_LONG, F.TOO_LARGE}),
    F.DONE: frozenset(),
    F.CUT: frozenset(),
    F.LOST: frozenset(),
    F.ERROR: frozenset(),
    F.TOO_LONG: frozenset(),
    F.TOO_LARGE: frozenset(),
}

for table in (SEARCH, TRIAL, FIT):
    for state, after in table.items():
        state.after, state.ended = after, not after

State = TypeVar("State", SearchState, TrialState, FitState)


def moved(now: State, to: State, what: str, *names: object) -> State:
    """`to`, if it can be reached from here in one step or is here already; IllegalTransition otherwise.

    `what` names what has the state, with places for `names`: it is written out only when something is wrong.
    """
    if to is not now and to not in now.after:
        raise IllegalTransition(f"{what.format(*names)} is {now.value} and cannot become {to.value}.")
    return to
