"""What is shown of each object: the one schema behind HTTP, its OpenAPI document and the TypeScript types."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict

ScalarValue = bool | int | float | str


class View(BaseModel):
    model_config = ConfigDict(extra="forbid", serialize_by_alias=True)


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


class OwnCodeView(View):
    """A person's own learner or metric, as it was brought."""

    key: str
    kind: Literal["learner", "metric"]
    where: str
    sentence: str
    tasks: list[str]
    settings: list[str]


class CatalogueView(View):
    metrics: list[MetricView]
    learners: list[LearnerView]
    strategies: list[StrategyView]
    stopping: list[RuleView]


class WorkspaceView(View):
    version: str
    name: str
    cores: int
    busy_workers: int
    workers: int
    fits_per_minute: float
    running: list[int]


class ColumnView(View):
    name: str
    type: Literal["number", "category", "yes/no", "date", "text"]
    missing: int
    distinct: int
    categories: list[str]
    low: float | None
    high: float | None
    whole: bool
    histogram: list[int]
    role: Literal["feature", "ignore"]
    why: str
    note: str
    examples: list[str]


class ReadingView(View):
    """How a file was read, and what may be wrong about it."""

    format: str
    encoding: str
    delimiter: str
    quote: str
    decimal: str
    types: dict[str, str]
    notes: list[str]


class DataView(View):
    hash: str
    name: str
    rows: int
    columns: list[ColumnView]
    source: str
    reading: ReadingView


class ProgressView(View):
    """How far an import is, from 0 to 1; null when it is not known under this token."""

    share: float | None


class FindingView(View):
    """A warning of the leak check."""

    kind: str
    column: str
    words: str


class BaselineView(View):
    """A learner's default configuration, scored or on its way."""

    learner: str
    label: str
    trial_id: int
    search: int
    state: str
    reason: str
    score: float | None
    error: float | None
    folds: list[float | None]
    seconds: float


class DataSummary(View):
    hash: str
    name: str
    rows: int
    columns: int
    created_at: float


class SplitPart(View):
    name: str
    rows: int
    learnt: int
    balance: list[float]


class SplitView(View):
    parts: list[SplitPart]
    unused: int
    only_learnt: int
    stripe: list[int]
    stripe_by: Literal["file", "time"]


class BriefView(View):
    data: str
    target: str
    features: list[str]
    task: str
    classes: list[str]
    metric: str
    metric_label: str
    larger_is_better: bool
    folds: int
    split: str
    split_label: str
    holdout: float
    seed: int
    repeats: int
    gap: float
    holdout_by: str
    fits: int
    group: str
    time: str
    fold: str
    weight: str
    recorded: list[str]


class PreviewView(View):
    brief: BriefView
    split: SplitView
    suited_metrics: list[str]
    suited_learners: list[str]
    findings: list[FindingView]


class BestView(View):
    trial_id: int
    search: int
    number: int
    score: float
    error: float | None
    folds: list[float]


class ProblemView(View):
    id: int
    name: str
    frozen: bool
    derived_from: int | None
    tags: list[str]
    created_at: float
    rows: int
    data_name: str
    brief: BriefView
    searches: int
    running: int
    trials: int
    best: BestView | None
    baseline: BestView | None
    spark: list[float]
    decided: bool


class Counts(View):
    waiting: int
    running: int
    parked: int
    scored: int
    pruned: int
    failed: int
    withdrawn: int


class FitCounts(View):
    """Fits done, and whole fits that pruning made needless, with the seconds that they would have taken."""

    run: int
    spared: int
    seconds_spared: float
    work_spared: float


class StoppingView(View):
    """Early stopping as it was resolved: rule, why, what grows, and the amounts at which verdicts fall."""

    key: str
    label: str
    reason: str
    resource: str
    levels: list[int]
    settings: dict[str, ScalarValue]


class RungView(View):
    """Who came to a rung, and what became of them there."""

    bracket: int
    rung: int
    level: int
    reached: int
    done: int
    parked: int
    pruned: int
    running: int


class CurvesView(View):
    """Trials column-wise, each with its score along the resource."""

    resource: str
    levels: list[int]
    population: bool
    numbers: list[int]
    ids: list[int]
    states: list[str]
    origins: list[str]
    reasons: list[str]
    flat: list[bool]
    members: list[int]
    rungs: list[int]
    parents: list[int | None]
    best_iterations: list[int | None]
    best: list[bool]
    xs: list[list[int]]
    ys: list[list[float]]
    ladder: list[RungView]


class RecheckedView(View):
    trial_id: int
    number: int
    reason: str
    mean: float | None
    error: float | None
    state: str


class SafetyView(View):
    """Pruned trials that were run in full: `wrong` would have won, `close` were within one standard error of the best.

    `at_most` bounds the share of wrong prunings with 95 % confidence.
    """

    pruned: int
    checked: int
    running: int
    wrong: int
    close: int
    at_most: float | None
    best: float | None
    trials: list[RecheckedView]


class SearchView(View):
    id: int
    problem_id: int
    number: int
    kind: Literal["search", "re-judge", "safety check", "baselines"]
    folds: int
    learner: str
    space: str
    parameters: list[dict[str, Any]]
    configurations: int | None
    strategy: str
    chosen_by: str
    strategy_reason: str
    overrides: list[str]
    warm_start: str | list[int]
    target_score: float | None
    no_gain_in: int | None
    early_stopping: str
    stopping: StoppingView
    budget_trials: int
    budget_minutes: float | None
    seed: int
    workers: int
    state: str
    reason: str
    halted: str | None
    created_at: float
    ended_at: float | None
    active_seconds: float
    busy_seconds: float
    seconds_left: float | None
    trials: Counts
    fits: FitCounts
    best: BestView | None
    baseline: BestView | None
    newest_entry: int


class TrialRow(View):
    id: int
    search_id: int
    number: int
    origin: str
    state: str
    reason: str
    configuration: dict[str, ScalarValue]
    scores: list[float | None]
    mean: float | None
    error: float | None
    seconds: float
    seen: int
    pending: int
    created_at: float
    ended_at: float | None
    note: str
    tags: list[str]
    shortlisted: bool
    bracket: int
    rung: int
    best_iteration: int | None
    parent: int | None
    member: int
    share: float


class TrialPage(View):
    total: int
    offset: int
    trials: list[TrialRow]


class FitView(View):
    trial: int
    fold: int
    rung: int
    state: str
    attempt: int
    lane: int | None
    started_at: float | None
    ended_at: float | None
    score: float | None
    seconds: float
    message: str


class FitDetail(FitView):
    predict_seconds: float
    log: str
    warnings: list[str]
    recorded: dict[str, float]


class FoldCurve(View):
    fold: int
    iterations: list[int]
    scores: list[float]


class TrialDetail(TrialRow):
    search_number: int
    problem_id: int
    learner: str
    metric_label: str
    seed: int
    fits: list[FitDetail]
    baseline: TrialRow | None
    best: TrialRow | None
    defaults: dict[str, ScalarValue]
    data_hash: str
    folds_hash: str
    versions: dict[str, str]
    source_id: int | None
    final: dict[str, Any]
    counter: str | None
    curves: list[FoldCurve]


class LanesView(View):
    fits: list[FitView]
    now: float


class PointsView(View):
    """Every ended trial of a search, a list a column."""

    numbers: list[int]
    ids: list[int]
    states: list[str]
    origins: list[str]
    means: list[float | None]
    errors: list[float | None]
    seconds: list[float]
    ended_at: list[float | None]
    values: dict[str, list[ScalarValue | None]]


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


class ForecastView(View):
    """What a search would do. Seconds are None until a fit's cost is known; low and high hold 80 % of the likely."""

    configurations: int | None
    trials: int
    folds: int
    fits: int
    workers: int
    strategy: str
    reason: str
    starts: int
    short_sighted: float
    fit_seconds: float | None
    seconds: float | None
    seconds_low: float | None
    seconds_high: float | None
    costs_known: int
    known: int
    knowable: int
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
    rows: int
    best: float


class ConfigurationView(View):
    format: str
    text: str


class ProblemDocument(View):
    """RFC 9457 problem document."""

    type: str
    title: str
    status: int
    detail: str
    field: str | None
    trace: str | None = None
