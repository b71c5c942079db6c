"""Kernels of squared distances, and the distances themselves.

Two kinds of joint kernel: Matérn-5/2 for functions with edges, the squared exponential for smooth ones (Rasmussen &
Williams 2006, chapter 4). Where scores change smoothly the second needs far fewer trials to find a top.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
ROOT5 = np.sqrt(5.0)


def joint(squared: Array, *, smooth: bool) -> tuple[Array, Array]:
    """The kernel at squared distances, and its derivative by the squared distance."""
    return squared_exponential(squared) if smooth else matern(squared)


def correlation(squared: Array, *, smooth: bool) -> Array:
    """The kernel alone, at a third of the cost; what is given is written over."""
    if smooth:
        squared *= -0.5
        return np.exp(squared, out=squared)
    squared *= 5.0
    distance = np.sqrt(squared)
    squared /= 3.0
    squared += distance
    squared += 1.0
    np.negative(distance, out=distance)
    squared *= np.exp(distance, out=distance)
    return squared


def squared_exponential(squared: Array) -> tuple[Array, Array]:
    """Correlation and its derivative by the squared distance, both of the shape of `squared` (squared distances over length scales)."""
    found = np.exp(-0.5 * squared)
    return found, -0.5 * found


def matern(squared: Array) -> tuple[Array, Array]:
    """Matérn 5/2 correlation and its derivative by the squared distance (Rasmussen & Williams 2006, eq. 4.17); shapes as of `squared`."""
    distance = ROOT5 * np.sqrt(squared)
    decay = np.exp(-distance)
    return (1 + distance + distance * distance / 3) * decay, (-5 / 6) * (1 + distance) * decay


def squared_distances(a: Array, b: Array) -> Array:
    """Between all rows of two arrays; never below 0."""
    found: Array = np.add.outer((a * a).sum(1), (b * b).sum(1))
    product = a @ b.T
    product *= 2
    found -= product  # in place: these are the largest arrays of all, and each new one costs as much as the sum
    np.maximum(found, 0.0, out=found)
    return found


def pairs(features: Array, groups: NDArray[np.intp], rows: NDArray[np.intp], columns: NDArray[np.intp]) -> Array:
    """Squared distances of pairs of rows, in each group of columns alone; shape (groups, pairs). Groups are numbered in their order."""
    apart = (features[rows] - features[columns]).T
    apart *= apart
    found: Array = np.add.reduceat(apart, np.flatnonzero(np.diff(groups, prepend=-1)), axis=0)
    return found
