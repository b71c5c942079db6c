"""The tables that memory is measured on: their rows are real fits, and the spline keeps near them."""

from __future__ import annotations

import csv

import numpy as np
import pytest
from benchmarks.memory.playing import Run
from benchmarks.memory.sizes import SIZED, file_of, size_of
from benchmarks.memory.tables import CASES, KIN_CASES, Case, best, measure, problem, range_of, table
from scipy.stats import spearmanr

QUICK = [Case("elastic", "diabetes"), Case("tree", "rings"), Case("support", "many columns"), Case("tree", "energy, far")]


@pytest.mark.parametrize("case", QUICK, ids=lambda case: case.name)
def test_rows_are_what_fitting_anew_gives(case: Case) -> None:
    found = table(case)
    for place in np.random.default_rng(3).choice(len(found.scores), 3, replace=False):
        assert measure(case, found.configurations[place])[1] == pytest.approx(found.scores[place], abs=1e-6)


def test_sizes_of_models_are_those_of_the_same_rows() -> None:
    for case in SIZED:
        told = file_of(case).read_text().split()
        assert told[0] == "bytes"
        assert len(told) == 1 + len(table(case).scores)
    case, row = Case("tree", "rings"), 7
    assert size_of(case, table(case).configurations[row]) == pytest.approx(
        int(file_of(case).read_text().split()[1 + row]), rel=0.01
    )


def test_between_rows_the_spline_follows_them_and_nothing_beats_its_best() -> None:
    for case in QUICK:
        found = table(case)
        told = [found.score(c) for c in found.configurations]
        assert spearmanr(told, found.scores)[0] > 0.85, "what folds make uneven is smoothed"
        assert max(problem(case).truth(c) for c in found.configurations) <= 1e-9


def test_every_case_is_there_and_trials_are_counted_until_near_enough() -> None:
    assert (len(CASES), len(KIN_CASES)) == (40, 48)
    for case in (*CASES, *KIN_CASES):
        with case.file.open() as file:
            assert sum(1 for _ in csv.reader(file)) == 194, "the usual settings and 192 others, below a line of names"
    case = QUICK[0]
    near = 0.01 * abs(best(case)) / range_of(case)
    assert near > 0.01, "one per cent of a score asks for less than one of what there is to gain"
    run = Run(case, 0, (1.0, 0.9 * near, 0.5 * near, 0.009))
    assert (run.within_score(), run.within_range(), run.best_at(3)) == (2, 4, 0.5 * near)
    assert Run(case, 0, (1.0, 0.9)).within_range() == 3, "never"
