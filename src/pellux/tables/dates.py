"""Dates written as text: which way, and as days since 1970-01-01."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

ISO = "ISO 8601"
DAYS = ("%d.%m.%Y", "%d/%m/%Y", "%m/%d/%Y", "%Y/%m/%d", "%d-%m-%Y", "%m-%d-%Y", "%Y%m%d")
TIMES = ("", " %H:%M", " %H:%M:%S")
FORMS = (ISO, *(day + time for day in DAYS[:-1] for time in TIMES))
SECONDS_A_DAY = 86_400.0
MONTH_FIRST = {"%d/%m/%Y": "%m/%d/%Y", "%d-%m-%Y": "%m-%d-%Y"}
ISO_LIKE = r"^\s*\d{4}-\d{2}-\d{2}([ T]\d{2}:\d{2}(:\d{2}(\.\d{1,6})?)?)?(Z|[+-]\d{2}:?\d{2})?\s*$"


def days(texts: pa.Array, form: str) -> pa.Array:
    """Days as float64; null where a text is no date of this form."""
    if form == ISO:
        good = pc.if_else(pc.match_substring_regex(texts, ISO_LIKE), pc.utf8_trim_whitespace(texts), pa.scalar(None, pa.string()))
        try:
            stamps = pc.cast(good, pa.timestamp("us"))
        except pa.ArrowInvalid:
            stamps = _one_by_one(good)
    else:
        stamps = pc.strptime(pc.utf8_trim_whitespace(texts), format=form, unit="s", error_is_null=True)
    return of_timestamps(stamps)


def _one_by_one(texts: pa.Array) -> pa.Array:
    """Where a zone or an impossible day keeps the whole column from being converted at once."""
    found = []
    for text in texts.to_pylist():
        stamp = None
        if text is not None:
            for zone in (None, "UTC"):
                try:
                    stamp = pc.cast(pa.scalar(text), pa.timestamp("us", tz=zone)).cast(pa.timestamp("us")).value
                    break
                except pa.ArrowInvalid:
                    continue
        found.append(stamp)
    return pa.array(found, pa.timestamp("us"))


def of_timestamps(stamps: pa.Array) -> pa.Array:
    """Dates and times of any unit as days since 1970-01-01."""
    seconds = pc.cast(pc.cast(pc.cast(stamps, pa.timestamp("us"), safe=False), pa.int64()), pa.float64(), safe=False)
    return pc.divide(seconds, SECONDS_A_DAY * 1e6)


def form_of(samples: Sequence[str]) -> tuple[str, str]:
    """The form that all samples have, and a note; empty when they are no dates.

    Where both day and month could come first, the day does, and the note says so.
    """
    texts = pa.array(list(samples), pa.string())
    reads = {form: int(days(texts, form).null_count) for form in FORMS}
    whole = [form for form, unread in reads.items() if unread == 0]
    if not whole:
        some = [form for form, unread in reads.items() if unread < len(samples)]
        if len(some) > 1 and _together(texts, some):
            return "", f"dates in different forms ({', '.join(readable(f) for f in some[:3])}); bring them into one"
        return "", ""
    form = whole[0]
    other = next((f"{m}{form[len(d) :]}" for d, m in MONTH_FIRST.items() if form.startswith(d)), "")
    if other in whole:
        return form, f"read with the day first; if the month is first, set its type to 'date {other}'"
    return form, ""


def _together(texts: pa.Array, forms: Sequence[str]) -> bool:
    unread: NDArray[np.bool_] = np.ones(len(texts), bool)
    for form in forms:
        unread &= np.asarray(days(texts, form).is_null())
    return not unread.any()


def readable(form: str) -> str:
    for sign, word in (("%d", "DD"), ("%m", "MM"), ("%Y", "YYYY"), ("%H", "hh"), ("%M", "mm"), ("%S", "ss")):
        form = form.replace(sign, word)
    return form
