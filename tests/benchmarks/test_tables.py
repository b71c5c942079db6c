"""The tables that strategies are measured on: what they say is what was measured, and nothing is better than their best."""

from __future__ import annotations

import csv

import numpy as np
import pytest
from benchmarks.strategies import tables
from scipy.interpolate import RBFInterpolator
from scipy.stats import spearmanr

from pellux.core.space import Configuration


def _rows(name: str) -> list[tuple[Configuration, float, float]]:
    space = tables.SOURCES[name].space
    with tables.file_of(name).open() as file:
        rows = list(csv.DictReader(file))
    whole = {p.name for p in space.parameters if p.count is not None}
    return [
        ({p.name: int(r[p.name]) if p.name in whole else float(r[p.name]) for p in space.parameters}, float(r["score"]), float(r["seconds"]))
        for r in rows
    ]  # fmt: skip


def test_a_row_is_given_back_and_nothing_beats_the_best() -> None:
    name, rng = "forest, diabetes", np.random.default_rng(5)
    rows, space = _rows(name), tables.SOURCES[name].space
    for place in rng.choice(len(rows), 40, replace=False):
        configuration, score, seconds = rows[place]
        assert tables.look_up(name, configuration) == pytest.approx((score, seconds), rel=1e-6)
    problem = tables.problem(name)
    assert max(problem.truth(configuration) for configuration, _, _ in rows) < 0
    assert max(problem.truth(space.decode(point)) for point in rng.random((400, space.dimension))) < 0


def test_some_rows_tell_the_others() -> None:
    """Of support vectors: what lies between rows follows from them, the more so among good ones."""
    rows, space = _rows("support vectors, diabetes"), tables.SOURCES["support vectors, diabetes"].space
    order = np.random.default_rng(5).permutation(len(rows))[:2000]
    points = np.array([space.encode(rows[place][0]) for place in order])
    scores = np.array([rows[place][1] for place in order])
    said, real = RBFInterpolator(points[:1500], scores[:1500], kernel="thin_plate_spline")(points[1500:]), scores[1500:]
    good = real >= np.quantile(real, 0.75)
    assert np.sqrt(np.mean((said - real)[good] ** 2)) < 0.03 * (real.max() - np.median(real))
    assert spearmanr(said[good], real[good])[0] > 0.9


def test_a_row_measured_again_scores_the_same() -> None:
    configuration, score, _ = _rows("PCA + logistic, wine")[123]
    space = tables.SOURCES["PCA + logistic, wine"].space
    assert tables.measure("PCA + logistic, wine", space.encode(configuration))[-2] == pytest.approx(score, abs=2e-6)
