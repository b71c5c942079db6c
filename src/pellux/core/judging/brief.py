"""The frozen description of a problem: what is predicted, from what, and how it is judged."""

from __future__ import annotations

import hashlib
import json
from dataclasses import asdict, dataclass
from typing import Any

from pellux.core.errors import InvalidBrief
from pellux.core.judging.metrics import BINARY, REGRESSION, TASKS, Metric, check_suits
from pellux.core.judging.split_plans import SplitPlan


@dataclass(frozen=True, kw_only=True)
class Brief:
    """Two searches are comparable exactly when their briefs are equal.

    Attributes
    ----------
    data : str
        Content hash of the data file.
    classes : tuple of str
        Labels in the order of their codes; in a binary task the second is the positive one. Empty in a regression.
    """

    data: str
    target: str
    features: tuple[str, ...]
    task: str
    classes: tuple[str, ...]
    metric: str
    split: SplitPlan
    seed: int

    def __post_init__(self) -> None:
        if self.task not in TASKS:
            raise InvalidBrief(f"Task '{self.task}' is unknown. Allowed: {', '.join(TASKS)}.", at="task")
        check_suits(self.metric, self.task)
        if not self.features:
            raise InvalidBrief("No feature is left to learn from. Give at least one column the role feature.", at="features")
        if self.target in self.features:
            raise InvalidBrief(f"{self.target} is the target and cannot be a feature too.", at="features")
        if self.task == REGRESSION and self.split.kind == "stratified":
            raise InvalidBrief("Stratified folds need classes; use shuffled folds for a regression.", at="folds")

    @property
    def judged_by(self) -> Metric:
        return check_suits(self.metric, self.task)

    @property
    def positive(self) -> str | None:
        return self.classes[1] if self.task == BINARY else None

    def to_json(self) -> dict[str, Any]:
        return json.loads(json.dumps(asdict(self)))  # type: ignore[no-any-return]

    @staticmethod
    def from_json(found: dict[str, Any]) -> Brief:
        split = SplitPlan(**found["split"])
        return Brief(**{**found, "split": split, "features": tuple(found["features"]), "classes": tuple(found["classes"])})

    @property
    def fingerprint(self) -> str:
        return hashlib.sha256(json.dumps(self.to_json(), sort_keys=True).encode()).hexdigest()
