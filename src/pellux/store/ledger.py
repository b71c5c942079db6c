"""The ledger: append-only, and typed. What a reader of the event stream gets is one of these entries, and nothing else.

To add a kind: a payload, a line in `Payloads`, an entry with its `kind`, and its place in `LedgerEntry`.
"""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Annotated, Any, Literal, NamedTuple

from pydantic import Field, TypeAdapter
from sqlalchemy import func, insert, select
from sqlalchemy.orm import Session
from typing_extensions import TypedDict

from pellux.store.models import Ledger

RunKind = Literal["search", "re-judge", "safety check", "baselines", "face-off"]
SearchStateName = Literal["draft", "running", "paused", "finished", "stopped", "failed"]
TrialStateName = Literal["due", "running", "parked", "scored", "ended early", "failed", "withdrawn"]
FitStateName = Literal["queued", "running", "done", "cut", "lost", "error", "too long", "too large"]
Scalar = bool | int | float | str


class SearchChanged(TypedDict):
    """A search, baseline run, re-judging or safety check began or changed its state; `reason` is a sentence."""

    problem_id: int
    run: RunKind
    state: SearchStateName
    reason: str
    active_seconds: float
    workers: int


class TrialChanged(TypedDict):
    """A trial as it is now, but for what people wrote to it; `reason` is a sentence, `reason_code` what it says."""

    id: int
    number: int
    origin: str
    state: TrialStateName
    reason: str
    reason_code: str
    configuration: dict[str, Scalar]
    scores: list[float | None]
    mean: float | None
    standard_error: float | None
    seconds: float
    seen: int
    pending: int
    created_at: float
    ended_at: float | None
    bracket: int
    rung: int
    best_iteration: int | None
    parent: int | None
    member: int
    share: float
    measured: dict[str, float] | None
    keeps: bool | None


class FitChanged(TypedDict):
    """A fit as it is now; `reason` is a sentence."""

    trial: int
    fold: int
    rung: int
    state: FitStateName
    attempt: int
    lane: int | None
    machine: str
    started_at: float | None
    ended_at: float | None
    score: float | None
    seconds: float
    reason: str


class PointsAdded(TypedDict):
    """Further points of a fold's curve: pairs of level and score."""

    trial: int
    fold: int
    points: list[tuple[int, float]]


class AnalysisChanged(TypedDict):
    problem_id: int
    analysis: int
    what: str
    state: Literal["running", "paused", "stopped", "done", "failed"]


class DecisionSigned(TypedDict):
    problem_id: int
    trial_id: int
    decision: int


class ProblemChanged(TypedDict):
    """A problem was made, changed its brief, its name or tags, or what is known of it from elsewhere."""

    problem_id: int
    what: Literal["made", "brief", "label", "past results"]


class RemarksChanged(TypedDict):
    """What people wrote to a trial; of a whole problem when its shortlist was filled by rule."""

    problem_id: int
    trial_id: int | None


Payload = (
    SearchChanged | TrialChanged | FitChanged | PointsAdded | AnalysisChanged | DecisionSigned | ProblemChanged | RemarksChanged
)  # fmt: skip


class _Entry(TypedDict):
    id: int
    at: float
    search_id: int | None


class SearchEntry(_Entry):
    kind: Literal["search"]
    data: SearchChanged


class TrialEntry(_Entry):
    kind: Literal["trial"]
    data: TrialChanged


class FitEntry(_Entry):
    kind: Literal["fit"]
    data: FitChanged


class PointsEntry(_Entry):
    kind: Literal["points"]
    data: PointsAdded


class AnalysisEntry(_Entry):
    kind: Literal["analysis"]
    data: AnalysisChanged


class DecisionEntry(_Entry):
    kind: Literal["decision"]
    data: DecisionSigned


class ProblemEntry(_Entry):
    kind: Literal["problem"]
    data: ProblemChanged


class RemarksEntry(_Entry):
    kind: Literal["remarks"]
    data: RemarksChanged


LedgerEntry = Annotated[
    SearchEntry | TrialEntry | FitEntry | PointsEntry | AnalysisEntry | DecisionEntry | ProblemEntry | RemarksEntry,
    Field(discriminator="kind"),
]
ENTRIES: TypeAdapter[Any] = TypeAdapter(list[LedgerEntry])
Kind = Literal["search", "trial", "fit", "points", "analysis", "decision", "problem", "remarks"]


class New(NamedTuple):
    """An entry that is about to be appended."""

    at: float
    search_id: int | None
    kind: Kind
    data: Payload


_ENCODER = json.JSONEncoder(separators=(",", ":"))  # made once: entries come by the thousand
_APPEND = insert(Ledger)
_NEWEST = select(func.max(Ledger.id))
APPENDED = "ledger"  # in a session's info: it has appended, so readers are woken after its commit (database.py)


def append(session: Session, entries: Sequence[New]) -> None:
    """Append entries; whoever follows the stream gets them once the session's transaction is committed."""
    if not entries:
        return
    rows = [
        {"at": e.at, "search_id": e.search_id, "kind": e.kind, "payload": _ENCODER.encode(e.data)}
        for e in entries
    ]  # fmt: skip
    session.connection().execute(_APPEND, rows)
    session.info[APPENDED] = newest(session)


def newest(session: Session) -> int:
    """The id of the newest entry; 0 when there is none."""
    return session.connection().execute(_NEWEST).scalar() or 0


def newest_time(session: Session) -> float:
    """When the newest entry was written; 0 when there is none."""
    return session.scalar(select(Ledger.at).order_by(Ledger.id.desc()).limit(1)) or 0.0


def after(session: Session, entry: int, search_id: int | None, limit: int) -> list[tuple[int, float, str, int | None, str]]:
    """Entries with an id above `entry`, oldest first: (id, at, kind, search_id, payload text).

    With a search, its own and those of no search; else all.
    """
    statement = select(Ledger.id, Ledger.at, Ledger.kind, Ledger.search_id, Ledger.payload).where(Ledger.id > entry)
    if search_id is not None:
        statement = statement.where((Ledger.search_id == search_id) | Ledger.search_id.is_(None))
    return [tuple(row) for row in session.execute(statement.order_by(Ledger.id).limit(limit))]  # type: ignore[misc]
