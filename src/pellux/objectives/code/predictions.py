"""Out-of-fold predictions that own code leaves: predictions.csv in its folder, row by row, with the truth beside.

A header of `row, truth, predicted`, or of `row, truth` and one column a class that holds its probability. Rows are named as
the code likes, each once in a fold; what is kept is in the order of these names, so that folds and trials fit together.
"""

from __future__ import annotations

import csv
import json
import math
import re
import zlib
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from pellux.core.judging import BINARY, MULTICLASS, REGRESSION
from pellux.core.judging.predictions import encode, with_truth

FILE = "predictions.csv"
MOST_ROWS, MOST_BYTES, MOST_CLASSES = 1_000_000, 256 * 2**20, 1000
WHOLE = re.compile(r"-?\d{1,15}")


class Unreadable(Exception):
    """The file cannot be used; the message is for people. The score stands all the same."""


@dataclass(frozen=True)
class Truth:
    """What the rows of a fold are, the same for every trial.

    Attributes
    ----------
    classes : tuple of str
        In the order of their codes; empty where numbers are predicted.
    rows : tuple of str
    truth : ndarray, shape (rows,)
        Class codes or numbers.
    """

    task: str
    classes: tuple[str, ...]
    rows: tuple[str, ...]
    truth: NDArray[np.float64]

    def to_bytes(self) -> bytes:
        found = {"task": self.task, "classes": self.classes, "rows": self.rows, "truth": self.truth.tolist()}
        return zlib.compress(json.dumps(found, separators=(",", ":")).encode(), 6)

    @staticmethod
    def from_bytes(content: bytes) -> Truth:
        found = json.loads(zlib.decompress(content))
        return Truth(found["task"], tuple(found["classes"]), tuple(found["rows"]), np.asarray(found["truth"], dtype=float))


def read_predictions_file(folder: Path) -> bytes | None:
    """The predictions of a fold, encoded with their truth; None where there are none, Unreadable where they cannot be used."""
    path = folder / FILE
    if not path.is_file() or path.is_symlink():
        return None
    if path.stat().st_size > MOST_BYTES:
        raise Unreadable(f"{FILE} is larger than {MOST_BYTES // 2**20} MB and is left alone.")
    try:
        with path.open(encoding="utf-8-sig", newline="") as file:
            lines = list(csv.reader(file))
    except (OSError, ValueError, csv.Error) as error:
        raise Unreadable(f"{FILE} cannot be read: {error}.") from None
    if not lines:
        raise Unreadable(f"{FILE} cannot be read: it is empty.")
    header, *lines = lines
    header = [name.strip() for name in header]
    rows = [line for line in lines if line]
    _check(header, rows)
    if header[2:] == ["predicted"]:
        return _labels_or_numbers(rows)
    return _probabilities(header[2:], rows)


def _check(header: Sequence[str], rows: Sequence[Sequence[str]]) -> None:
    if header[:2] != ["row", "truth"] or len(header) < 3:
        raise Unreadable(f"{FILE} begins with row, truth, and predicted or the classes. It begins with: {', '.join(header)[:100]}.")
    if not rows or len(rows) > MOST_ROWS:
        raise Unreadable(f"{FILE} has {len(rows):,} rows; 1 to {MOST_ROWS:,} can be used.")
    wrong = next((at for at, row in enumerate(rows, 2) if len(row) != len(header)), None)
    if wrong is not None:
        raise Unreadable(f"{FILE}, line {wrong}: there are not as many values as the header names.")
    if len({row[0] for row in rows}) < len(rows):
        raise Unreadable(f"{FILE} has a row twice.")


def _ordered(rows: Sequence[Sequence[str]]) -> list[Sequence[str]]:
    """By their names, numbers by their size."""
    whole = all(WHOLE.fullmatch(row[0]) for row in rows)
    return sorted(rows, key=lambda row: (int(row[0]), "") if whole else (0, row[0]))


def _labels_or_numbers(rows: Sequence[Sequence[str]]) -> bytes:
    ordered = _ordered(rows)
    names = tuple(row[0] for row in ordered)
    truth, said = ([row[place] for row in ordered] for place in (1, 2))
    numbers = [_numbers(values) for values in (truth, said)]
    distinct = {*truth, *said}
    few = len(distinct) <= 20 and all(WHOLE.fullmatch(value) for value in distinct)
    if numbers[0] is not None and numbers[1] is not None and not few:
        return with_truth(encode(numbers[1], "values"), Truth(REGRESSION, (), names, numbers[0]).to_bytes())
    classes = tuple(sorted(distinct, key=lambda value: (0, int(value), "") if few else (1, 0, value)))
    if not 2 <= len(classes) <= MOST_CLASSES:
        raise Unreadable(f"{FILE} has {len(classes)} classes; 2 to {MOST_CLASSES} can be used.")
    codes = {label: code for code, label in enumerate(classes)}
    kept = Truth(_task(classes), classes, names, np.array([codes[value] for value in truth], dtype=float))
    return with_truth(encode(np.array([codes[value] for value in said]), "labels"), kept.to_bytes())


def _probabilities(classes: Sequence[str], rows: Sequence[Sequence[str]]) -> bytes:
    ordered = _ordered(rows)
    codes = {label: code for code, label in enumerate(classes)}
    unknown = next((row[1] for row in ordered if row[1] not in codes), None)
    if len(codes) < len(classes) or not 2 <= len(classes) <= MOST_CLASSES:
        raise Unreadable(f"{FILE} needs a column for each of 2 to {MOST_CLASSES} classes, each once.")
    if unknown is not None:
        raise Unreadable(f"{FILE} has the truth '{unknown[:60]}', and no column for that class.")
    found = _numbers([value for row in ordered for value in row[2:]])
    if found is None:
        raise Unreadable(f"{FILE} has a probability that is no finite number.")
    matrix = found.reshape(len(ordered), len(classes))
    total = matrix.sum(axis=1)
    if (matrix < 0).any() or (np.abs(total - 1) > 0.01).any():
        raise Unreadable(f"{FILE}: the probabilities of a row are 0 or more and sum to 1.")
    truth = np.array([codes[row[1]] for row in ordered], dtype=float)
    kept = Truth(_task(classes), tuple(classes), tuple(row[0] for row in ordered), truth)
    return with_truth(encode(matrix / total[:, None], "probabilities"), kept.to_bytes())


def _task(classes: Sequence[str]) -> str:
    return BINARY if len(classes) == 2 else MULTICLASS


def _numbers(values: Sequence[str]) -> NDArray[np.float64] | None:
    try:
        found = [float(value) for value in values]
    except ValueError:
        return None
    return np.array(found) if all(math.isfinite(value) for value in found) else None
