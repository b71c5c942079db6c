"""What is shown of a choice and of all it rests on; part of the one schema behind HTTP."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from pellux.service.schemas import View
from pellux.service.searches.schemas import TrialRow


class ConfigurationView(View):
    format: str
    text: str


class ComparisonToLeader(View):
    """Paired fold scores against the leader's: `difference` in the metric, probabilities that sum to 1."""

    difference: float
    p_value: float
    p_adjusted: float
    better: float
    same: float
    worse: float
    basis: str
    words: str


class MetricComparison(View):
    """Of a metric beside the score, paired fold by fold with the leader's: `difference` in the metric, probabilities that sum to 1."""

    difference: float
    better: float
    same: float
    worse: float


class MetricOfFinalist(View):
    """What a trial has of a metric that decides beside the score."""

    measure: str
    value: float | None
    by_fold: list[float]
    comparison: MetricComparison | None


class RejudgedView(View):
    search_id: int
    mean: float
    standard_error: float | None
    scores: list[float]


class Finalist(View):
    """`fit_seconds` is the mean of its fits, `prediction_seconds` for 1,000 rows."""

    trial: TrialRow
    search_number: int
    learner: str
    is_baseline: bool
    admitted: bool
    fit_seconds: float
    prediction_seconds: float | None
    model_bytes: int | None
    beside: float | None
    comparison: ComparisonToLeader | None
    metrics: list[MetricOfFinalist] = Field(description="Of what the score is weighed against; empty where it decides alone.")
    rejudged: RejudgedView | None


class Suggestion(View):
    """What a rule chooses; `label` is the rule in the words of the metric, as *lowest mean* where smaller is better."""

    rule: str
    label: str
    trial_id: int
    reason: str


class MeasureView(View):
    key: str
    larger_is_better: bool


class FinalistsView(View):
    """`front` are the trials that no other beats in all metrics that decide, or where one decides on both the score and the second
    measure, best score last; `decides` are the metrics that decide together, the score's first."""

    finalists: list[Finalist]
    suggestions: list[Suggestion]
    leader: int | None
    region: float
    cost: str
    measures: list[MeasureView]
    front: list[int]
    beside: str | None
    decides: list[MeasureView] = Field(description="Empty where one metric decides.")
    scored: int
    admitted: int
    predicted: bool = Field(description="Whether trials keep what they predicted, from which an honest score follows.")


class ShortlistView(View):
    shortlisted: int


class AnalysisView(View):
    id: int
    kind: str
    state: Literal["running", "done", "failed"]
    message: str
    created_at: float
    ended_at: float | None


class PlaceView(View):
    """What to expect of a trial that came out near the top: `score` with a 95 % interval, beside `raw` as the search saw it."""

    trial: int
    raw: float
    score: float
    low: float
    high: float


class HonestMetric(View):
    """What to expect of a metric of the trial that is chosen on the front: `score` with a 95 % interval, beside `raw` as the search saw it;
    null ends where it is measured and not predicted, so that drawing rows anew says nothing of it."""

    measure: str
    raw: float
    score: float
    low: float | None
    high: float | None


class HonestScoreView(AnalysisView):
    """Scores in the metric; `wins` are pairs of trial id and the share of rounds in which it was the best.

    `places` tells the same of the best twenty, best first; empty where it was computed before that was kept.
    """

    raw: float | None
    score: float | None
    low: float | None
    high: float | None
    wins: list[tuple[int, float]]
    places: list[PlaceView]
    rounds: int
    trials: int
    without_predictions: int
    contenders: int
    best: int | None
    metrics: list[HonestMetric] = Field(description="Where several metrics decide: of the knee of the front, each metric.")


class ColumnImportanceView(View):
    column: str
    drop: float
    error: float


class ImportanceView(AnalysisView):
    columns: list[ColumnImportanceView]


class TreeNode(View):
    rows: int
    value: float | None
    shares: list[float] | None
    question: str | None
    hidden: int
    yes: TreeNode | None = None
    no: TreeNode | None = None


class TreeView(AnalysisView):
    leaves: int
    depth: int
    classes: list[str]
    root: TreeNode | None


class HoldoutScore(View):
    train: float
    holdout: float
    error: float
    low: float
    high: float


class HoldoutView(AnalysisView):
    """One opening of the holdout, kept for ever."""

    trial_id: int
    trial_name: str
    opener: str
    nth: int
    rows: int
    folds: float | None
    folds_error: float | None
    chosen: HoldoutScore | None
    baseline: HoldoutScore | None
    verdict: str


class CutsView(View):
    """How rows fall at each threshold, from none called positive to all; the first threshold is None: none."""

    threshold: list[float | None]
    hits: list[int]
    false_alarms: list[int]
    positives: int
    negatives: int
    area: float
    average_precision: float


class CalibrationView(View):
    said: float
    came: float
    rows: int


class ClassView(View):
    label: str
    rows: int
    precision: float | None
    recall: float | None
    f1: float | None


class ConfusedView(View):
    true: str
    said: str
    rows: int


class LabelsView(View):
    """Rows by true and predicted class; the whole matrix for up to 20 classes, the largest mistakes always."""

    confusion: list[list[int]] | None
    classes: list[ClassView]
    confused: list[ConfusedView]


class ResidualsView(View):
    """Some rows as dots; quantiles (5, 25, 50, 75, 95 %) and mean of actual minus predicted over all rows."""

    predicted: list[float]
    actual: list[float]
    quantiles: list[float]
    mean: float
    rows: int


class PredictionsView(View):
    trial_id: int
    name: str
    missing: str
    cuts: CutsView | None
    calibration: list[CalibrationView]
    labels: LabelsView | None
    residuals: ResidualsView | None


class MetricPair(View):
    key: str
    larger_is_better: bool
    decides: bool
    trial: float | None
    baseline: float | None


class DiagnosticsView(View):
    task: str
    classes: list[str]
    rows: int
    trial: PredictionsView
    baseline: PredictionsView | None
    metrics: list[MetricPair]


class TakeawayFile(View):
    """A file of a decision: ready, being made, or with the reason why there is none."""

    name: str
    sentence: str
    state: Literal["ready", "making", "none"]
    message: str
    bytes: int | None


class DecisionView(View):
    """A signed choice. `superseded_by` is the id of the decision that took its place."""

    id: int
    problem_id: int
    problem_name: str
    trial_id: int
    trial_number: int
    trial_name: str
    search_number: int
    learner: str
    rule: str
    reason: str
    signer: str
    created_at: float
    configuration: dict[str, Any]
    metric_label: str
    mean: float | None
    standard_error: float | None
    fingerprint: str
    superseded_by: int | None


class DecisionDetail(DecisionView):
    record: dict[str, Any]
    files: list[TakeawayFile]


TreeNode.model_rebuild()
