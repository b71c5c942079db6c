"""The model to take away: fitted on every row that has a target, saved as joblib and, where it has that form, as ONNX."""

from __future__ import annotations

import json
import os
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from pellux.core.errors import Conflict
from pellux.core.judging import REGRESSION
from pellux.objectives.tabular.export.onnx_form import onnx_form
from pellux.objectives.tabular.export.standing_alone import standing_alone
from pellux.objectives.tabular.whole_fit import Ground, fitted, quiet

ROWS_CHECKED = 20_000


def write_final_model(ground: Ground, key: str, settings: Mapping[str, Any], folder: Path) -> dict[str, Any]:
    """Fit, and write `model.joblib`, `model.onnx` and `model.json` into a folder.

    Returns
    -------
    dict
        `rows`; `onnx` with the largest `difference` of predictions, or with the `refusal` why there is none.
    """
    import joblib

    every = ground.known  # as train.py does
    pipeline = fitted(key, settings, ground, every)
    folder.mkdir(parents=True, exist_ok=True)
    _replace(folder / "model.joblib", lambda path: joblib.dump(standing_alone(pipeline), path))
    brief = ground.brief
    layout = {
        "input": "rows",
        "columns": [
            {"name": name, "kind": "number"} for name in ground.numbers
        ] + [
            {"name": name, "kind": "category code", "categories": list(ground.table.column(name).categories)}
            for name in ground.labels
        ],
        "missing": "NaN",
        "fitted_on": f"{int(every.sum())} rows: all whose target is known",
        "classes": list(brief.classes),
        "target": brief.target,
    }  # fmt: skip
    _replace(folder / "model.json", lambda path: path.write_text(json.dumps(layout, indent=2, ensure_ascii=False) + "\n", "utf-8"))
    rows = ground.matrix[every][:ROWS_CHECKED]
    (folder / "model.onnx").unlink(missing_ok=True)
    try:
        with quiet():
            form = onnx_form(pipeline, rows, classes=brief.task != REGRESSION)
    except Conflict as refusal:
        onnx: dict[str, Any] = {"refusal": refusal.message}
    else:
        _replace(folder / "model.onnx", lambda path: path.write_bytes(form.model))
        onnx = {"difference": form.difference, "rows": len(rows)}
    return {"rows": int(every.sum()), "onnx": onnx}


def _replace(path: Path, write: Any) -> None:
    """Into place whole or not at all."""
    half = path.with_name(f".{path.name}.{os.getpid()}")
    write(half)
    half.replace(path)
