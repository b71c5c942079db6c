"""The arrays of a stored table while they are filled: numbers and codes, column by column, and what is found out meanwhile."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from pellux.core.errors import InvalidData
from pellux.tables import dates
from pellux.tables.column_plans import IDS, Plan, Unfit, as_text, is_far, is_ids, lenient, mostly_numbers, plan_by_kind
from pellux.tables.sources import LARGE, Batch
from pellux.tables.table import CATEGORY, DATE, NUMBER, TEXT, YES_NO, Column

MOST_CATEGORIES = 20_000
BINS = 20
PREVIEW = 5  # rows that are shown as they were read
EXACT = 200_000  # rows up to which distinct numbers are counted exactly
SAFE = 1e290  # differences beyond this, or below one over it, overflow in NumPy's histogram
LONGEST_LABEL = 2_000  # characters
YES = {"yes", "no", "true", "false", "y", "n", "t", "f"}


def _first(column: pa.Array) -> tuple[str, ...]:
    return tuple("" if text is None else text[:40] for text in as_text(column.slice(0, PREVIEW)).to_pylist())


@dataclass
class Labels:
    """Codes of the labels of a column, in the order in which they appear; too many labels are free text."""

    codes: dict[str, int] = field(default_factory=dict)
    counts: list[int] = field(default_factory=list)
    missing: int = 0
    most: int = 0  # different ones in one batch
    long: bool = False  # holds a text that is too long for a label

    @property
    def distinct(self) -> int:
        """Exact as long as they are not too many."""
        return max(len(self.codes), self.most)

    @property
    def too_many(self) -> bool:
        return self.long or self.distinct > MOST_CATEGORIES

    def take(self, column: pa.Array) -> NDArray[np.int32] | None:
        texts = as_text(column)
        self.missing += texts.null_count
        if self.too_many:
            return None
        self.long = (pc.max(pc.utf8_length(texts)).as_py() or 0) > LONGEST_LABEL
        if self.long:
            return None
        coded = texts.dictionary_encode()
        self.most = max(self.most, len(coded.dictionary))
        if self.most > MOST_CATEGORIES:
            return None
        here = coded.dictionary.to_pylist()
        places = np.array([self.codes.setdefault(label, len(self.codes)) for label in here] + [-1], dtype=np.int32)
        self.counts += [0] * (len(self.codes) - len(self.counts))
        indices = coded.indices.fill_null(len(here)).to_numpy(zero_copy_only=False)
        for place, count in zip(places, np.bincount(indices, minlength=len(here) + 1)[: len(here)], strict=False):
            self.counts[place] += int(count)
        return np.asarray(places[indices], dtype=np.int32)


class Arrays:
    """numbers.npy and codes.npy while they are filled; before the end only a bound of the rows is known."""

    def __init__(self, folder: Path, most: int, *, by_text: bool) -> None:
        self.folder, self.most, self.rows = folder, most, 0
        self.by_text = by_text  # numbers come from texts: large ones may be ids
        self.numbers: Any = None
        self.codes: Any = None

    def __enter__(self) -> Arrays:
        return self

    def __exit__(self, *_: object) -> None:
        self.numbers = self.codes = None

    def fill(self, found: Iterator[Batch], plans: dict[str, Plan]) -> list[Column]:
        self.plans = plans
        self.place: dict[str, int] = {}
        numeric = [n for n, p in plans.items() if p.kind in (NUMBER, DATE)]
        coded = [n for n, p in plans.items() if p.kind == CATEGORY]
        self.numbers = self._open("numbers", np.float64, len(numeric))
        self.codes = self._open("codes", np.int32, len(coded))
        self.place = {n: i for names in (numeric, coded) for i, n in enumerate(names)}
        self.labels = {name: Labels() for name in coded}
        self.infinite: dict[str, int] = {}
        self.strays: dict[str, int] = {}
        self.examples: dict[str, tuple[str, ...]] = {}
        self.surprises: dict[str, Plan] = {}
        for batch in found:
            self._take(batch)
        if self.surprises:
            return []
        if self.rows == 0:
            raise InvalidData("The file holds a header and no rows.", at="data")
        with ThreadPoolExecutor(os.cpu_count()) as side_by_side:  # numpy and Arrow let go of the interpreter's lock
            found_ = side_by_side.map(self._column, plans)
            columns = [replace(column, examples=self.examples.get(column.name, ())) for column in found_]
        self._close("numbers", self.numbers, len(numeric), np.float64)
        self._close("codes", self.codes, len(coded), np.int32)
        return columns

    def _open(self, name: str, kind: Any, width: int) -> Any:
        """One row of the array is one column of the table."""
        if width == 0:
            return np.empty((0, self.most), dtype=kind)
        return _mapped(self.folder / f"{name}.npy", kind, (self.most, width)).T

    def _take(self, batch: Batch) -> None:
        rows = max((len(column) for column in batch.values()), default=0)
        if self.rows == 0:
            self.examples = {name: _first(column) for name, column in batch.items()}
        here = slice(self.rows, self.rows + rows)
        for name in batch:
            if name not in self.plans:  # a key that the first lines of a JSON Lines file do not have
                self.surprises.setdefault(name, plan_by_kind(batch[name]))
        for name, plan in self.plans.items():
            if name in self.surprises:
                continue
            column = batch.get(name)
            if plan.kind in (NUMBER, DATE):
                try:
                    values = np.nan if column is None else self._as_numbers(name, plan, column)
                except Unfit as unfit:  # the rest is still looked at, so that one more pass is enough
                    self.surprises[name] = unfit.plan
                    continue
                if not self.surprises:
                    self.numbers[self.place[name], here] = values
            elif plan.kind == CATEGORY and not self.surprises:
                codes = self.labels[name].take(pa.nulls(rows, pa.string()) if column is None else column)
                self.codes[self.place[name], here] = -1 if codes is None else codes
        self.rows += rows

    def _as_numbers(self, name: str, plan: Plan, column: pa.Array) -> NDArray[np.float64]:
        if plan.kind == DATE:
            return self._as_dates(name, plan, column)
        labels = replace(plan, kind=CATEGORY)
        if pa.types.is_floating(column.type):
            values = np.array(column.to_numpy(zero_copy_only=False), dtype=float)
            if self.by_text and not plan.wanted and is_far(values):
                raise Unfit(replace(plan, exact=True))
        elif plan.wanted or plan.exact:
            texts = as_text(column)
            values = lenient(texts, plan.decimal)
            strays = int(np.isnan(values).sum()) - texts.null_count
            if plan.wanted:
                self.strays[name] = self.strays.get(name, 0) + strays
            elif strays:
                raise Unfit(replace(labels, note=mostly_numbers(texts.drop_null(), plan.decimal)))
            elif is_ids(texts, values):
                raise Unfit(replace(labels, note=IDS))
        elif column.null_count == len(column):
            values = np.full(len(column), np.nan)
        else:
            texts = as_text(column)
            note = IDS if column.type == LARGE else mostly_numbers(texts.drop_null(), plan.decimal)
            raise Unfit(replace(labels, note=note))
        wild = np.isinf(values)
        if wild.any():
            self.infinite[name] = self.infinite.get(name, 0) + int(wild.sum())
            values[wild] = np.nan
        return values

    def _as_dates(self, name: str, plan: Plan, column: pa.Array) -> NDArray[np.float64]:
        stamps = dates.days(as_text(column), plan.form) if plan.form else None
        if stamps is None:
            if not pa.types.is_timestamp(column.type) and column.null_count < len(column):
                raise Unfit(replace(plan, kind=CATEGORY, form=""))
            stamps = dates.of_timestamps(column)
        if stamps.null_count > column.null_count and not plan.wanted:
            raise Unfit(replace(plan, kind=CATEGORY, form=""))
        self.strays[name] = self.strays.get(name, 0) + stamps.null_count - column.null_count
        return np.array(stamps.to_numpy(zero_copy_only=False), dtype=float)

    def _column(self, name: str) -> Column:
        plan = self.plans[name]
        if plan.kind in (NUMBER, DATE):
            return self._number_column(name, plan, self.numbers[self.place[name], : self.rows])
        if plan.kind == TEXT:
            return Column(name, TEXT, -1, missing=0, distinct=0, note=plan.note)
        return self._label_column(name, plan)

    def _number_column(self, name: str, plan: Plan, values: NDArray[np.float64]) -> Column:
        notes = [plan.note] if plan.note else []
        if self.infinite.get(name):
            notes.append(f"{self.infinite[name]:,} infinite values count as missing")
        if self.strays.get(name):
            notes.append(f"{self.strays[name]:,} values could not be read so and count as missing")
        note = "; ".join(notes)
        known = values[~np.isnan(values)]
        kind, form, place = plan.kind, plan.form if plan.form != dates.ISO else "", self.place[name]
        if len(known) == 0:
            return Column(name, kind, place, missing=len(values), distinct=0, note=note, form=form)
        low, high = float(known.min()), float(known.max())
        whole = bool((known == np.rint(known)).all())
        distinct = _distinct(known, whole=whole)
        bins = _histogram(known, low, high, min(BINS, max(distinct, 1)))
        return Column(
            name, kind, place, missing=len(values) - len(known), distinct=distinct, low=low, high=high, whole=whole,
            histogram=tuple(int(b) for b in bins), note=note, form=form,
        )  # fmt: skip

    def _label_column(self, name: str, plan: Plan) -> Column:
        labels = self.labels[name]
        known, distinct = self.rows - labels.missing, labels.distinct
        top = tuple(sorted(labels.counts, reverse=True)[:BINS])
        many = labels.too_many or (known > 50 and distinct > 0.5 * known and plan.wanted not in (CATEGORY, YES_NO))
        if many or plan.wanted == TEXT:
            if plan.wanted == CATEGORY:
                raise InvalidData(f"{name}: more than {MOST_CATEGORIES:,} different values are no categories.", at="types")
            note = plan.note or ("free text or ids: nearly every value is different" if many else "")
            return Column(name, TEXT, -1, missing=labels.missing, distinct=distinct, histogram=top, note=note)
        if plan.wanted == YES_NO and distinct != 2:
            raise InvalidData(f"{name}: a yes/no column has two different values, this one {distinct:,}.", at="types")
        kind = YES_NO if plan.wanted == YES_NO or (not plan.wanted and _says_yes(labels)) else CATEGORY
        order = sorted(labels.codes)
        new = np.empty(distinct + 1, dtype=np.int32)  # codes in alphabetical order; the last is for missing values
        new[[labels.codes[label] for label in order]] = np.arange(distinct, dtype=np.int32)
        new[distinct] = -1
        codes = self.codes[self.place[name]]
        codes[: self.rows] = new[codes[: self.rows]]
        return Column(
            name, kind, self.place[name], missing=labels.missing, distinct=distinct, categories=tuple(order), histogram=top,
            note=plan.note,
        )  # fmt: skip

    def _close(self, name: str, array: Any, width: int, kind: Any) -> None:
        """Cut to the rows there are; as it lies, when the bound was exact."""
        target = self.folder / f"{name}.npy"
        if width == 0:
            np.save(target, np.empty((self.rows, 0), dtype=kind))
            return
        if self.rows == self.most:
            return
        half = self.folder / f".{name}.npy"
        made = _mapped(half, kind, (self.rows, width))
        for column in range(width):
            made[:, column] = array[column, : self.rows]
        del made
        half.replace(target)


def _mapped(path: Path, kind: Any, shape: tuple[int, int]) -> Any:
    """A new array on the disk, its space taken: writing into a mapped file for which there is no room would end the process."""
    made = np.lib.format.open_memmap(path, mode="w+", dtype=kind, shape=shape, fortran_order=True)
    with path.open("r+b") as file:
        os.posix_fallocate(file.fileno(), 0, max(path.stat().st_size, 1))
    return made


def _histogram(known: NDArray[np.float64], low: float, high: float, bins: int) -> NDArray[np.int64]:
    """Counts in equal bins, also where bins are too narrow or too wide for a difference of floating-point numbers."""
    if high == low:
        return np.array([len(known)])
    scale = 1.0 if high / 2 - low / 2 < SAFE else 2.0
    spread = high / scale - low / scale
    if 1 / SAFE < spread < SAFE:
        with contextlib.suppress(ValueError):  # neighbours, between which there is no room for so many edges
            return np.histogram(known, bins=bins, range=(low, high))[0]
    share = (known / scale - low / scale) / spread
    return np.bincount(np.minimum((share * bins).astype(int), bins - 1), minlength=bins)


def _says_yes(labels: Labels) -> bool:
    return len(labels.codes) == 2 and all(label.strip().lower() in YES for label in labels.codes)


def _distinct(known: NDArray[np.float64], *, whole: bool) -> int:
    """How many different numbers there are; of many rows of broken numbers those of the first rows, which is enough to
    know that they are many."""
    if whole and (np.diff(known) > 0).all():
        return len(known)
    few = known if whole or len(known) <= EXACT else known[:EXACT]
    return int(pc.count_distinct(pa.array(few)).as_py())
