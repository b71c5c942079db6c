"""What people ask for, as they write it: a brief, a plan, a plan file. Checked here once for web and command line."""

from __future__ import annotations

import difflib
import json
import re
from collections.abc import Mapping
from functools import lru_cache
from typing import Annotated, Any, Literal, TypeVar, get_args

from pydantic import BaseModel, Discriminator, Field, ValidationError, model_validator
from pydantic import Tag as Branch

from pellux.core.errors import InvalidPlan
from pellux.core.judging import REGRESSION, SplitPlan
from pellux.service.planning.code_requests import CodeBriefRequest
from pellux.service.planning.request import AimText, LimitText, Request, Seed, Tag, Tags

BRANCHES = ("table", "code")  # kinds of briefs; they stand in the places of errors
R = TypeVar("R", bound=Request)


class BriefRequest(Request):
    """How a problem is framed. Only `data` and `target` have to be given; the rest has defaults that are shown."""

    data: str = Field(description="Content hash of imported data; in a plan file, the path of a data file.")
    target: str = Field(description="The column to predict.")
    name: str = Field("", max_length=200, description="What the problem is called.")
    task: Literal["binary", "multiclass", "regression"] | None = None
    metric: str | None = Field(None, description="What decides; a default is chosen from the target.")
    positive: str | None = Field(None, description="The class whose probability counts, in a binary task.")
    features: list[str] | None = Field(None, description="Columns to learn from; all others by default.")
    ignore: list[str] = Field([], description="Columns to leave out.")
    recorded: list[str] = Field([], max_length=30, description="Metrics recorded for every fit beside the one that decides.")
    limits: list[LimitText] = Field(
        [],
        max_length=20,
        description="What the chosen configuration has to keep: 'predict ms <= 5', 'recall >= 0.8'. A search may have others.",
    )
    against: list[AimText] = Field(
        [],
        max_length=20,
        description="What the metric is weighed against, such as 'predict ms' or 'recall': no single best then, but a front. "
        "In plan files a list of metrics says the same: metric: [average precision, predict ms].",
    )
    group: str | None = Field(None, description="The column that names what recurs; its rows stay in one fold.")
    time: str | None = Field(None, description="The column that says when, for folds or a holdout ordered in time.")
    weight: str | None = Field(None, description="The column that says how much a row counts, in learning and in judging.")
    fold: str | None = Field(None, description="The column that already holds the folds.")
    folds: int | str = Field(
        5,
        description="Number of folds and their kind: '5 stratified', '5 shuffled', '5 grouped', '5 stratified grouped', "
        "'5 ordered', 'column', or 5; 'x 3' after it draws them three times.",
    )
    gap: float = Field(0, ge=0, description="Of ordered folds: time between what is learnt from and what is tested (days).")
    holdout: float | str = Field(
        0.2, description="Share of rows kept out of every fold: 0.2, '20 %', or '20 % by group' (time, random, stratified)."
    )
    seed: Seed = 0

    @model_validator(mode="before")
    @classmethod
    def _several_metrics(cls, given: Any) -> Any:
        """A list of metrics is one that decides first, and what it is weighed against."""
        if isinstance(given, dict) and isinstance(given.get("metric"), list):
            first, *others = given["metric"] or [None]
            return {**given, "metric": first, "against": [*others, *given.get("against", [])]}
        return given

    def split_plan(self, task: str, own_folds: int | None = None) -> SplitPlan:
        """The split plan that is meant; `own_folds` is how many the fold column holds."""
        kind = "shuffled" if task == REGRESSION else "stratified"
        kind = ("stratified grouped" if task != REGRESSION else "grouped") if self.group else kind
        share, by = self._holdout()
        text = str(self.folds).strip()
        if text == "column" or (self.fold and re.fullmatch(r"\d+", text)):
            if own_folds is None:
                raise InvalidPlan("Folds of the data's own column need a column with the role fold.", at="fold")
            return SplitPlan("column", own_folds, share, self.seed, holdout_by=by)
        match = re.fullmatch(r"(\d+)(?:\s+((?:stratified )?[a-z]+?))?(?:\s+folds?)?(?:\s*[x×]\s*(\d+))?", text)
        if match is None:
            raise InvalidPlan(f"'{self.folds}' is not a split plan. Write '5 stratified', '5 grouped' or '5 ordered'.", at="folds")
        return SplitPlan(match[2] or kind, int(match[1]), share, self.seed, int(match[3] or 1), self.gap, by)

    def _holdout(self) -> tuple[float, str]:
        match = re.fullmatch(r"\s*([\d.]+)\s*(%?)\s*(?:(?:by )?(group|time|random|stratified))?\s*", str(self.holdout))
        try:
            return (float(match[1]) / (100 if match[2] else 1), match[3] or "") if match else (float("x"), "")
        except ValueError:
            raise InvalidPlan(f"'{self.holdout}' is not a share. Write '20 %', 0.2 or '20 % by time'.", at="holdout") from None


class RunnerRequest(Request):
    """Where the fits of a search run: the machines of a cluster, by the address of its scheduler; here where it is left out."""

    cluster: str = Field(
        "", max_length=300, pattern=r"^$|^[a-z]+://\S+$", description="Address of a scheduler, such as 'tcp://head:8786'."
    )


class SettingsRequest(Request):
    """The budget and manner of a search. Of several budgets the first that is reached ends it."""

    strategy: str = "automatic"
    strategy_settings: dict[str, int | float | str] = Field(
        {}, alias="strategy settings", description="Settings of the strategy, such as 'interval' of population training."
    )
    early_stopping: str = Field(
        "none", alias="early stopping", description="The rule that ends weak trials; 'automatic' picks one and says why."
    )
    stopping: dict[str, int | float | str] = Field({}, description="Settings of the rule; 'resource' and 'most' say what grows.")
    trials: int = Field(60, ge=1, le=1_000_000, description="Configurations to try; the baseline comes on top.")
    minutes: float | None = Field(None, gt=0, description="No further trial begins after this running time.")
    target_score: float | None = Field(
        None, alias="target score", description="No further trial begins once a trial's mean score is this good."
    )
    no_gain_in: int | None = Field(
        None, ge=1, alias="no gain in", description="No further trial begins after so many trials without a better one."
    )
    limits: list[LimitText] | None = Field(
        None,
        max_length=20,
        description="What a trial has to keep to count as the best, such as 'predict ms <= 5'; the brief's where left out.",
    )
    against: list[AimText] | None = Field(
        None, max_length=20, description="What the score is weighed against, up to two; the brief's where left out, [] for nothing."
    )
    runner: RunnerRequest = RunnerRequest()
    workers: Annotated[int, Field(ge=1, le=10_000)] | Literal["all"] | None = Field(
        None, description="Fits at once; all cores by default. Of a cluster 'all' follows its machines as they join and leave."
    )
    seed: Seed = 1
    starts: list[dict[str, bool | int | float | str]] = Field(
        [], max_length=1000, description="Configurations to try first; what they leave out starts in its usual place."
    )
    from_decisions: list[int] = Field(
        [],
        max_length=100,
        alias="from decisions",
        description="Ids of decisions whose configurations are tried first, also of other problems.",
    )
    warm_start: Literal["none", "all"] | list[int] = Field(
        "none", alias="warm start", description="Whose trials are known from the start: 'none', 'all', or numbers of searches."
    )
    memory: bool = Field(
        True, description="Whether the search learns from earlier problems of the workspace that had the same learner or code."
    )
    fit_seconds: float = Field(600, gt=0, alias="fit seconds", description="Wall-clock limit of one fit.")
    trial_seconds: float | None = Field(
        None, gt=0, alias="trial seconds", description="What all fits of a trial may take together; past it the trial fails."
    )
    checkpoint_mb: int = Field(
        2048,
        ge=1,
        alias="checkpoint mb",
        description="Disk that the checkpoints of parked trials may take; past it the weakest lose theirs.",
    )
    memory_mb: int | None = Field(None, ge=64, alias="memory mb", description="What one worker may allocate.")
    prefix_mb: int = Field(
        512,
        ge=0,
        le=1_000_000,
        alias="prefix mb",
        description="What prepared rows that trials share may take, in memory and on disk.",
    )


def kept_settings(plan: Mapping[str, Any]) -> SettingsRequest:
    """The settings of a plan as it is kept with its search: lists of many searches ask for the same ones again and again."""
    return _kept_settings(json.dumps(plan))


@lru_cache(maxsize=4096)
def _kept_settings(plan: str) -> SettingsRequest:
    return SettingsRequest.model_validate_json(plan)


class LimitsRequest(Request):
    """New budgets of a running search; what is left out stays, null takes a budget away."""

    trials: int | None = Field(None, ge=1, le=1_000_000)
    minutes: float | None = Field(None, gt=0)
    target_score: float | None = Field(None, alias="target score")
    no_gain_in: int | None = Field(None, ge=1, alias="no gain in")


class SearchRequest(Request):
    """A search in an existing problem."""

    learner: str = Field("", description="A learner, or several; empty where a problem has but one thing to configure.")
    space: str | None = Field(None, description="Space notation; the learner's default space when left out.")
    plan: SettingsRequest = SettingsRequest()
    overrides: list[str] = Field([], description="What was changed for this launch alone, as key=value; kept with the search.")


class OwnMetric(Request):
    """A function of yours to judge by; `brief.metric` and `brief.recorded` name it."""

    where: str = Field(description="'file.py:function', relative to the plan.")
    larger_is_better: bool = Field(True, alias="larger is better")
    needs: Literal["labels", "probabilities", "values"] = "labels"


def _of_code(found: Any) -> str:
    """Whether a brief is about a table or about own code, by its keys."""
    keys = found if isinstance(found, dict) else getattr(found, "model_fields_set", ())
    return "code" if {"runs", "function", "outside", "judged by", "judged_by"} & set(keys) else "table"


class PlanFile(Request):
    """A plan file: brief, learner, space and plan in one YAML document."""

    pellux: Literal[1] = Field(description="Version of the plan format.")
    name: str = ""
    brief: Annotated[
        Annotated[BriefRequest, Branch("table")] | Annotated[CodeBriefRequest, Branch("code")], Discriminator(_of_code)
    ] = Field(description="What is to be done well: a table, or your own code.")
    reading: dict[str, Any] = Field({}, description="How the data file is read, where it is not found out rightly.")
    learner: str = Field(
        "", description="A learner, several ('logistic | forest *2'), or a class of yours: 'file.py:Name'. Of a table only."
    )
    metrics: list[OwnMetric] = Field([], description="Metrics of yours that the brief names.")
    space: str | None = None
    plan: SettingsRequest = SettingsRequest()
    overrides: list[str] = Field([], description="What --set changed; kept with the search.")

    @property
    def table(self) -> BriefRequest:
        """The brief of a plan about a table; InvalidPlan for another."""
        if isinstance(self.brief, CodeBriefRequest):
            raise InvalidPlan("This plan is about your own code, not about a table.", at="brief")
        return self.brief

    @property
    def code(self) -> CodeBriefRequest | None:
        """The brief of a plan about own code."""
        return self.brief if isinstance(self.brief, CodeBriefRequest) else None


def checked(kind: type[R], found: Any, *, what: str = "plan") -> R:
    """The request, or InvalidPlan with one sentence about the first thing that is wrong and where it stands."""
    try:
        return kind.model_validate(found)
    except ValidationError as error:
        raise explain(error, kind, what) from None


def explain(error: ValidationError, kind: type[BaseModel], what: str) -> InvalidPlan:
    first = error.errors()[0]
    path = [
        str(step) for place, step in enumerate(first["loc"]) if not (place == 1 and first["loc"][0] == "brief" and step in BRANCHES)
    ]
    at = ".".join(path)
    match first["type"]:
        case "extra_forbidden":
            branch = next((str(step) for step in first["loc"][1:2] if step in BRANCHES), "")
            keys = _keys_at(kind, path[:-1], branch)
            close = difflib.get_close_matches(path[-1], keys, 1)
            hint = f" Did you mean '{close[0]}'?" if close else f" Allowed: {', '.join(keys)}."
            return InvalidPlan(f"The {what} has an unknown key '{at}'.{hint}", at=at)
        case "missing":
            return InvalidPlan(f"The {what} lacks '{at}'.", at=at)
        case "model_type" | "model_attributes_type" | "dict_type":
            return InvalidPlan(f"{at or 'The ' + what} must be a set of keys and values. Got {first['input']!r:.60}.", at=at)
    return InvalidPlan(f"{at}: {first['msg'].replace('Input', 'it', 1)}. Got {first['input']!r:.60}.", at=at)


def _keys_at(kind: type[BaseModel], path: list[str], branch: str) -> list[str]:
    """The keys that may stand at a place; `branch` says which kind of brief it is in."""
    for step in path:
        field = next((f for name, f in kind.model_fields.items() if step in (name, f.alias)), None)
        models = [] if field is None else _models_in(field.annotation)
        if not models:
            return []
        kind = models[BRANCHES.index(branch)] if branch and len(models) > 1 else models[0]
    return [field.alias or name for name, field in kind.model_fields.items()]


def _models_in(annotation: Any) -> list[type[BaseModel]]:
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        return [annotation]
    return [model for part in get_args(annotation) for model in _models_in(part)]


__all__ = ["BriefRequest", "LimitsRequest", "PlanFile", "Request", "SearchRequest", "SettingsRequest", "Tag", "Tags", "checked"]
