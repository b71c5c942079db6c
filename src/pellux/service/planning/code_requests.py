"""What people ask for when their own code is to be tuned: a program, a function, or a loop outside."""

from __future__ import annotations

import shlex
from typing import Annotated, Any

from pydantic import BeforeValidator, Field, model_validator

from pellux.service.planning.request import AimText, LimitText, Request, Seed


def _as_typed(value: Any) -> Any:
    """A command written as one line is split as a shell would, without being one."""
    if not isinstance(value, str):
        return value
    try:
        return shlex.split(value)
    except ValueError as error:
        raise ValueError(f"the command cannot be split into arguments: {error}") from None


Command = Annotated[list[str], BeforeValidator(_as_typed, json_schema_input_type=list[str] | str)]


class JudgedBy(Request):
    """The score that decides: how it is called, which way is good, and how it is found."""

    score: str = Field(min_length=1, max_length=100, description="Its name, as the code prints or returns it.")
    larger_is_better: bool = Field(True, alias="larger is better")
    pick_out: str = Field(
        "", max_length=500, alias="pick out",
        description="A regular expression with one group that finds the score in what is printed; for programs left as they are.",
    )  # fmt: skip


class RecordedMetric(Request):
    """A metric that is written down; its name alone where larger is better."""

    score: str = Field(min_length=1, max_length=100)
    larger_is_better: bool = Field(True, alias="larger is better")

    @model_validator(mode="before")
    @classmethod
    def _name_alone(cls, value: Any) -> Any:
        return {"score": value} if isinstance(value, str) else value


class GrowsRequest(Request):
    """What a fit is trained in: epochs, steps, trees; early stopping on them works with it."""

    what: str = Field("epochs", pattern=r"^[A-Za-z_][A-Za-z0-9_]*$", max_length=40)
    most: int = Field(ge=2, le=10_000_000, description="All of it.")
    goes_on: bool = Field(False, alias="goes on", description="A fit can go on from what it left in its folder.")
    may_change: list[str] = Field(
        [], max_length=100, alias="may change", description="Settings that may be others when it goes on; for population training."
    )


class HoldsRequest(Request):
    """What one fit holds of the machine; no more run at once than fit in."""

    cores: int = Field(1, ge=1, le=1024)
    devices: int = Field(0, ge=0, le=64)
    memory_mb: int | None = Field(None, ge=16, alias="memory mb", description="What it may take; more ends it.")


class CodeBriefRequest(Request):
    """A problem whose fits are your own code: exactly one of `runs`, `function` and `outside`."""

    name: str = Field("", max_length=200, description="What the problem is called.")
    runs: Command | None = Field(
        None, max_length=1000,
        description="A program's command: each value is one argument, there is no shell. {rate} stands for a setting, {each} for all "
        "of them, {fold} {folds} {seed} {level} {from} {folder} {settings} {trial} for what a fit is.",
    )  # fmt: skip
    function: str | None = Field(None, max_length=500, description="'file.py:name' in the folder.")
    outside: bool = Field(False, description="Somebody else's loop takes fits over HTTP.")
    folder: str = Field(
        "", max_length=1000, description="Where it runs; in a plan file the plan's own folder, else an allowed one."
    )
    judged_by: JudgedBy = Field(alias="judged by")
    recorded: list[RecordedMetric] = Field(
        [], max_length=30, description="Further metrics that are written down, names or with their direction."
    )
    limits: list[LimitText] = Field(
        [],
        max_length=20,
        description="What the chosen configuration has to keep: 'predict ms <= 5', 'recall >= 0.8'. A search may have others.",
    )
    against: list[AimText] = Field(
        [], max_length=20, description="What the score is weighed against, such as 'fit seconds': no single best then, but a front."
    )
    folds: int = Field(1, ge=1, le=1000, description="How many fits a trial has; a fold is a number to the code, from 0.")
    grows: GrowsRequest | None = None
    holds: HoldsRequest = HoldsRequest()
    final: bool = Field(False, description="It can train on everything: {fold} is 'all' then.")
    files: list[str] = Field([], max_length=1000, description="Files that belong to the code beside those that are found.")
    seed: Seed = 0


class FirstLookRequest(Request):
    """One real fit at the smallest level, before anything is launched."""

    brief: CodeBriefRequest
    space: str = Field("", max_length=100_000, description="Space notation; the fit is at its start values.")
    seconds: float = Field(60, gt=0, le=3600, description="How long it may take.")


class HelpRequest(Request):
    """A command whose --help is read."""

    runs: Command = Field(min_length=1, max_length=100)
    folder: str = Field("", max_length=1000)
