"""The frozen description of a problem: what is predicted, from what, and how it is judged."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from dataclasses import asdict, dataclass, field, fields
from typing import Any

from pellux.core.errors import InvalidBrief
from pellux.core.judging.aims import read_aims
from pellux.core.judging.limits import COSTS, read_limits
from pellux.core.judging.metrics import BINARY, OURS, REGRESSION, TASKS, Metric, Metrics
from pellux.core.judging.split_plans import STRATIFIED, STRATIFIED_GROUPED, SplitPlan

ROLES = ("group", "time", "fold", "weight")


@dataclass(frozen=True, kw_only=True)
class Brief:
    """Two searches are comparable exactly when their briefs are equal.

    Attributes
    ----------
    data : str
        Content hash of the data, as they were read.
    classes : tuple of str
        Labels in the order of their codes; in a binary task the second is the positive one. Empty in a regression.
    group, time, fold, weight : str
        The columns with these roles; empty where there is none. None of them is learnt from.
    recorded : tuple of str
        Metrics that are computed for every fit beside the one that decides.
    limits : tuple of str
        What the configuration that is chosen has to keep (`core/judging/limits.py`); a search may have others.
    against : tuple of str
        What its score is weighed against (`core/judging/aims.py`); a search may have others.
    metrics : Metrics
        Where its metrics are looked up; no part of what it says.
    """

    data: str
    target: str
    features: tuple[str, ...]
    task: str
    classes: tuple[str, ...]
    metric: str
    split: SplitPlan
    seed: int
    group: str = ""
    time: str = ""
    fold: str = ""
    weight: str = ""
    recorded: tuple[str, ...] = ()
    limits: tuple[str, ...] = ()
    against: tuple[str, ...] = ()
    metrics: Metrics = field(default=OURS, compare=False, repr=False)

    def __post_init__(self) -> None:
        if self.task not in TASKS:
            raise InvalidBrief(f"Task '{self.task}' is unknown. Allowed: {', '.join(TASKS)}.", at="task")
        self.metrics.suiting(self.metric, self.task)
        for key in self.recorded:
            self.metrics.suiting(key, self.task, at="recorded")
        for key, at in ((self.metric, "metric"), *((key, "recorded") for key in self.recorded)):
            if self.weight and not self.metrics.get(key).weighs:
                raise InvalidBrief(
                    f"{key} cannot weigh rows, and the brief has weights ({self.weight}): it needs a third argument, the weights.",
                    at=at,
                )
        if not self.features:
            raise InvalidBrief("No feature is left to learn from. Give at least one column the role feature.", at="features")
        if self.target in self.features:
            raise InvalidBrief(f"{self.target} is the target and cannot be a feature too.", at="features")
        self._check_roles()
        read_limits(self.limits, self.quantities, self.metric)
        read_aims(self.against, self.quantities, self.metric)
        if self.task == REGRESSION and self.split.kind in (STRATIFIED, STRATIFIED_GROUPED):
            raise InvalidBrief("Stratified folds need classes; use shuffled or grouped folds for a regression.", at="folds")

    def _check_roles(self) -> None:
        held: dict[str, str] = {self.target: "target"}
        for role in ROLES:
            name = getattr(self, role)
            if not name:
                continue
            if name in held:
                raise InvalidBrief(f"{name} is the {held[name]} already; a column has one role.", at=role)
            if name in self.features:
                raise InvalidBrief(f"{name} has the role {role} and cannot be a feature too.", at="features")
            held[name] = role

    @property
    def judged_by(self) -> Metric:
        return self.metrics.suiting(self.metric, self.task)

    @property
    def also(self) -> tuple[Metric, ...]:
        """The metrics recorded beside the one that decides."""
        return tuple(self.metrics.get(key) for key in self.recorded if key != self.metric)

    @property
    def quantities(self) -> dict[str, bool]:
        """What is measured of every fit and may be limited, each with whether larger is better."""
        return {**dict.fromkeys(COSTS, False), **{m.key: m.larger_is_better for m in self.also}}

    @property
    def positive(self) -> str | None:
        return self.classes[1] if self.task == BINARY else None

    def to_json(self) -> dict[str, Any]:
        """What has its default is left out, so that briefs of earlier versions keep their fingerprints."""
        told = {f.name: getattr(self, f.name) for f in fields(self) if f.name != "metrics"}
        found: dict[str, Any] = json.loads(json.dumps({**told, "split": asdict(self.split)}))
        for owner, kept in ((self, found), (self.split, found["split"])):
            for one in fields(owner):
                if one.name in _LATER and kept[one.name] in ("", [], 0.0, 1):
                    del kept[one.name]
        return found

    @staticmethod
    def from_json(found: Mapping[str, Any], metrics: Metrics = OURS) -> Brief:
        split = SplitPlan(**found["split"])
        lists = {name: tuple(found.get(name, ())) for name in ("features", "classes", "recorded", "limits", "against")}
        return Brief(**{**found, "split": split, **lists}, metrics=metrics)

    @property
    def fingerprint(self) -> str:
        return hashlib.sha256(json.dumps(self.to_json(), sort_keys=True).encode()).hexdigest()


_LATER = (*ROLES, "recorded", "limits", "against", "repeats", "gap", "holdout_by")
