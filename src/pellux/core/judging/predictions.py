"""Out-of-fold predictions as bytes: compact, and exact enough that scores recomputed from them are the same.

One byte says what follows; numbers are little-endian.

p   probability of the positive class, float64          v   predicted numbers, float64
q   probabilities of all classes, float32               l   class codes, uint16
d   probabilities of all classes, float64
h   probabilities of all classes, float16: read only, earlier versions wrote it
An upper-case letter says that what follows is compressed with zlib. A byte 1 begins predictions that bring their truth along:
four bytes with the truth's length, the truth, then predictions as above.
"""

from __future__ import annotations

import zlib
from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pellux.core.errors import Conflict

Array = NDArray[Any]
KINDS = {b"p": "<f8", b"q": "<f4", b"d": "<f8", b"h": "<f2", b"v": "<f8", b"l": "<u2"}
BRINGS_TRUTH = b"\x01"
WORTHWHILE = 0.8  # compress when it saves at least a fifth


def encode(predicted: Array, needs: str, faithful: Callable[[Array], bool] = lambda decoded: True) -> bytes:
    """Predictions as a learner gave them; `needs` is 'probabilities', 'labels' or 'values'.

    Probabilities are kept in the shortest form that is `faithful`, which is asked with what would be read back.
    """
    if needs == "labels":
        return _packed(b"l", predicted)
    if needs == "values":
        return _packed(b"v", predicted)
    classes = predicted.shape[1]
    short = _packed(b"p", predicted[:, 1]) if classes == 2 else _packed(b"q", predicted)
    back = decode(short, classes)
    return short if np.array_equal(back, predicted) or faithful(back) else _packed(b"d", predicted)


def _packed(kind: bytes, values: Array) -> bytes:
    plain = np.ascontiguousarray(values, dtype=KINDS[kind]).tobytes()
    small = zlib.compress(plain, 1)
    return kind.upper() + small if len(small) < WORTHWHILE * len(plain) else kind + plain


def with_truth(encoded: bytes, truth: bytes) -> bytes:
    """Predictions with what was true of their rows, where no table holds that."""
    return BRINGS_TRUTH + len(truth).to_bytes(4, "little") + truth + encoded


def truth_in(found: bytes) -> bytes | None:
    """What predictions bring along as their truth; None where they bring none."""
    return found[5 : 5 + int.from_bytes(found[1:5], "little")] if found[:1] == BRINGS_TRUTH else None


def decode(found: bytes, classes: int) -> Array:
    """Probabilities (rows, classes), class codes (rows,) or numbers (rows,)."""
    truth = truth_in(found)
    if truth is not None:
        return decode(found[5 + len(truth) :], classes)
    kind, body = found[:1], found[1:]
    plain = zlib.decompress(body) if kind.isupper() else body
    kind = kind.lower()
    if kind not in KINDS:
        raise Conflict("Stored predictions are of a kind this version does not know.")
    values = np.frombuffer(plain, dtype=KINDS[kind])
    if kind == b"p":
        return np.column_stack([1 - values, values])
    if kind in (b"q", b"d", b"h"):
        return values.reshape(-1, classes).astype(float)
    return values.astype(np.int64) if kind == b"l" else values


def as_needed(predicted: Array, needs: str) -> Array | None:
    """Stored predictions in the form a metric needs; None when they cannot give it."""
    if needs == "probabilities":
        return predicted if predicted.ndim == 2 else None
    if needs == "labels":
        return predicted.argmax(axis=1) if predicted.ndim == 2 else predicted
    return predicted if predicted.ndim == 1 else None


def assemble_repeats(parts: Mapping[int, bytes], lines: Array, folds: int, classes: int) -> Array | None:
    """Out-of-fold predictions of every repeat, one below the other; None when a fold is missing.

    Parameters
    ----------
    parts : mapping of fold to encoded predictions; folds count on from repeat to repeat
    lines : ndarray, shape (repeats, rows)
        The fold that tests each row, 0 .. folds-1.
    """
    found = [
        assemble({fold - repeat * folds: data for fold, data in parts.items() if fold // folds == repeat}, line, classes)
        for repeat, line in enumerate(lines)
    ]
    whole = [one for one in found if one is not None]
    same = len(whole) == len(found) and len({one.shape[1:] for one in whole}) == 1
    return np.concatenate(whole) if same else None


def assemble(parts: Mapping[int, bytes], fold: Array, classes: int) -> Array | None:
    """Out-of-fold predictions of all rows from those of each fold; None when a fold is missing.

    Parameters
    ----------
    parts : mapping of fold to encoded predictions
    fold : ndarray, shape (rows,)
        The fold that tests each row; every row is in one.
    """
    found: Array | None = None
    for number in np.unique(fold):
        if int(number) not in parts:
            return None
        values = decode(parts[int(number)], classes)
        if found is None:
            found = np.empty((len(fold), *values.shape[1:]), dtype=values.dtype)
        rows = np.flatnonzero(fold == number)
        if len(rows) != len(values) or values.shape[1:] != found.shape[1:]:
            return None
        found[rows] = values
    return found
