"""The tables. What is sorted or filtered by is a column with an index; the rest of an object is JSON."""

from __future__ import annotations

import json
from typing import Any

from sqlalchemy import JSON, ForeignKey, Index, String, Text, TypeDecorator, UniqueConstraint
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

from pellux.core.reasons import NONE, Reason


class ReasonText(TypeDecorator[Reason]):
    """A reason as JSON text; empty for none."""

    impl = String
    cache_ok = True

    def process_bind_param(self, value: Reason | None, dialect: Any) -> str:
        return json.dumps(value.to_json(), separators=(",", ":")) if value else ""

    def process_result_value(self, value: str | None, dialect: Any) -> Reason:
        return Reason.from_json(json.loads(value)) if value else NONE


class Base(DeclarativeBase):
    type_annotation_map = {dict[str, Any]: JSON, list[Any]: JSON, Reason: ReasonText}


class DataFile(Base):
    __tablename__ = "data_file"

    hash: Mapped[str] = mapped_column(primary_key=True)
    name: Mapped[str]
    rows: Mapped[int]
    columns: Mapped[int]
    bytes: Mapped[int]
    created_at: Mapped[float]


class Problem(Base):
    """`objective` says what kind `brief` describes; data and folds are there where it has them."""

    __tablename__ = "problem"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    objective: Mapped[str] = mapped_column(default="table")
    data_hash: Mapped[str | None] = mapped_column(ForeignKey("data_file.hash"))
    brief: Mapped[dict[str, Any]]
    brief_hash: Mapped[str] = mapped_column(index=True)
    folds_hash: Mapped[str | None]
    frozen: Mapped[bool] = mapped_column(default=False)
    derived_from: Mapped[int | None] = mapped_column(ForeignKey("problem.id"))
    tags: Mapped[list[Any]] = mapped_column(default=list)
    created_at: Mapped[float]


class Search(Base):
    __tablename__ = "search"

    id: Mapped[int] = mapped_column(primary_key=True)
    problem_id: Mapped[int] = mapped_column(ForeignKey("problem.id"), index=True)
    number: Mapped[int]
    learner: Mapped[str]
    space: Mapped[str] = mapped_column(Text)
    plan: Mapped[dict[str, Any]]
    plan_hash: Mapped[str] = mapped_column(index=True)
    state: Mapped[str] = mapped_column(index=True)
    reason: Mapped[Reason] = mapped_column(default=NONE)
    workers: Mapped[int]
    active_seconds: Mapped[float] = mapped_column(default=0.0)
    created_at: Mapped[float]
    ended_at: Mapped[float | None]
    versions: Mapped[dict[str, Any]] = mapped_column(default=dict)
    strategy: Mapped[str] = mapped_column(default="random")
    strategy_reason: Mapped[str] = mapped_column(default="")
    overrides: Mapped[list[Any]] = mapped_column(default=list)
    kind: Mapped[str] = mapped_column(default="search")
    stopping: Mapped[dict[str, Any]] = mapped_column(default=dict)
    strategy_settings: Mapped[dict[str, Any]] = mapped_column(default=dict)


class PastResult(Base):
    """A result that somebody brought from elsewhere: known to strategies, never ranked."""

    __tablename__ = "past_result"

    id: Mapped[int] = mapped_column(primary_key=True)
    problem_id: Mapped[int] = mapped_column(ForeignKey("problem.id"), index=True)
    learner: Mapped[str]
    source: Mapped[str]
    configuration: Mapped[dict[str, Any]]
    score: Mapped[float]
    created_at: Mapped[float]


class Lesson(Base):
    """What another problem taught a search, as it was when the search began: `trials` are lists of a configuration and its
    score, then what that is weighed against where several metrics decide; larger is better."""

    __tablename__ = "lesson"

    id: Mapped[int] = mapped_column(primary_key=True)
    search_id: Mapped[int] = mapped_column(ForeignKey("search.id"), index=True)
    problem_id: Mapped[int]
    name: Mapped[str]
    likeness: Mapped[float]
    trials: Mapped[list[Any]]


class RehearsalFit(Base):
    """A fit made before a launch, to see that it works and how long it takes."""

    __tablename__ = "rehearsal_fit"

    id: Mapped[int] = mapped_column(primary_key=True)
    problem_id: Mapped[int] = mapped_column(ForeignKey("problem.id"), index=True)
    learner: Mapped[str]
    configuration: Mapped[dict[str, Any]]
    state: Mapped[str]
    seconds: Mapped[float]
    message: Mapped[str]
    created_at: Mapped[float]


class Trial(Base):
    """`rank_score` is the mean turned so that larger is better: what rankings sort by, whatever the metric; none of a trial that
    breaks a limit of its search. `measured` has what was measured of limited quantities, `keeps` whether all limits are kept; none
    where there are none.

    `learner` is empty where the search's own is meant. `source_id` is the trial that this one judges again.
    `results` has the fold scores of each rung that is complete; `parent` is the number of the trial it goes on from;
    `share` is how much of a whole trial's work was done; `goal` is the one rung that it works on, where it does not climb.
    """

    __tablename__ = "trial"
    __table_args__ = (
        UniqueConstraint("search_id", "number", name="one_number_a_search"),
        Index("trial_ranking", "search_id", "state", "rank_score"),
        Index("trial_tallies", "search_id", "state", "origin", "share", "seconds"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    search_id: Mapped[int] = mapped_column(ForeignKey("search.id"))
    number: Mapped[int]
    origin: Mapped[str]
    state: Mapped[str]
    reason: Mapped[Reason] = mapped_column(default=NONE)
    configuration: Mapped[dict[str, Any]]
    scores: Mapped[list[Any]]
    mean: Mapped[float | None]
    standard_error: Mapped[float | None]
    rank_score: Mapped[float | None]
    seconds: Mapped[float] = mapped_column(default=0.0)
    seen: Mapped[int] = mapped_column(default=0)
    pending: Mapped[int] = mapped_column(default=0)
    created_at: Mapped[float]
    ended_at: Mapped[float | None]
    note: Mapped[str] = mapped_column(default="")
    tags: Mapped[list[Any]] = mapped_column(default=list)
    shortlisted: Mapped[bool] = mapped_column(default=False)
    learner: Mapped[str] = mapped_column(default="")
    source_id: Mapped[int | None] = mapped_column(ForeignKey("trial.id"), index=True)
    bracket: Mapped[int] = mapped_column(default=0)
    cohort: Mapped[int] = mapped_column(default=0)
    rung: Mapped[int] = mapped_column(default=0)
    results: Mapped[dict[str, Any]] = mapped_column(default=dict)
    best_iteration: Mapped[int | None]
    parent: Mapped[int | None]
    share: Mapped[float] = mapped_column(default=0.0)
    goal: Mapped[int | None]
    measured: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    keeps: Mapped[bool | None]


class Fit(Base):
    """`recorded` has the scores by other metrics than the one that decides."""

    __tablename__ = "fit"
    __table_args__ = (Index("fit_tallies", "search_id", "state", "seconds"), {"sqlite_with_rowid": False})

    search_id: Mapped[int] = mapped_column(ForeignKey("search.id"), primary_key=True)
    trial: Mapped[int] = mapped_column(primary_key=True)
    fold: Mapped[int] = mapped_column(primary_key=True)
    rung: Mapped[int] = mapped_column(primary_key=True, default=0)
    state: Mapped[str]
    attempt: Mapped[int]
    lane: Mapped[int | None]
    machine: Mapped[str] = mapped_column(default="", server_default="")
    started_at: Mapped[float | None]
    ended_at: Mapped[float | None]
    score: Mapped[float | None]
    seconds: Mapped[float]
    predict_seconds: Mapped[float]
    reason: Mapped[Reason]
    log: Mapped[str] = mapped_column(Text)
    warnings: Mapped[list[Any]]
    model_bytes: Mapped[int | None]
    recorded: Mapped[dict[str, Any]] = mapped_column(default=dict)


class Point(Base):
    """A point of a fold's learning curve."""

    __tablename__ = "point"
    __table_args__ = {"sqlite_with_rowid": False}

    search_id: Mapped[int] = mapped_column(ForeignKey("search.id"), primary_key=True)
    trial: Mapped[int] = mapped_column(primary_key=True)
    fold: Mapped[int] = mapped_column(primary_key=True)
    iteration: Mapped[int] = mapped_column(primary_key=True)
    score: Mapped[float]


class Prediction(Base):
    """What a scored trial predicted for the test rows of one fold, encoded (core/judging/predictions.py)."""

    __tablename__ = "prediction"
    __table_args__ = (UniqueConstraint("search_id", "trial", "fold", name="one_prediction_a_fit"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    search_id: Mapped[int] = mapped_column(ForeignKey("search.id"))
    trial: Mapped[int]
    fold: Mapped[int]
    data: Mapped[bytes]


class SideScore(Base):
    """A trial's mean score by another metric than the one that decides, computed from its predictions."""

    __tablename__ = "side_score"
    __table_args__ = {"sqlite_with_rowid": False}

    trial_id: Mapped[int] = mapped_column(ForeignKey("trial.id"), primary_key=True)
    metric: Mapped[str] = mapped_column(primary_key=True)
    mean: Mapped[float | None]


class Analysis(Base):
    """A longer computation on a problem's trials, kept with its result; `key` tells what it was asked."""

    __tablename__ = "analysis"
    __table_args__ = (Index("analysis_asked", "problem_id", "kind", "key"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    problem_id: Mapped[int] = mapped_column(ForeignKey("problem.id"))
    kind: Mapped[str]
    key: Mapped[str]
    request: Mapped[dict[str, Any]]
    state: Mapped[str]
    result: Mapped[dict[str, Any] | None]
    message: Mapped[str] = mapped_column(default="")
    created_at: Mapped[float]
    ended_at: Mapped[float | None]


class Ledger(Base):
    """Append-only; `payload` is the JSON text that readers of the event stream get."""

    __tablename__ = "ledger"
    __table_args__ = ({"sqlite_autoincrement": True},)

    id: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[float]
    search_id: Mapped[int | None] = mapped_column(index=True)
    kind: Mapped[str]
    payload: Mapped[str] = mapped_column(Text)


class Decision(Base):
    """A choice of one trial. A later one supersedes it; triggers refuse every change of a row.

    `record` holds all that the choice rests on, `fingerprint` its SHA-256.
    """

    __tablename__ = "decision"

    id: Mapped[int] = mapped_column(primary_key=True)
    problem_id: Mapped[int] = mapped_column(ForeignKey("problem.id"), index=True)
    trial_id: Mapped[int] = mapped_column(ForeignKey("trial.id"))
    rule: Mapped[str]
    reason: Mapped[str]
    signer: Mapped[str]
    created_at: Mapped[float]
    record: Mapped[dict[str, Any]] = mapped_column(default=dict)
    fingerprint: Mapped[str] = mapped_column(default="")
