"""What is computed of a chosen trial in a process of its own: so nothing here loads a database, which would take longer than some of it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

from pellux.core.judging.overfitting import verdict
from pellux.objectives.tabular.column_importance import column_importance
from pellux.objectives.tabular.holdout_judgement import judge_on_holdout
from pellux.objectives.tabular.whole_fit import Ground


def compute_importance(ground: Ground, key: str, settings: Mapping[str, Any]) -> dict[str, Any]:
    return {"columns": [asdict(column) for column in column_importance(ground, key, settings)]}


def compute_holdout(
    ground: Ground,
    chosen: tuple[str, dict[str, Any]],
    mean: float,
    error: float | None,
    baseline: tuple[str, dict[str, Any]] | None,
) -> dict[str, Any]:
    found = judge_on_holdout(ground, [chosen] if baseline is None else [chosen, baseline])
    views = [{k: v for k, v in asdict(one).items() if k != "predictions"} for one in found]
    sign = ground.brief.judged_by.sign
    words = verdict(
        sign * found[0].train, sign * mean, error, sign * found[0].holdout, found[0].error,
        sign * found[1].holdout if len(found) > 1 else None,
    )  # fmt: skip
    rows = int(ground.folds.held.sum())
    return {"chosen": views[0], "baseline": views[1] if len(views) > 1 else None, "verdict": words, "rows": rows, "folds": mean,
            "folds_error": error}  # fmt: skip


def nothing_to_train() -> dict[str, Any]:
    return {}
