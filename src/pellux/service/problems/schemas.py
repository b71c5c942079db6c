"""What is shown of problems and data."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from pellux.service.schemas import ScalarValue, View


class OwnCodeView(View):
    """A person's own learner or metric, as it was brought."""

    key: str
    kind: Literal["learner", "metric"]
    where: str
    sentence: str
    tasks: list[str]
    settings: list[str]
    warning: str = Field(description="What the first look found that is no reason to refuse it; else empty.")


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


class GrowsView(View):
    what: str
    most: int
    goes_on: bool
    may_change: list[str]


class HoldsView(View):
    cores: int
    devices: int
    memory_mb: int | None


class CodeBriefView(View):
    """A problem whose fits are somebody's own code; `space` is where a new search begins."""

    kind: Literal["program", "function", "outside"]
    label: str
    runs: list[str]
    function: str
    folder: str
    metric: str
    larger_is_better: bool
    pick_out: str
    recorded: list[str]
    smaller: list[str]
    folds: int
    grows: GrowsView | None
    holds: HoldsView
    final: bool
    seed: int
    files: list[str]
    fingerprint: str
    space: str


class ReadView(View):
    """What was read from a line: by which way, at which level if it said one."""

    how: str
    level: int | None
    score: float | None
    others: dict[str, float]


class LookLine(View):
    aside: bool = Field(description="Printed on standard error.")
    text: str
    read: ReadView | None


class LookFile(View):
    name: str
    bytes: int
    kept: bool


class GuessView(View):
    """A score's name, and the pattern that finds it where it is not in a line of JSON."""

    name: str
    pick_out: str


class FirstLookView(View):
    """One real fit before launch: what was printed beside what was read from it. `problem` is empty when it gave a score."""

    configuration: dict[str, ScalarValue]
    level: int
    seconds: float
    how: str
    score: float | None
    curve: list[list[float]]
    recorded: dict[str, float]
    left_out: int
    problem: str
    lines: list[LookLine]
    files: list[LookFile]
    guess: GuessView | None = Field(description="The score that it seems to print.")


class OptionView(View):
    name: str
    setting: str
    sentence: str
    default: str
    choices: list[str]


class HelpView(View):
    """What a program's --help tells: a command with placeholders, a space to begin with, what grows."""

    runs: list[str]
    space: str
    grows: str
    most: int | None
    options: list[OptionView]
    text: str


class QuantityView(View):
    """Something that is measured of every fit and may be limited."""

    measure: str
    larger_is_better: bool


class PreviewView(View):
    brief: BriefView
    quantities: list[QuantityView]
    split: SplitView
    suited_metrics: list[str]
    suited_learners: list[str]
    findings: list[FindingView]


class BestView(View):
    trial_id: int
    search: int
    number: int
    score: float
    standard_error: float | None
    folds: list[float]


class JudgingView(View):
    """How trials of a problem are judged, whatever its objective: `fits` is folds times repeats."""

    metric: str
    metric_label: str
    larger_is_better: bool
    folds: int
    fits: int
    seed: int
    recorded: list[str]
    quantities: list[QuantityView]
    limits: list[str] = Field(description="What every search of it has to keep that says nothing else.")
    against: list[str] = Field(description="What the score is weighed against in every search of it that says nothing else.")


class ProblemView(View):
    id: int
    name: str
    frozen: bool
    derived_from: int | None
    tags: list[str]
    created_at: float
    rows: int
    data_name: str
    objective: str
    judging: JudgingView
    brief: BriefView | None
    code: CodeBriefView | None
    searches: int
    running: int
    trials: int
    best: BestView | None
    baseline: BestView | None
    spark: list[float]
    decided: bool
