"""Face-offs: what is asked for and what is shown."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from pellux.service.planning.request import Request, Seed
from pellux.service.planning.requests import PlanFile, SearchRequest
from pellux.service.schemas import View

FaceOffState = Literal["running", "paused", "stopped", "done", "failed"]
Mode = Literal["fitted", "replayed"]
Budget = Literal["trials", "fits", "seconds"]


class EntrantRequest(Request):
    """A way to search."""

    strategy: str = Field("automatic", max_length=60)
    early_stopping: str = Field("none", alias="early stopping", max_length=60)
    workers: int | None = Field(None, ge=1, le=64, description="The search's own by default.")


class EntrantsRequest(Request):
    """Two to eight ways to search, and what all of them get."""

    entrants: list[EntrantRequest] = Field(min_length=2, max_length=8)
    mode: Mode = Field("fitted", description="With real fits, or replayed on a model of the trials so far.")
    budget: Budget = Field("trials", description="What all entrants get the same of.")
    amount: int = Field(30, ge=2, le=100_000)
    repeats: int = Field(6, ge=1, le=20, description="With other seeds; fewer than six can not tell a difference from luck.")
    seed: Seed = 1

    def fields(self) -> dict[str, Any]:
        """What makes another request with the same entrants."""
        return {name: getattr(self, name) for name in EntrantsRequest.model_fields}


class FaceOffRequest(EntrantsRequest):
    """Two to eight ways to search, over the space and with the learner of a search, or of one that was never run."""

    search: int | None = Field(None, description="The id of the search whose space, learner and limits of a fit are taken.")
    over: SearchRequest | None = Field(None, description="In place of a search: the same of one that need not be run.")


class PlannedFaceOffRequest(EntrantsRequest):
    """The same over a plan, whose problem is framed if it is not known; its data are imported already."""

    plan: PlanFile


class FaceOffStateRequest(Request):
    state: Literal["running", "paused", "stopped"]


class FaceLineView(View):
    """Median of the best so far over repeats and its quartiles, in the metric's own direction; null where too few have a score."""

    at: list[float]
    median: list[float | None]
    low: list[float | None]
    high: list[float | None]


class StandingView(View):
    """What an entrant came to."""

    strategy: str
    early_stopping: str
    workers: int
    done: int = Field(description="Repeats that have ended.")
    by_trials: FaceLineView
    by_seconds: FaceLineView
    finals: list[float]
    mean: float | None
    error: float | None
    spread: float | None
    beats: list[float | None] = Field(description="Share of repeats in which it ended ahead of each entrant; null against itself.")
    to_level: float | None = Field(description="Median seconds to the level that every entrant reaches.")
    grounded: float = Field(description="Share of its time in trials that never left the ground.")


class FaceOffView(View):
    """A face-off as it stands."""

    id: int
    problem_id: int
    search_id: int | None = Field(description="The search over whose space it is; null where it was given a space of its own.")
    state: FaceOffState
    message: str
    mode: Mode
    budget: Budget
    amount: int
    repeats: int
    seed: int
    created_at: float
    done: int = Field(description="Runs that have ended.")
    planned: int
    running: int | None = Field(description="The id of the run that is under way.")
    level: float | None
    standings: list[StandingView]
    sentence: str = Field(description="What may be concluded, and what may not.")
    baseline: float | None
