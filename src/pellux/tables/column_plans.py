"""What the columns of a data file are read as, guessed from a beginning: numbers, dates, categories, ids, free text."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from pellux.core.errors import InvalidData
from pellux.tables import dates
from pellux.tables.readings import Reading
from pellux.tables.sources import LARGE, NESTED
from pellux.tables.table import CATEGORY, DATE, NUMBER, TEXT, YES_NO

SAMPLED = 2_000  # values that are looked at to find out whether a column holds dates
EXACT_TO = float(2**53)  # whole numbers from here on are not told from their neighbours by a floating-point number
WHOLE = re.compile(r"[+-]?\d{1,400}")
IDS = "whole numbers too large to be told apart as numbers: kept as labels"
FEW_STRAYS = 0.02  # share of values that are no numbers, up to which a column is taken for numbers gone wrong


class Unfit(Exception):
    """A column holds something else than its beginning let expect; `plan` says how it is to be read."""

    def __init__(self, plan: Plan) -> None:
        self.plan = plan


@dataclass(frozen=True)
class Plan:
    """What a column is read as.

    Attributes
    ----------
    kind : str
        NUMBER, DATE, CATEGORY (which may turn out to be yes/no or text), or TEXT for what is left out.
    wanted : str
        The type that a person gave it; empty when it was found out.
    form : str
        Of dates that are written as text.
    decimal : str
        The decimal sign of numbers that are written as text.
    exact : bool
        Numbers so large that their texts have to be looked at: whole ones past 2^53 may be ids, and are kept as labels then.
    """

    kind: str
    wanted: str = ""
    form: str = ""
    note: str = ""
    decimal: str = "."
    exact: bool = False


def plan_of(column: pa.Array, reading: Reading, name: str) -> Plan:
    if column.type != NESTED and (pa.types.is_string(column.type) or name in reading.types):
        return plan_of_text(as_text(column), reading, name)
    return plan_by_kind(column)


def plan_by_kind(column: pa.Array) -> Plan:
    if column.type == NESTED:
        return Plan(TEXT, note="nested or binary values, which no learner here can read")
    if column.type == LARGE:
        return Plan(CATEGORY, note=IDS)
    return Plan({"double": NUMBER, "bool": CATEGORY, "string": CATEGORY}.get(str(column.type), DATE))


def plan_of_text(column: pa.Array, reading: Reading, name: str) -> Plan:
    wanted = reading.types.get(name, "")
    known = column.drop_null()
    if wanted:
        base, _, form = wanted.partition(" ")
        if base == DATE and not form:
            form = dates.form_of(_samples(known))[0] if len(known) else dates.ISO
            if not form:
                raise InvalidData(f"{name}: its values are no dates of one form. Say which: 'date %d/%m/%Y'.", at="types")
        return Plan({YES_NO: CATEGORY}.get(base, base), wanted=base, form=form, decimal=reading.decimal)
    if len(known) == 0:
        return Plan(NUMBER)
    strays = _strays(known, reading.decimal)
    if strays == 0:
        return Plan(NUMBER)
    if strays <= FEW_STRAYS * len(known):
        return Plan(CATEGORY, note=mostly_numbers(known, reading.decimal))
    form, note = dates.form_of(_samples(known))
    return Plan(DATE, form=form, note=note) if form else Plan(CATEGORY, note=note)


def _samples(known: pa.Array) -> list[str]:
    return [str(v) for v in pc.unique(known).to_pylist()[:SAMPLED]]


def mostly_numbers(known: pa.Array, decimal: str) -> str:
    strays = np.flatnonzero(np.isnan(lenient(known, decimal)))
    if len(strays) == 0:
        return ""
    example = known[int(strays[0])].as_py()[:30]
    return f"mostly numbers, but not all ({example!r}); as a number, the others would be missing"


def is_ids(texts: pa.Array, values: NDArray[np.float64]) -> bool:
    """Whether whole numbers among these are too large for their floating-point numbers to tell them from their neighbours."""
    large = pa.array(np.abs(values) >= EXACT_TO)
    written = pc.utf8_trim_whitespace(texts.filter(large, null_selection_behavior="drop"))
    return any(WHOLE.fullmatch(text) and int(float(text)) != int(text) for text in written.to_pylist())


def is_far(values: NDArray[np.float64]) -> bool:
    """Whether one lies so far out that it may be the rounded form of another number."""
    return bool(np.nanmax(values, initial=0.0) >= EXACT_TO or np.nanmin(values, initial=0.0) <= -EXACT_TO)


def _strays(texts: pa.Array, decimal: str) -> int:
    return int(np.isnan(lenient(texts, decimal)).sum() - pc.is_null(texts).to_numpy(zero_copy_only=False).sum())


def lenient(texts: pa.Array, decimal: str) -> NDArray[np.float64]:
    """Texts as numbers, NaN where they are none."""
    trimmed = pc.utf8_trim_whitespace(texts)
    if decimal == ",":
        trimmed = pc.replace_substring(trimmed, ",", ".")
    try:
        return np.array(pc.cast(trimmed, pa.float64()).to_numpy(zero_copy_only=False), dtype=float)
    except pa.ArrowInvalid:
        pattern = r"^[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?$"
        good = pc.if_else(pc.match_substring_regex(trimmed, pattern), trimmed, pa.scalar(None, pa.string()))
        return np.array(pc.cast(good, pa.float64()).to_numpy(zero_copy_only=False), dtype=float)


def as_text(column: pa.Array) -> pa.Array:
    """Any column as text; whole numbers without a decimal point."""
    if pa.types.is_string(column.type):
        return column
    if pa.types.is_floating(column.type):
        return pa.array([None if v is None or math.isnan(v) else _figure(v) for v in column.to_pylist()], pa.string())
    return pa.nulls(len(column), pa.string()) if column.type == NESTED else pc.cast(column, pa.string())


def _figure(value: float) -> str:
    """The shortest text that reads back as the same number: what differs stays different."""
    return str(int(value)) if abs(value) < EXACT_TO and value.is_integer() else repr(value)
