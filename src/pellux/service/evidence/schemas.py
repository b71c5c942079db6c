"""What is shown of evidence."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from pellux.service.planning.request import Request
from pellux.service.schemas import ScalarValue, View


class ShareView(View):
    """A share of the score's variance, from 0 to 1; nine times out of ten the truth lies between `low` and `high`."""

    share: float
    low: float
    high: float


class MattersView(View):
    """Of one setting."""

    name: str
    alone: ShareView = Field(description="By itself.")
    total: ShareView = Field(description="With all that it does together with others.")
    among_good: ShareView = Field(description="By itself, as long as the score is within its best quarter.")
    total_among_good: ShareView = Field(description="The same with all that it does together with others.")


class TogetherView(View):
    """What two settings do together beyond what each does."""

    names: list[str]
    beyond: ShareView
    among_good: ShareView = Field(description="The same, as long as the score is within its best quarter.")


class LineView(View):
    """Along positions, in the metric's own direction: mean and the ends of an 80 % band."""

    mean: list[float]
    low: list[float]
    high: list[float]


class CurveView(View):
    """The score along one setting."""

    name: str
    options: bool = Field(description="Whether its values are options, with nothing in between.")
    positions: list[float] = Field(description="Places on the setting's scale, from 0 to 1.")
    values: list[ScalarValue]
    average: LineView = Field(description="Over the rest of the space.")
    near: LineView = Field(description="With the rest as in the trials that the model holds best.")


class DirectionView(View):
    """Which way the score goes with a number."""

    name: str
    trend: Literal["more is better", "less is better", "best between", "no trend"]
    until: ScalarValue | None = Field(description="Where it gains no more, or where the best is, of 'best between'.")
    rank: float = Field(description="Spearman's rank correlation with the score.")
    low: float = Field(description="Lower end of its 90 % interval.")
    high: float
    partial: float = Field(description="The same with the ranks of all other numbers taken out.")
    trials: int


class LineChange(View):
    """A line of the space before and after; `after` is empty where it goes."""

    name: str
    before: str
    after: str


class SaidView(View):
    """Something that the trials say, and what would follow from it."""

    code: str
    sentence: str
    names: list[str]
    trials: list[int] = Field(description="Ids of the trials behind it.")
    lines: list[LineChange] = Field(description="Lines of the space that Apply changes.")
    requirements: list[str] = Field(description="What Apply adds to the space as a requirement.")
    plan: dict[str, ScalarValue] = Field(description="Plan keys that Apply changes.")


class ChangedView(View):
    name: str
    before: ScalarValue | None
    after: ScalarValue | None


class StepView(View):
    """A change on the way from the usual settings to the best trial."""

    changed: list[ChangedView]
    configuration: dict[str, ScalarValue]
    score: float = Field(description="The model's, after it.")
    gain: float = Field(description="By how much it is better than before; negative where it is worse.")
    error: float = Field(description="One standard deviation of the gain.")
    measured: float | None = Field(description="The score of a trial of exactly this configuration, where there is one.")
    measured_error: float | None
    trial_id: int | None


class NoiseView(View):
    """How much of the differences between trials is chance."""

    share: float = Field(description="Of the variance between trials, what the scatter of their folds would make by itself.")
    p_value: float = Field(description="Of the hypothesis that all trials are equally good.")
    alike: int = Field(description="Trials that cannot be told from the best.")
    trials: int
    folds: int


class EarlyLookView(View):
    """How far an early look tells the order at the end."""

    rung: int
    trials: int
    rank: float | None = Field(description="Spearman's rank correlation of scores at this rung and at the highest.")


class SurfaceRequest(Request):
    """Two settings, and what the others are."""

    across: str = Field(max_length=200)
    down: str = Field(max_length=200)
    others: Literal["near the best", "averaged"] = "near the best"
    by: str | None = Field(
        None, max_length=200, description="A third setting: a surface for each of its options or levels, on one scale."
    )


class SideView(View):
    name: str
    options: bool
    positions: list[float]
    values: list[ScalarValue]


class SurfacePoint(View):
    """A trial on it; id 0 for a result from elsewhere, `panel` the one among the small multiples that it belongs to."""

    id: int
    at: list[float]
    score: float
    panel: int | None = None


class SurfacePanel(View):
    """The same surface where a third setting has one value."""

    value: ScalarValue
    mean: list[list[float]]
    deviation: list[list[float]]


class SurfaceShown(View):
    """The score over two settings, as the model has it; rows go down, columns across."""

    across: SideView
    down: SideView
    mean: list[list[float]]
    deviation: list[list[float]]
    explained: float
    covered: float
    points: list[SurfacePoint]
    by: str | None = None
    panels: list[SurfacePanel] = Field(
        [], description="For each option of a third setting, or a few of its levels; empty without one."
    )


class SurfaceView(View):
    """`surface` is null while it is computed, and where the trials say too little."""

    state: str
    message: str
    surface: SurfaceShown | None


class EvidenceView(View):
    """What the trials of a search say, over its space."""

    state: str
    message: str
    trials: int = Field(description="Scored trials that it rests on; 0 where they are too few or all alike.")
    weighed: Literal["scores", "gains in an interval"] = Field(description="What trials are weighed by.")
    explained: float = Field(description="Share of the scores' variance that the model foretells of trials it did not see.")
    covered: float = Field(description="Share of the trials whose score lies in the model's 80 % band when it did not see them.")
    singles: list[MattersView]
    pairs: list[TogetherView]
    curves: list[CurveView]
    directions: list[DirectionView]
    findings: list[SaidView]
    path: list[StepView]
    noise: NoiseView | None
    rungs: list[EarlyLookView]
    surface: SurfaceShown | None = Field(description="Over the two settings that do most together, the others near the best.")
    after: str = Field(description="The space with all changes of the findings made; empty where nothing is found.")


class SpentView(View):
    """What one search made of its time."""

    search_id: int
    number: int
    strategy: str
    early_stopping: str
    workers: int
    best: float | None
    trials: int
    fits: int
    seconds: float
    near_after: list[float] | None = Field(
        description="Trials, fits and seconds until one came within a quarter of the way from the median of the problem to its best."
    )
    far_share: float = Field(description="Share of the seconds spent on trials that never came near.")
    blind_share: float = Field(description="Share of the trials not yet known when one was proposed, on average.")
    rises: list[list[float]] = Field(description="Where the best rose: trials, fits and seconds by then, and the score.")


class SpendingView(View):
    """Searches of a problem side by side."""

    baseline: float | None
    searches: list[SpentView]
