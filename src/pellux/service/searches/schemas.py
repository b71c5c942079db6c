"""What is shown of searches and trials."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from pellux.service.planning.requests import Request
from pellux.service.planning.schemas import RememberedView, StoppingView
from pellux.service.problems.schemas import BestView
from pellux.service.schemas import ScalarValue, View
from pellux.store.ledger import FitStateName, RunKind, SearchStateName, TrialStateName


class BaselineView(View):
    """A learner's default configuration, scored or on its way."""

    learner: str
    label: str
    trial_id: int
    search: int
    state: str
    reason: str
    score: float | None
    standard_error: float | None
    folds: list[float | None]
    seconds: float


class Counts(View):
    due: int
    running: int
    parked: int
    scored: int
    ended_early: int
    failed: int
    withdrawn: int


class FitCounts(View):
    """Fits done, and whole fits that pruning made needless, with the seconds that they would have taken."""

    run: int
    spared: int
    seconds_spared: float
    work_spared: float


class RungView(View):
    """Who came to a rung, and what became of them there."""

    bracket: int
    rung: int
    level: int
    reached: int
    done: int
    parked: int
    ended_early: int
    running: int


class OpenCurve(View):
    """The curve of one fold of a trial that lives: what its mean is made of, for those who go on drawing it."""

    trial: int
    fold: int
    iterations: list[int]
    scores: list[float]


class CurvesView(View):
    """Trials column-wise, each with its score along the resource.

    `effects` are what each fold adds to the scores of all; where folds grow they are taken off.
    """

    resource: str
    levels: list[int]
    population: bool
    larger_is_better: bool
    folds: int
    numbers: list[int]
    ids: list[int]
    states: list[TrialStateName]
    origins: list[str]
    reasons: list[str]
    flat: list[bool]
    members: list[int]
    rungs: list[int]
    parents: list[int | None]
    best_iterations: list[int | None]
    best: list[bool]
    means: list[float | None]
    effects: list[float]
    open: list[OpenCurve]
    xs: list[list[int]]
    ys: list[list[float]]
    ladder: list[RungView]


class RecheckedView(View):
    trial_id: int
    number: int
    reason: str
    mean: float | None
    standard_error: float | None
    state: str


class SafetyView(View):
    """Pruned trials that were run in full: `wrong` would have won, `close` were within one standard error of the best.

    `at_most` bounds the share of wrong prunings with 95 % confidence.
    """

    ended_early: int
    checked: int
    running: int
    wrong: int
    close: int
    at_most: float | None
    best: float | None
    trials: list[RecheckedView]


class AskedView(View):
    """A plan as it was asked for: what was left to be chosen is 'automatic', what was left open is null."""

    strategy: str
    strategy_settings: dict[str, ScalarValue]
    early_stopping: str
    stopping: dict[str, ScalarValue]
    trials: int
    minutes: float | None
    target_score: float | None
    no_gain_in: int | None
    limits: list[str] | None
    against: list[str] | None
    workers: int | Literal["all"] | None
    cluster: str = Field(description="Address of the scheduler whose machines do its fits; empty for the server's own.")
    seed: int
    warm_start: str | list[int]
    memory: bool


class AimView(View):
    """A metric that decides, with others; `measure` is the score's own or what it is weighed against."""

    measure: str
    larger_is_better: bool


class LimitView(View):
    """`text` is the limit as people write it."""

    text: str
    measure: str
    at_least: bool
    bound: float


class SearchView(View):
    """`keeping` is how many scored trials keep all limits, null without limits; `asked` is the plan as it was asked for, to begin the next one with; `baseline` is the best of the problem."""

    id: int
    problem_id: int
    number: int
    kind: RunKind
    folds: int
    learner: str
    space: str
    parameters: list[dict[str, Any]]
    configurations: int | None
    strategy: str
    chosen_by: str
    strategy_reason: str
    strategy_settings: dict[str, ScalarValue]
    overrides: list[str]
    warm_start: str | list[int]
    remembered: list[RememberedView] = Field(description="Earlier problems that it learns from, as they were when it began.")
    target_score: float | None
    no_gain_in: int | None
    limits: list[LimitView]
    keeping: int | None
    against: list[AimView] = Field(description="What the score is weighed against; empty where it decides alone.")
    early_stopping: str
    stopping: StoppingView
    budget_trials: int
    budget_minutes: float | None
    asked: AskedView
    seed: int
    workers: int
    state: SearchStateName
    reason: str
    halted: str | None
    waits_for: str  # what keeps it from going on for a while, by itself: the database is locked, the disk is full
    created_at: float
    ended_at: float | None
    active_seconds: float
    busy_seconds: float
    seconds_left: float | None
    trials: Counts
    budgeted: int  # ended trials that count against budget_trials
    by_hand: int  # ended trials that a person asked for, beside the budget
    fits: FitCounts
    best: BestView | None
    baseline: BestView | None
    newest_entry: int


class TrialRow(View):
    id: int
    search_id: int
    number: int
    origin: str
    state: TrialStateName
    reason: str
    reason_code: str
    configuration: dict[str, ScalarValue]
    scores: list[float | None]
    mean: float | None
    standard_error: float | None
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
    measured: dict[str, float] | None = Field(
        description="Means over folds of the quantities that its search has limits on, or weighs the score against."
    )
    keeps: bool | None = Field(description="Whether it keeps all limits of its search; null where there are none.")


class PageQuery(Request):
    offset: int = Field(0, ge=0)
    limit: int = Field(100, ge=1, le=1000)
    sort: str = Field(
        "number", description="number, mean, score, error, seconds, state, seen, search, a parameter, or a recorded metric."
    )
    descending: bool = False
    where: str = Field("", description="Comparisons parted by commas: 'state = scored, rate < 0.1'.")
    among: str = Field(
        "", pattern=r"^(\d{1,15}(,\d{1,15})*)?$", max_length=8000, description="Only these trials: ids parted by commas."
    )


class PagedTrial(TrialRow):
    """A trial as it stands in a table: `recorded` are the means over folds of the metrics beside the one that decides."""

    search_number: int
    recorded: dict[str, float]


class TrialPage(View):
    """`settings` are the parameters of the spaces that the trials are of."""

    total: int
    offset: int
    trials: list[PagedTrial]
    settings: list[str]


class FitView(View):
    trial: int
    fold: int
    rung: int
    state: FitStateName
    attempt: int
    lane: int | None
    machine: str = Field(description="Where it ran on a cluster; empty for the server's own machine.")
    started_at: float | None
    ended_at: float | None
    score: float | None
    seconds: float
    reason: str


class FitDetail(FitView):
    predict_seconds: float
    log: str
    warnings: list[str]
    recorded: dict[str, float]


class FoldCurve(View):
    fold: int
    iterations: list[int]
    scores: list[float]


class KeptFile(View):
    """A file that a fit kept; `shown` says whether it is a picture or a text."""

    fold: int
    name: str
    bytes: int
    shown: str


class KeptLimit(View):
    """A limit beside what was measured of a trial; `error` is the standard error over its folds."""

    text: str
    measure: str
    measured: float | None
    error: float | None
    keeps: bool | None


class TrialDetail(TrialRow):
    limits: list[KeptLimit]
    search_number: int
    problem_id: int
    learner: str
    metric_label: str
    seed: int
    fits: list[FitDetail]
    baseline: TrialRow | None
    best: TrialRow | None
    defaults: dict[str, ScalarValue]
    data_hash: str | None
    folds_hash: str | None
    versions: dict[str, str]
    source_id: int | None
    final: dict[str, Any]
    counter: str | None
    curves: list[FoldCurve]
    command: list[str] = Field(description="Of a program: the command that runs this trial, as it is typed; empty for all else.")
    kept: list[KeptFile]


class LaneView(View):
    """A lane of a search on a cluster: its machine and the devices it has there, or why it has none."""

    lane: int
    machine: str
    waits: str
    devices: list[str]


class WaitingView(View):
    """Where workers are and what they wait for."""

    lanes: list[LaneView] = Field(description="Of a search on a cluster; empty for one that runs here.")
    idle: str = Field(description="Why workers that have a place have nothing to do; empty where fits wait for them.")
    busy: float | None = Field(
        description="Workers that fitted at once, on average over the last minute; null before it can be said."
    )
    suggested: int | None = Field(description="Workers that it can really use, where that is another number.")
    advice: str


class LaneDevices(View):
    lane: int
    devices: list[str]


class LanesView(View):
    fits: list[FitView]
    now: float
    devices: list[LaneDevices] = Field(description="Which devices are a lane's alone, where fits hold any.")


class FrontPoint(View):
    """`values` are the score and what it is weighed against, each in its own direction; null where it was not measured."""

    trial_id: int
    number: int
    origin: str
    values: list[float | None]
    on_front: bool
    keeps: bool | None


class FrontView(View):
    """`course` is how much of the way from the reference point to the best of each metric the front covered, as a share, after so many
    scored trials; `knee` is the id of the trial of the front that lies furthest out."""

    aims: list[AimView]
    points: list[FrontPoint] = Field(
        description="In the order in which they ended; of very many those on the front and the newest."
    )
    scored: int
    reference: list[float] | None = Field(
        description="Beyond the worst of the front and of the baseline, by a tenth; null before a front."
    )
    course: list[tuple[int, float]]
    knee: int | None


class RandomCourse(View):
    """What as many random draws would cover, as models of the trials expect it; empty while trials are too few."""

    course: list[tuple[int, float]]


class PointsView(View):
    """Every ended trial of a search, a list a column."""

    numbers: list[int]
    ids: list[int]
    states: list[TrialStateName]
    origins: list[str]
    means: list[float | None]
    standard_errors: list[float | None]
    seconds: list[float]
    ended_at: list[float | None]
    keeps: list[bool | None]
    values: dict[str, list[ScalarValue | None]]
    fold_effects: list[float]  # by how much each fold lies above a trial's mean, of the trials that have all folds
    complete: int  # how many of these there are
