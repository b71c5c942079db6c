"""What makes scores look better than the model is: columns that give the answer away, and rows that stand on both sides."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

Array = NDArray[Any]
BINS = 64
FEWEST_ROWS = 40
ROWS_A_BIN = 20


def determination(values: Array, target: Array, classes: int) -> float:
    """How far one column alone gives the target away, on rows that were not looked at.

    Parameters
    ----------
    values : ndarray, shape (rows,)
        Numbers, NaN where missing.
    target : ndarray, shape (rows,)
        Class codes, or numbers when `classes` is 0.

    Returns
    -------
    float
        Classes: balanced accuracy of guessing each bin's likeliest class, turned so that 0 is guessing and 1 is certain.
        Numbers: share of the variance that the bins' means explain. Learnt on every other row, judged on the rest.
    """
    if len(values) < FEWEST_ROWS:
        return 0.0
    bins = _binned(values)
    one = np.zeros(len(values), dtype=bool)
    one[np.random.default_rng(0).permutation(len(values))[::2]] = True
    found = _of_classes if classes else _of_numbers
    return found(bins[one], target[one], bins[~one], target[~one], classes)


def _binned(values: Array) -> NDArray[np.intp]:
    known = values[~np.isnan(values)]
    different = np.unique(known)
    most = min(BINS, max(len(values) // ROWS_A_BIN, 4))
    edges = different if len(different) <= most else np.unique(np.quantile(known, np.linspace(0, 1, most + 1)[1:-1]))
    filled = np.nan_to_num(values, nan=np.inf)
    # A value that is itself an edge gets a bin of its own: it is common, such as a 0 that stands for nothing.
    found = np.searchsorted(edges, filled, side="left") + np.searchsorted(edges, filled, side="right")
    found[np.isnan(values)] = 2 * len(edges) + 1
    return np.asarray(found)


def _of_classes(bins: Array, target: Array, other_bins: Array, other: Array, classes: int) -> float:
    counts = np.zeros((max(bins.max(), other_bins.max()) + 1, classes))
    np.add.at(counts, (bins, target), 1)
    shares = counts / np.maximum(counts.sum(axis=0), 1)  # each class counts the same, however rare
    said = shares.argmax(axis=1)[other_bins]
    there = [c for c in range(classes) if (other == c).any()]
    if len(there) < 2:
        return 0.0
    balanced = float(np.mean([(said[other == c] == c).mean() for c in there]))
    return max((balanced - 1 / len(there)) / (1 - 1 / len(there)), 0.0)


def _of_numbers(bins: Array, target: Array, other_bins: Array, other: Array, classes: int) -> float:
    size = max(bins.max(), other_bins.max()) + 1
    rows = np.bincount(bins, minlength=size)
    means = np.bincount(bins, weights=target, minlength=size) / np.maximum(rows, 1)
    means[rows == 0] = target.mean()
    spread = float(((other - other.mean()) ** 2).sum())
    return max(1 - float(((other - means[other_bins]) ** 2).sum()) / spread, 0.0) if spread > 0 else 0.0


def same(values: Array, target: Array) -> bool:
    """Whether a column is the target, or a straight line of it."""
    known = ~np.isnan(values)
    if known.sum() < FEWEST_ROWS or np.std(values[known]) == 0 or np.std(target[known]) == 0:
        return False
    return bool(abs(np.corrcoef(values[known], target[known])[0, 1]) > 1 - 1e-9)


def copies(matrix: Array) -> Array:
    """For every row the number of the first row that is equal to it, shape (rows,)."""
    rows = np.ascontiguousarray(matrix).view(np.dtype((np.void, matrix.dtype.itemsize * matrix.shape[1]))).ravel()
    _, first, inverse = np.unique(rows, return_index=True, return_inverse=True)
    return np.asarray(first[inverse])
