"""Columns made ready for a learner, fitted on a fold's training rows only; every step is a setting that can be searched.

fill, mark, encode and scale work on the raw columns; reduce works on what they give. Three presets are the learners'
defaults:

scaled  numbers: median for missing, mean 0 and variance 1; categories: one column each
filled  numbers: median for missing; categories: one column each
native  numbers and category codes as they are, missing as NaN (the learner handles both)
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pellux.core.judging import BINARY, REGRESSION
from pellux.objectives.tabular.learners.settings import MORE_COSTS_MORE, OF_PREPARATION, Learner, Setting
from pellux.tables.table import Table

MOST_NATIVE_CATEGORIES = 255
MOST_ONE_HOT = 60
SCALED, FILLED, NATIVE = "scaled", "filled", "native"
Array = NDArray[np.float64]


@dataclass(frozen=True)
class Steps:
    """What is done to the columns of a fold before its learner sees them.

    Attributes
    ----------
    fill : str
        'median', 'mean', 'most-frequent', or 'none' for learners that take missing values.
    mark : bool
        Add a column of 0 and 1 for each number column with missing values.
    encode : str
        'one-hot', 'ordinal', 'target', or 'native' for learners that take category codes.
    scale : str
        'standard', 'robust' or 'none'.
    reduce : str
        'none', 'pca' or 'best'.
    keep : float
        Share kept by reduce: of the variance by pca, of the columns by best.
    """

    fill: str = "median"
    mark: bool = False
    encode: str = "one-hot"
    scale: str = "none"
    reduce: str = "none"
    keep: float = 1.0

    @property
    def columns(self) -> Steps:
        """The part before anything is reduced: what several configurations may share."""
        return replace(self, reduce="none", keep=1.0)

    @property
    def untouched(self) -> bool:
        return self == _PRESETS[NATIVE]


_PRESETS = {
    SCALED: Steps(scale="standard"),
    FILLED: Steps(),
    NATIVE: Steps(fill="none", encode="native"),
}


def steps_of(learner: Learner, settings: Mapping[str, Any]) -> Steps:
    """The steps that a configuration asks for, where it says nothing by the learner's preset."""
    preset = _PRESETS[learner.preparation]
    given = {s.name: settings.get(s.name, s.default) for s in preparation_settings(learner)}
    found = replace(preset, **given)
    if found.reduce == "none":
        return replace(found, keep=1.0)
    # What reduces columns knows neither gaps nor codes.
    fill = "median" if found.fill == "none" else found.fill
    return replace(found, fill=fill, encode="ordinal" if found.encode == "native" else found.encode)


def preparation_settings(learner: Learner) -> tuple[Setting, ...]:
    """The preparation's settings as this learner has them: its preset, and what it accepts."""
    preset = _PRESETS[learner.preparation]
    fills = "median | mean | most-frequent" + (" | none" if learner.missing else "")
    codes = "one-hot | ordinal | target" + (" | native" if learner.categories else "")
    none_scale, none_reduce = "standard | robust | none", "none | pca | best"
    return (
        Setting("fill", "What stands in for a missing number.", preset.fill, fills, fills, part=OF_PREPARATION),
        Setting(
            "mark", "Adds a column that says where a number was missing, in case that tells something.", preset.mark,
            "yes | no", "yes | no", part=OF_PREPARATION,
        ),
        Setting(
            "encode", "How categories become numbers: a column each, their order, or the target's mean (inside the fold).",
            preset.encode, codes, codes, part=OF_PREPARATION,
        ),
        Setting(
            "scale", "Brings numbers to one size: by mean and spread, by median and quartiles, or not at all.",
            preset.scale, none_scale, none_scale, part=OF_PREPARATION,
        ),
        Setting(
            "reduce", "Fewer columns: principal components, or those that tell most of the target by themselves.",
            preset.reduce, none_reduce, none_reduce, part=OF_PREPARATION,
        ),
        Setting(
            "keep", "How much reduce keeps: of the variance with pca, of the columns with best.",
            0.9, "0.3 .. 1", "0.01 .. 1", MORE_COSTS_MORE, part=OF_PREPARATION,
        ),
    )  # fmt: skip


def with_preparation(learner: Learner) -> Learner:
    """The learner with the preparation's settings after its own."""
    return replace(learner, settings=(*learner.settings, *preparation_settings(learner)))


def feature_matrix(table: Table, features: tuple[str, ...]) -> tuple[Array, tuple[int, ...]]:
    """All rows of the feature columns: numbers first, then category codes (NaN: missing).

    Returns
    -------
    matrix : ndarray, shape (rows, features)
    categories : tuple of int
        Number of categories of each category column, which are the last columns of the matrix.
    """
    found = [table.column(f, at="features") for f in features]
    numbers, labels = [c for c in found if c.numeric], [c for c in found if c.coded]
    matrix = np.empty((table.rows, len(numbers) + len(labels)))
    for place, column in enumerate(numbers):
        matrix[:, place] = table.numbers[:, column.place]
    for place, column in enumerate(labels, len(numbers)):
        codes = table.codes[:, column.place]
        matrix[:, place] = np.where(codes < 0, np.nan, codes)
    return matrix, tuple(len(c.categories) for c in labels)


def category_columns(width: int, categories: tuple[int, ...]) -> tuple[int, ...]:
    """Columns that a learner may treat as categories itself; wider ones are left as ordered codes."""
    first = width - len(categories)
    return tuple(first + i for i, count in enumerate(categories) if count <= MOST_NATIVE_CATEGORIES)


def native_columns(steps: Steps, width: int, categories: tuple[int, ...]) -> tuple[int, ...]:
    """Where category columns are once the steps are done; none unless they are left as codes."""
    return category_columns(width, categories) if steps.encode == "native" and not steps.mark else ()


def empty_columns(train: Array) -> tuple[int, ...]:
    """Columns that are missing in every row that is learnt from: they can tell nothing, and some learners stumble over them."""
    return tuple(int(place) for place in np.flatnonzero(np.isnan(train).all(axis=0)))


def without_empty(train: Array, *others: Array) -> tuple[Array, ...]:
    """The rows with 0 in every column that is missing in all of `train`."""
    empty = list(empty_columns(train))
    if not empty:
        return (train, *others)
    found = tuple(rows.copy() for rows in (train, *others))
    for rows in found:
        rows[:, empty] = 0.0
    return found


def emptied(width: int, empty: tuple[int, ...]) -> Any:
    """The unfitted transformer that does as `without_empty`, columns in their places; None where none is empty."""
    if not empty:
        return None
    from sklearn.compose import ColumnTransformer
    from sklearn.preprocessing import FunctionTransformer

    parts = [(f"column {i}", FunctionTransformer(np.zeros_like) if i in empty else "passthrough", [i]) for i in range(width)]
    return ColumnTransformer(parts)


def transformer(steps: Steps, width: int, categories: tuple[int, ...], task: str, seed: int = 0) -> Any:
    """The unfitted scikit-learn transformer of the steps before reduce, or None where columns go in as they are."""
    if steps.columns.untouched:
        return None
    from sklearn.compose import ColumnTransformer

    numbers = list(range(width - len(categories)))
    labels = list(range(width - len(categories), width))
    return ColumnTransformer([("numbers", _numbers(steps), numbers), ("categories", _categories(steps, task, seed), labels)])


def _numbers(steps: Steps) -> Any:
    from sklearn.impute import SimpleImputer
    from sklearn.pipeline import make_pipeline
    from sklearn.preprocessing import RobustScaler, StandardScaler

    parts: list[Any] = []
    if steps.fill != "none":
        way = steps.fill.replace("-", "_")
        parts.append(SimpleImputer(strategy=way, keep_empty_features=True, add_indicator=steps.mark))
    elif steps.mark:
        from sklearn.impute import MissingIndicator
        from sklearn.pipeline import make_union

        parts.append(make_union("passthrough", MissingIndicator(error_on_new=False)))
    if steps.scale != "none":
        parts.append(StandardScaler() if steps.scale == "standard" else RobustScaler())
    if not parts:
        return "passthrough"
    return parts[0] if len(parts) == 1 else make_pipeline(*parts)


def _categories(steps: Steps, task: str, seed: int) -> Any:
    from sklearn.impute import SimpleImputer
    from sklearn.pipeline import make_pipeline
    from sklearn.preprocessing import OneHotEncoder, TargetEncoder

    if steps.encode == "native":
        return "passthrough"
    fill = SimpleImputer(strategy="constant", fill_value=-1.0, keep_empty_features=True)
    if steps.encode == "ordinal":
        return fill
    if steps.encode == "target":
        from sklearn.model_selection import KFold

        # Said, not guessed: whole numbers would be taken for classes, with a column for each.
        kind = {REGRESSION: "continuous", BINARY: "binary"}.get(task, "multiclass")
        return make_pipeline(fill, TargetEncoder(target_type=kind, cv=KFold(5, shuffle=True, random_state=seed)))
    rare = OneHotEncoder(handle_unknown="infrequent_if_exist", max_categories=MOST_ONE_HOT, sparse_output=False)
    return make_pipeline(fill, rare)


def reducer(steps: Steps, task: str) -> Any:
    """The unfitted transformer of the reduce step, or None."""
    if steps.reduce == "none":
        return None
    if steps.reduce == "pca":
        from sklearn.decomposition import PCA

        return PCA(n_components=steps.keep if steps.keep < 1 else None, svd_solver="full")
    from sklearn.feature_selection import SelectPercentile, f_classif, f_regression

    return SelectPercentile(f_regression if task == REGRESSION else f_classif, percentile=100 * steps.keep)
