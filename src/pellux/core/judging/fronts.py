"""Fronts: the points that no other beats in every respect, how good a front is, and which of its points to choose.

Values are arrays of shape (points, metrics), turned so that larger is better. A row with NaN in it is on no front.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Mask = NDArray[np.bool_]
MARGIN = 0.1  # of the front's extent: so far beyond its worst lies the reference point, or its ends would count for nothing
DEEPEST = 60  # layers that are told apart where there are more than two metrics
TIE = 1e-3  # weight of the sum beside the largest shortfall: of points equal in that, not one that another beats


def on_front(values: Array) -> Mask:
    """Which points no other beats: as good in every metric and better in one. Of equal points all are, shape (n,)."""
    found = np.zeros(len(values), dtype=bool)
    known = np.flatnonzero(np.isfinite(values).all(1)) if len(values) else np.empty(0, dtype=int)
    order = known[np.lexsort(-values[known].T[::-1])]
    kept = np.empty((len(order), values.shape[1] if values.ndim == 2 else 0))
    count = 0
    for i in order:  # whatever beats a point comes before it
        front, point = kept[:count], values[i]
        if not ((front >= point).all(1) & (front > point).any(1)).any():
            kept[count] = point
            count += 1
            found[i] = True
    return found


def layers(values: Array) -> NDArray[np.intp]:
    """For each point how many fronts have to be taken away before it is on one, shape (n,); -1 for one with NaN.

    Two metrics by one pass over the sorted points (Jensen 2003); three by taking fronts away, the deepest are not told apart.
    """
    found = np.full(len(values), -1, dtype=np.intp)
    known = np.flatnonzero(np.isfinite(values).all(1)) if len(values) else np.empty(0, dtype=int)
    if not len(known):
        return found
    if values.shape[1] != 2:
        left, depth = known, 0
        while len(left) and depth < DEEPEST:
            front = on_front(values[left])
            found[left[front]] = depth
            left, depth = left[~front], depth + 1
        found[left] = depth
        return found
    ends: list[float] = []  # of each layer the best second value so far, turned: rising from layer to layer
    before: tuple[float, float] | None = None
    for i in known[np.lexsort(-values[known].T[::-1])]:
        point = (float(values[i, 0]), float(values[i, 1]))
        if point != before:
            layer = bisect_right(ends, -point[1])
            if layer == len(ends):
                ends.append(-point[1])
            else:
                ends[layer] = -point[1]
        found[i], before = layer, point
    return found


def crowding(values: Array) -> Array:
    """How far the neighbours of each point lie apart, summed over metrics in units of their extent; ends have 'inf' (Deb et al. 2002)."""
    found = np.zeros(len(values))
    for column in values.T:
        order = np.argsort(column, kind="stable")
        extent = float(column[order[-1]] - column[order[0]])
        found[order[[0, -1]]] = np.inf
        if extent > 0 and len(order) > 2:
            found[order[1:-1]] += (column[order[2:]] - column[order[:-2]]) / extent
    return found


def standing(values: Array) -> Array:
    """One number a point that orders them: by layer, within a layer the lonely ones first; -inf for a point with NaN, shape (n,)."""
    depth = layers(values)
    found = np.full(len(values), -np.inf)
    for layer in range(int(depth.max(initial=-1)) + 1):
        among = np.flatnonzero(depth == layer)
        apart = crowding(values[among])
        with np.errstate(invalid="ignore"):
            found[among] = -layer + 0.9 * np.where(np.isinf(apart), 1.0, apart / (1.0 + apart))
    return found


def reference_point(values: Array, also: Array | None = None) -> Array:
    """The point from which a front is measured: beyond the worst of the front by a tenth of its extent, and no better than `also`
    (the baseline), shape (metrics,).

    Ishibuchi, Imada, Setoguchi & Nojima, Evolutionary Computation 26(3), 2018. Where the front is one point, the extent of all
    points stands for its own.
    """
    known = values[np.isfinite(values).all(1)]
    front = known[on_front(known)]
    extent = np.ptp(front, axis=0)
    extent = np.where(extent > 0, extent, np.ptp(known, axis=0))
    worst = front.min(0)
    if also is not None:
        worst = np.fmin(worst, also)
    found: Array = worst - MARGIN * np.where(extent > 0, extent, np.maximum(np.abs(worst), 1.0))
    return found


def boxes(front: Array, reference: Array) -> tuple[Array, Array]:
    """The part above the reference point that no point of a front covers, cut into boxes that do not overlap.

    Returns their lower and upper corners, shapes (k, metrics); upper ones may be infinite. By local upper bounds: Klamroth, Lacour &
    Vanderpooten, EJOR 245(3), 2015; the boxes: Lacour, Klamroth & Fonseca, Computers & OR 79, 2017.
    """
    metrics = len(reference)
    bounds = -np.asarray(reference, dtype=float)[None]  # as their authors do, what is small is good from here on
    defining = np.full((1, metrics, metrics), -np.inf)
    defining[0, range(metrics), range(metrics)] = bounds[0]
    for point in np.unique(-np.asarray(front, dtype=float), axis=0):
        inside = (point < bounds).all(1)
        if not inside.any():
            continue
        new, new_defining = [bounds[~inside]], [defining[~inside]]
        for j in range(metrics):
            others = defining[inside][:, [k for k in range(metrics) if k != j], j].max(1, initial=-np.inf)
            keep = point[j] >= others
            moved, by = bounds[inside][keep].copy(), defining[inside][keep].copy()
            moved[:, j], by[:, j] = point[j], point
            new.append(moved)
            new_defining.append(by)
        bounds, defining = np.concatenate(new), np.concatenate(new_defining)
    lowest = np.full_like(bounds, -np.inf)
    for j in range(1, metrics):
        lowest[:, j] = defining[:, :j, j].max(1)
    solid = (bounds > lowest).all(1)
    return -bounds[solid], -lowest[solid]


def hypervolume(values: Array, reference: Array) -> float:
    """Volume between the reference point and what the points reach, in the product of the metrics' units."""
    values = values[np.isfinite(values).all(1)]
    values = values[(values > reference).all(1)]
    if not len(values):
        return 0.0
    top = values.max(0)
    low, high = boxes(values[on_front(values)], reference)
    free = np.prod(np.maximum(np.minimum(high, top) - low, 0.0), axis=1).sum()
    return float(np.prod(top - reference) - free)


def course(values: Array, reference: Array) -> Array:
    """The hypervolume after each point, shape (n,); the points in the order in which they came."""
    found, front, now = np.zeros(len(values)), np.empty((0, values.shape[1])), 0.0
    for i, point in enumerate(values):
        if np.isfinite(point).all() and (point > reference).all() and not (front >= point).all(1).any():
            front = np.vstack([front[~(point >= front).all(1)], point])
            now = hypervolume(front, reference)
        found[i] = now
    return found


def choose(values: Array, weights: Sequence[float] | None = None) -> int | None:
    """Which point of the front to take; None where there is no front.

    Without weights its knee: the point furthest from the plane through the ends (Das, Structural Optimization 18, 1999), which in units of
    the front's extent is the one with the largest sum. With weights the point whose largest weighted shortfall from the best of each
    metric is smallest (Steuer & Choo, Mathematical Programming 26, 1983): unlike the largest sum it can be any point of the front.
    """
    front = np.flatnonzero(on_front(values))
    if not len(front):
        return None
    extent = np.ptp(values[front], axis=0)
    short = (values[front].max(0) - values[front]) / np.where(extent > 0, extent, 1.0)
    if weights is None:
        return int(front[np.argmin(short.sum(1))])
    weighed = short * np.asarray(weights) / max(float(np.sum(weights)), 1e-300)
    return int(front[np.argmin(weighed.max(1) + TIE * short.sum(1))])
