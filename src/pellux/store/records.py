"""What repositories give: plain objects, as they stand in the database at that moment. Changing one changes nothing there."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, fields
from functools import cache
from typing import Any

from pellux.core.reasons import NONE, Reason
from pellux.store import models


@dataclass(frozen=True, slots=True)
class DataFile:
    """An imported file; `hash` is of its content and of how it was read."""

    hash: str
    name: str
    rows: int
    columns: int
    bytes: int
    created_at: float


@dataclass(frozen=True, slots=True)
class Problem:
    """`brief` is the stored form of its objective, of the kind `objective`."""

    id: int
    name: str
    objective: str
    data_hash: str | None
    brief: Mapping[str, Any]
    brief_hash: str
    folds_hash: str | None
    frozen: bool
    derived_from: int | None
    tags: list[str]
    created_at: float


@dataclass(frozen=True, slots=True)
class Search:
    """A search, a run of baselines, a re-judging or a safety check: `kind` says which."""

    id: int
    problem_id: int
    number: int
    learner: str
    space: str
    plan: dict[str, Any]
    plan_hash: str
    state: str
    reason: Reason
    workers: int
    active_seconds: float
    created_at: float
    ended_at: float | None
    versions: dict[str, str]
    strategy: str
    strategy_reason: str
    strategy_settings: dict[str, Any]
    overrides: list[str]
    kind: str
    stopping: dict[str, Any]


@dataclass(frozen=True, slots=True)
class Trial:
    """A trial; what its fields mean stands in store/models.py and engine/model.py."""

    id: int
    search_id: int
    number: int
    origin: str
    state: str
    reason: Reason
    configuration: dict[str, Any]
    scores: list[float | None]
    mean: float | None
    standard_error: float | None
    rank_score: float | None
    seconds: float
    seen: int
    pending: int
    created_at: float
    ended_at: float | None
    note: str
    tags: list[str]
    shortlisted: bool
    learner: str
    source_id: int | None
    bracket: int
    cohort: int
    rung: int
    results: dict[str, list[float | None]]
    best_iteration: int | None
    parent: int | None
    share: float
    goal: int | None
    measured: dict[str, float] | None
    keeps: bool | None


@dataclass(frozen=True, slots=True)
class NewTrial:
    """A trial that is known when its run is made."""

    number: int
    origin: str
    configuration: Mapping[str, Any]
    learner: str = ""
    source_id: int | None = None


@dataclass(frozen=True, slots=True)
class Fit:
    search_id: int
    trial: int
    fold: int
    rung: int
    state: str
    attempt: int
    lane: int | None
    machine: str
    started_at: float | None
    ended_at: float | None
    score: float | None
    seconds: float
    predict_seconds: float
    reason: Reason
    log: str
    warnings: list[str]
    model_bytes: int | None
    recorded: dict[str, float]


@dataclass(frozen=True, slots=True)
class PastResult:
    problem_id: int
    learner: str
    source: str
    configuration: dict[str, Any]
    score: float
    created_at: float


KeptTrial = tuple[Any, ...]  # a configuration and numbers


@dataclass(frozen=True, slots=True)
class KeptLesson:
    """What a problem taught a search: its name then, how alike it was, and of each trial the configuration and the score, then what the
    score is weighed against; larger is better."""

    problem_id: int
    name: str
    likeness: float
    trials: list[KeptTrial]


@dataclass(frozen=True, slots=True)
class RehearsalFit:
    problem_id: int
    learner: str
    configuration: dict[str, Any]
    state: str
    seconds: float
    message: str
    created_at: float


@dataclass(frozen=True, slots=True)
class Analysis:
    id: int
    problem_id: int
    kind: str
    key: str
    request: dict[str, Any]
    state: str
    result: dict[str, Any] | None
    message: str
    created_at: float
    ended_at: float | None


@dataclass(frozen=True, slots=True)
class Decision:
    id: int
    problem_id: int
    trial_id: int
    rule: str
    reason: str
    signer: str
    created_at: float
    record: dict[str, Any]
    fingerprint: str


TABLES: dict[type[Any], type[models.Base]] = {
    DataFile: models.DataFile, Problem: models.Problem, Search: models.Search, Trial: models.Trial, Fit: models.Fit,
    PastResult: models.PastResult, RehearsalFit: models.RehearsalFit, KeptLesson: models.Lesson, Analysis: models.Analysis, Decision: models.Decision,
}  # fmt: skip


@cache
def columns(kind: type[Any]) -> tuple[Any, ...]:
    """The columns to select for a record, in the order of its fields."""
    return tuple(getattr(TABLES[kind], field.name) for field in fields(kind))


__all__ = [
    "NONE", "Analysis", "DataFile", "Decision", "Fit", "KeptLesson", "NewTrial", "PastResult", "Problem", "RehearsalFit", "Search", "Trial",
    "columns",
]  # fmt: skip
