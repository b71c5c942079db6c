"""A decision tree as people read it: questions about the columns in their own units, down to a depth that fits a page."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from pellux.core.judging import REGRESSION
from pellux.objectives.tabular.whole_fit import Ground, fitted

DEPTH = 5


def drawn_tree(ground: Ground, settings: Mapping[str, Any], depth: int = DEPTH) -> dict[str, Any]:
    """The tree fitted on all rows outside the holdout.

    Returns
    -------
    dict
        `leaves` and `depth` of the whole tree, and `root`: a node has `rows`, `value` (mean, or None), `shares` (of the
        classes, or None), and unless it is a leaf a `question`, the nodes `yes` and `no`; `hidden` counts the leaves
        below a node at which the drawing stops.
    """
    pipeline = fitted("tree", settings, ground, ground.folds.outside)
    tree = pipeline.named_steps["learn"].tree_
    questions = _questions(pipeline.named_steps["prepare"], ground)
    regression = ground.brief.task == REGRESSION

    def leaves_below(node: int) -> int:
        if tree.children_left[node] < 0:
            return 1
        return leaves_below(tree.children_left[node]) + leaves_below(tree.children_right[node])

    def describe(node: int, level: int) -> dict[str, Any]:
        value = tree.value[node][0]
        found: dict[str, Any] = {
            "rows": int(tree.n_node_samples[node]),
            "value": float(value[0]) if regression else None,
            "shares": None if regression else [float(share) for share in value / value.sum()],
            "question": None,
            "hidden": 0,
        }
        if tree.children_left[node] < 0:
            return found
        if level == depth:
            return {**found, "hidden": leaves_below(node)}
        question, swapped = questions(int(tree.feature[node]), float(tree.threshold[node]))
        below, above = int(tree.children_left[node]), int(tree.children_right[node])
        yes, no = (above, below) if swapped else (below, above)
        return {**found, "question": question, "yes": describe(yes, level + 1), "no": describe(no, level + 1)}

    about = {"leaves": int(tree.n_leaves), "depth": int(tree.max_depth), "classes": list(ground.brief.classes)}
    return {**about, "root": describe(0, 0)}


def _questions(prepare: Any, ground: Ground) -> Any:
    """From a prepared column and a threshold to a question; True beside it when 'yes' is the side above the threshold."""
    numbers, labels = ground.numbers, ground.labels
    steps = prepare.named_transformers_.get("categories")
    encoder: Any = steps.named_steps["onehotencoder"] if labels and hasattr(steps, "named_steps") else None
    members: list[tuple[str, str]] = []
    for place, label in enumerate(labels if encoder is not None else []):
        names = ground.table.column(label).categories
        codes = encoder.categories_[place]
        rare = encoder.infrequent_categories_[place] if encoder.max_categories else None
        usual = codes if rare is None else codes[~np.isin(codes, rare)]
        members += [(label, names[int(code)] if code >= 0 else "missing") for code in usual]
        if rare is not None:
            members.append((label, "one of the rare ones"))
    whole = {name for name in numbers if ground.table.column(name).whole}

    def question(place: int, threshold: float) -> tuple[str, bool]:
        if place < len(numbers):
            name = numbers[place]
            cut = f"{np.floor(threshold):,.0f}" if name in whole else f"{threshold:.4g}"
            return f"{name} ≤ {cut}", False
        label, member = members[place - len(numbers)]
        return f"{label} is {member}", True

    return question
