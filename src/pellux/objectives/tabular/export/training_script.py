"""A chosen configuration as a Python script of plain scikit-learn, which rebuilds, fits, checks and predicts without Pellux."""

from __future__ import annotations

import base64
import inspect
import re
import sys
import zlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from importlib.resources import files
from pathlib import Path
from pprint import pformat
from typing import Any

import numpy as np

from pellux.core.judging import MULTICLASS
from pellux.core.judging.split_plans import ORDERED, SHUFFLED, STRATIFIED
from pellux.objectives.tabular.export.source_code import expression
from pellux.objectives.tabular.whole_fit import Ground, unfitted
from pellux.tables.table import DATE

SCORES = {
    "average precision": ("average_precision_score", "(truth, predicted[:, 1])"),
    "log loss": ("log_loss", "(truth, predicted, labels=np.arange(len(CLASSES)))"),
    "accuracy": ("accuracy_score", "(truth, predicted)"),
    "balanced accuracy": ("balanced_accuracy_score", "(truth, predicted)"),
    "F1": ("f1_score", "(truth, predicted, zero_division=0)"),
    "macro F1": ("f1_score", '(truth, predicted, average="macro", zero_division=0)'),
    "Matthews correlation": ("matthews_corrcoef", "(truth, predicted)"),
    "RMSE": ("root_mean_squared_error", "(truth, predicted)"),
    "MAE": ("mean_absolute_error", "(truth, predicted)"),
    "median absolute error": ("median_absolute_error", "(truth, predicted)"),
    "R2": ("r2_score", "(truth, predicted)"),
    "precision": ("precision_score", "(truth, predicted, zero_division=0)"),
    "recall": ("recall_score", "(truth, predicted, zero_division=0)"),
    "specificity": ("recall_score", "(1 - truth, 1 - predicted, zero_division=0)"),
    "F2": ("fbeta_score", "(truth, predicted, beta=2, zero_division=0)"),
    "weighted F1": ("f1_score", '(truth, predicted, average="weighted", zero_division=0)'),
    "macro precision": ("precision_score", '(truth, predicted, average="macro", zero_division=0)'),
    "Cohen's kappa": ("cohen_kappa_score", "(truth, predicted)"),
    "top-2 accuracy": ("top_k_accuracy_score", "(truth, predicted, k=2, labels=np.arange(len(CLASSES)))"),
    "MAPE": ("mean_absolute_percentage_error", "(truth, predicted)"),
    "RMSLE": ("root_mean_squared_log_error", "(truth, np.maximum(predicted, 0))"),
    "largest error": ("max_error", "(truth, predicted)"),
    "pinball 0.1": ("mean_pinball_loss", "(truth, predicted, alpha=0.1)"),
    "pinball 0.9": ("mean_pinball_loss", "(truth, predicted, alpha=0.9)"),
    "explained variance": ("explained_variance_score", "(truth, predicted)"),
}
SCORES_BY_TASK = {
    ("Brier score", False): ("brier_score_loss", "(truth, predicted[:, 1])"),
    ("Brier score", True): ("brier_score_loss", "(truth, predicted, labels=np.arange(len(CLASSES)))"),
    ("ROC AUC", False): ("roc_auc_score", "(truth, predicted[:, 1])"),
    ("ROC AUC", True): (
        "roc_auc_score",
        '(truth, predicted, multi_class="ovr", average="macro", labels=np.arange(len(CLASSES)))',
    ),
}


PLACE = re.compile(r"<<([A-Z_]+)>>")


@dataclass(frozen=True)
class Origin:
    """Where a configuration comes from, for the script's first lines and its checks."""

    title: str
    made: str
    scores: Sequence[float]
    folds_hash: str
    versions: Mapping[str, str]


def training_script(ground: Ground, key: str, settings: Mapping[str, Any], origin: Origin) -> str:
    """The script's text. Where the metric has no form in plain scikit-learn, it says so and that it cannot score anew."""
    brief = ground.brief
    imports: dict[str, set[str]] = {}
    built = expression(unfitted(key, settings, ground, ground.known), imports, indent=4)
    name, call = SCORES.get(brief.metric) or SCORES_BY_TASK.get((brief.metric, brief.task == MULTICLASS)) or ("", "")
    if name:
        imports.setdefault("sklearn.metrics", set()).add(name)
    if brief.weight and brief.metric == "largest error":  # it knows no weights: rows that do not count are left out
        call = "(truth[weight > 0], predicted[weight > 0])"
    elif brief.weight and name:
        call = f"{call[:-1]}, sample_weight=weight)"
    splitters = ["StratifiedKFold", "StratifiedShuffleSplit"] if brief.split.kind == STRATIFIED else ["KFold", "ShuffleSplit"]
    imports.setdefault("sklearn.model_selection", set()).update(splitters)
    constants = _constants(ground, origin)
    text = files("pellux.objectives.tabular.export").joinpath("training_script.txt").read_text("utf-8")
    own = _staged(imports, ground)
    parts = {
        "TITLE": literal(origin.title),
        "MADE": literal(origin.made if name else f"{origin.made} {_uncovered(brief.metric)}"),
        "UNCOVERED": literal("" if name else _uncovered(brief.metric)),
        "IMPORTS": "\n".join(f"from {module} import {', '.join(sorted(names))}" for module, names in sorted(imports.items())),
        "CONSTANTS": "\n".join(f"{k} = {literal(v)}" for k, v in constants.items()),
        "OWN": own,
        "PIPELINE": built,
        "SCORE": name + call if name else literal("nan"),
        "METRIC": literal(brief.metric),
        "SPLITTER": splitters[0],
        "HOLDOUT_SPLITTER": splitters[1],
    }
    # In one pass: what a part holds is never looked into, so a column may be called <<OWN>> or anything else.
    return PLACE.sub(lambda found: parts[found[1]], text)


def _constants(ground: Ground, origin: Origin) -> dict[str, Any]:
    """What the script knows of data, folds and scores."""
    brief = ground.brief
    return {
        "DATA_SHA256": ground.table.source or brief.data,
        "READING": _reading(ground),
        "COLUMNS": [c.name for c in ground.table.columns],
        "DATES": {c.name: c.form for c in ground.table.columns if c.type == DATE},
        "TARGET": brief.target,
        "CLASSES": list(brief.classes),
        "TARGET_IS_TEXT": ground.table.column(brief.target).coded,
        "NUMBERS": ground.numbers,
        "CATEGORIES": {label: list(ground.table.column(label).categories) for label in ground.labels},
        "NEEDS": brief.judged_by.needs,
        "FOLDS": brief.split.folds,
        "HOLDOUT": brief.split.holdout,
        "SPLIT_SEED": brief.split.seed,
        "ORDERED": brief.split.kind == ORDERED,
        "FOLDS_AS_DRAWN": _as_drawn(ground),
        "WEIGHT": brief.weight,
        "FOLDS_SHA256": origin.folds_hash,
        "STORED_SCORES": [float(score) for score in origin.scores],
        "VERSIONS": dict(origin.versions),
    }


def literal(value: Any) -> str:
    """Text, numbers and collections of them as Python writes them: data, whatever they say."""
    return pformat(value, width=110, sort_dicts=False)


def _reading(ground: Ground) -> dict[str, str]:
    usual = {"format": "csv", "encoding": "utf-8", "delimiter": ",", "quote": '"', "decimal": "."}
    return {name: ground.table.reading.get(name) or usual[name] for name in usual}


def _as_drawn(ground: Ground) -> str:
    """The folds themselves where a script could not draw them again by a scikit-learn splitter alone."""
    split = ground.brief.split
    plain = split.kind == STRATIFIED or (split.kind == SHUFFLED and not split.holdout_by)
    if plain and split.repeats == 1 and split.holdout_by in ("", "stratified"):
        return ""
    return base64.b85encode(zlib.compress(np.ascontiguousarray(ground.folds.kept, dtype="<i2").tobytes(), 9)).decode()


def _staged(imports: dict[str, set[str]], ground: Ground) -> str:
    """The text of our wrappers and of people's own files, when the pipeline has them: the script must run without us."""
    parts = []
    wrappers = imports.pop("pellux.objectives", set())
    if wrappers:
        imports.setdefault("sklearn.base", set()).update(("BaseEstimator", "RegressorMixin", "clone"))
        parts.append("import copy")
        from pellux.objectives.tabular.learners import stages

        parts += [inspect.getsource(getattr(stages, name)) for name in sorted(wrappers)]
    for module in sorted(imports):
        source = getattr(sys.modules.get(module), "__file__", None)
        if ground.own is not None and source is not None and Path(source).is_relative_to(ground.own):
            del imports[module]
            parts.append(Path(source).read_text("utf-8"))
    return "".join(f"\n{part}\n" for part in parts)


def _uncovered(metric: str) -> str:
    return f"The metric {metric} has no form in plain scikit-learn, so --check compares the folds and not the scores."
