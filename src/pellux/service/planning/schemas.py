"""What is shown of plans, spaces and forecasts."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from pellux.service.schemas import ScalarValue, View


class MetricView(View):
    key: str
    label: str
    larger_is_better: bool
    needs: str
    tasks: list[str]
    sentence: str


class SettingView(View):
    name: str
    sentence: str
    default: ScalarValue
    domain: str
    limits: str
    cost: str
    tasks: list[str]
    part: Literal["learner", "preparation"]
    cheap: ScalarValue
    line: str


class LearnerView(View):
    key: str
    label: str
    sentence: str
    tasks: list[str]
    settings: list[SettingView]
    counter: str | None
    steerable: list[str]
    missing: bool
    categories: bool
    weights: bool
    installed: bool
    package: str


class RuleSetting(View):
    name: str
    default: int | float
    sentence: str


class RuleView(View):
    """A rule of early stopping, what may grow under it, and its settings."""

    key: str
    label: str
    sentence: str
    resources: list[str]
    settings: list[RuleSetting]


class StrategyView(View):
    key: str
    label: str
    sentence: str
    settings: list[RuleSetting]
    continues: bool
    """Its trials go on from each other, and it ends the weak itself: no rule of early stopping goes with it."""


class CatalogueView(View):
    metrics: list[MetricView]
    learners: list[LearnerView]
    strategies: list[StrategyView]
    stopping: list[RuleView]


class StoppingView(View):
    """Early stopping as it was resolved: rule, why, what grows, and the amounts at which verdicts fall."""

    key: str
    label: str
    reason: str
    resource: str
    levels: list[int]
    settings: dict[str, ScalarValue]


class SpaceView(View):
    """A space in both its forms, or the mistake that keeps it from being one."""

    text: str
    parameters: list[dict[str, Any]] | None
    configurations: int | None
    at_most: int | None
    grid: int | None
    parents: dict[str, str]
    draws: dict[str, list[ScalarValue]]
    error: str | None
    line: int | None
    column: int | None


class SpaceChange(View):
    name: str
    what: Literal["same", "changed", "added", "removed"]
    before: str | None
    after: str | None


class ComparisonView(View):
    """How one space differs from another, a line a parameter or requirement."""

    changes: list[SpaceChange]
    configurations_before: int | None
    configurations_after: int | None


class ForecastRung(View):
    """How many trials will come to a rung."""

    bracket: int
    level: int
    trials: int


class RememberedView(View):
    """An earlier problem that a search learns from: how alike it is, from 0 to 1, and how many of its trials are remembered."""

    problem_id: int
    name: str
    likeness: float
    trials: int


class ForecastView(View):
    """What a search would do. Seconds are None until a fit's cost is known; low and high hold 80 % of the likely."""

    configurations: int | None
    trials: int
    folds: int
    fits: int
    workers: int
    strategy: str
    reason: str
    strategy_settings: dict[str, ScalarValue]
    starts: int
    short_sighted: float
    fit_seconds: float | None
    seconds: float | None
    seconds_low: float | None
    seconds_high: float | None
    costs_known: int
    known: int
    knowable: int
    remembered: list[RememberedView] = Field(description="Earlier problems that the search would learn from, the most alike first.")
    memory: bool = Field(description="Whether there is something to learn from earlier problems when that is switched on.")
    stopping: StoppingView
    rungs: list[ForecastRung]
    work: float


class RehearsalFitView(View):
    what: str
    configuration: dict[str, ScalarValue]
    state: str
    score: float | None
    seconds: float
    message: str


class RehearsalView(View):
    fits: list[RehearsalFitView]
    forecast: ForecastView


class PastResultsView(View):
    """What was added, and how many of the rows were known already and were not added again."""

    rows: int
    best: float
    known: int
