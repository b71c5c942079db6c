"""What gives the target away, and rows on both sides, against data made so."""

from __future__ import annotations

import numpy as np
import pytest

from pellux.core.judging.leaks import copies, determination, same


def made(rows: int = 2000) -> tuple[np.ndarray, np.ndarray]:
    rng = np.random.default_rng(0)
    return rng.normal(size=rows), (rng.random(rows) < 0.1).astype(int)


def test_an_honest_column_tells_little_and_a_leak_tells_all() -> None:
    noise, label = made()
    assert determination(noise, label, 2) < 0.15
    leak = np.where(label == 1, noise + 40, noise)
    assert determination(leak, label, 2) > 0.97
    leak[::3] = np.nan
    assert determination(leak, label, 2) > 0.5  # what is left of it still tells
    assert determination(np.where(label == 1, np.nan, noise), label, 2) > 0.97  # that it is missing tells


def test_a_common_value_is_told_from_its_neighbours() -> None:
    rng = np.random.default_rng(5)
    label = (rng.random(3000) < 0.11).astype(int)
    claim = np.where(label == 1, rng.uniform(0.001, 900, 3000), 0.0)
    assert determination(claim, label, 2) > 0.97


@pytest.mark.parametrize("classes", [2, 5])
def test_a_column_with_some_truth_is_told_by_its_share(classes: int) -> None:
    rng = np.random.default_rng(1)
    label = rng.integers(0, classes, 4000)
    known = rng.random(4000) < 0.7
    told = determination(np.where(known, label, rng.integers(0, classes, 4000)).astype(float), label, classes)
    assert told == pytest.approx(0.7, abs=0.05)


def test_numbers_are_told_by_the_variance_that_is_explained() -> None:
    rng = np.random.default_rng(2)
    x = rng.normal(size=5000)
    assert determination(x, x + 0.5 * rng.normal(size=5000), 0) == pytest.approx(0.8, abs=0.03)
    assert determination(rng.normal(size=5000), x, 0) < 0.02


def test_the_target_in_other_units_is_recognised() -> None:
    x = np.random.default_rng(3).normal(size=200)
    assert same(1.8 * x + 32, x)
    assert same(-x, x)
    assert not same(x + np.random.default_rng(4).normal(0, 0.01, 200), x)
    assert not same(np.ones(200), x)


def test_copies_point_to_their_first_row() -> None:
    rows = np.array([[1.0, 2.0], [3.0, 4.0], [1.0, 2.0], [5.0, 6.0], [3.0, 4.0]])
    assert copies(rows).tolist() == [0, 1, 0, 3, 1]
