"""Out-of-fold predictions as bytes: compact, and exact where scores are recomputed from them.

One byte says what follows; numbers are little-endian.

p   probability of the positive class, float64          v   predicted numbers, float64
q   probabilities of up to 20 classes, float32          l   class codes, uint16
h   probabilities of more classes, float16
An upper-case letter says that what follows is compressed with zlib.
"""

from __future__ import annotations

import zlib
from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pellux.core.errors import Conflict

Array = NDArray[Any]
KINDS = {b"p": "<f8", b"q": "<f4", b"h": "<f2", b"v": "<f8", b"l": "<u2"}
FINE_CLASSES = 20
WORTHWHILE = 0.8  # compress when it saves at least a fifth


def encode(predicted: Array, needs: str) -> bytes:
    """Predictions as a learner gave them; `needs` is 'probabilities', 'labels' or 'values'."""
    if needs == "labels":
        return _packed(b"l", predicted)
    if needs == "values":
        return _packed(b"v", predicted)
    classes = predicted.shape[1]
    if classes == 2:
        return _packed(b"p", predicted[:, 1])
    return _packed(b"q" if classes <= FINE_CLASSES else b"h", predicted)


def _packed(kind: bytes, values: Array) -> bytes:
    plain = np.ascontiguousarray(values, dtype=KINDS[kind]).tobytes()
    small = zlib.compress(plain, 1)
    return kind.upper() + small if len(small) < WORTHWHILE * len(plain) else kind + plain


def decode(found: bytes, classes: int) -> Array:
    """Probabilities (rows, classes), class codes (rows,) or numbers (rows,)."""
    kind, body = found[:1], found[1:]
    plain = zlib.decompress(body) if kind.isupper() else body
    kind = kind.lower()
    if kind not in KINDS:
        raise Conflict("Stored predictions are of a kind this version does not know.")
    values = np.frombuffer(plain, dtype=KINDS[kind])
    if kind == b"p":
        return np.column_stack([1 - values, values])
    if kind in (b"q", b"h"):
        return values.reshape(-1, classes).astype(float)
    return values.astype(np.int64) if kind == b"l" else values


def as_needed(predicted: Array, needs: str) -> Array | None:
    """Stored predictions in the form a metric needs; None when they cannot give it."""
    if needs == "probabilities":
        return predicted if predicted.ndim == 2 else None
    if needs == "labels":
        return predicted.argmax(axis=1) if predicted.ndim == 2 else predicted
    return predicted if predicted.ndim == 1 else None


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
