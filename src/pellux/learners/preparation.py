"""Columns made ready for a learner, fitted on a fold's training rows only.

scaled  numbers: median for missing, mean 0 and variance 1; categories: one column each
filled  numbers: median for missing; categories: one column each
native  numbers and category codes as they are, missing as NaN (the learner handles both)
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from pellux.learners.table import CATEGORY, NUMBER, Table

MOST_NATIVE_CATEGORIES = 255
MOST_ONE_HOT = 60
Array = NDArray[np.float64]


def feature_matrix(table: Table, features: tuple[str, ...]) -> tuple[Array, tuple[int, ...]]:
    """All rows of the feature columns: numbers first, then category codes (NaN: missing).

    Returns
    -------
    matrix : ndarray, shape (rows, features)
    categories : tuple of int
        Number of categories of each category column, which are the last columns of the matrix.
    """
    numbers = [c for c in (table.column(f, at="features") for f in features) if c.type == NUMBER]
    labels = [c for c in (table.column(f, at="features") for f in features) if c.type == CATEGORY]
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


def transformer(kind: str, width: int, categories: tuple[int, ...]) -> Any:
    """The unfitted scikit-learn transformer of a preparation, or None where columns go in as they are."""
    if kind == "native":
        return None
    from sklearn.compose import ColumnTransformer
    from sklearn.impute import SimpleImputer
    from sklearn.pipeline import make_pipeline
    from sklearn.preprocessing import OneHotEncoder, StandardScaler

    numbers = list(range(width - len(categories)))
    labels = list(range(width - len(categories), width))
    fill = SimpleImputer(strategy="median", keep_empty_features=True)
    encode = make_pipeline(
        SimpleImputer(strategy="constant", fill_value=-1.0, keep_empty_features=True),
        OneHotEncoder(handle_unknown="infrequent_if_exist", max_categories=MOST_ONE_HOT, sparse_output=False),
    )
    return ColumnTransformer(
        [
            ("numbers", make_pipeline(fill, StandardScaler()) if kind == "scaled" else fill, numbers),
            ("categories", encode, labels),
        ]
    )
