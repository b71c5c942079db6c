"""Imports a CSV file: once through as text (typing the columns on the way), then column by column into arrays.

Memory stays bounded by a few blocks of the file plus one column of numbers, whatever the file's size.
"""

from __future__ import annotations

import json
import math
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import asdict
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.csv as pacsv
import pyarrow.parquet as pq

from pellux.core.errors import InvalidData
from pellux.learners.table import CATEGORY, NUMBER, TEXT, Column
from pellux.store.csv_format import CsvFormat, detect

BLOCK = 2 * 2**20
MISSING = ["", "NA", "N/A", "n/a", "nan", "NaN", "null", "NULL"]
MOST_CATEGORIES = 1000
CHUNK = 65_536  # rows
BINS = 20


def import_csv(source: Path, folder: Path, name: str, content_hash: str) -> None:
    """Write `source` as a stored table (see learners/table.py, plus `table.parquet`) into an existing empty folder."""
    form = detect(source)
    texts = folder / "texts.parquet"
    rows, numeric = _spool(source, form, texts)
    columns = _Arrays(folder, texts, form.header, numeric, rows).write()
    _write_parquet(folder, texts, columns, rows)
    texts.unlink()
    described = {"name": name, "hash": content_hash, "rows": rows, "columns": [asdict(c) for c in columns]}
    (folder / "table.json").write_text(json.dumps(described), "utf-8")


def _spool(source: Path, form: CsvFormat, texts: Path) -> tuple[int, list[bool]]:
    """Copy the file to Parquet as text, block by block; returns the rows and which columns hold numbers only."""
    numeric = [True] * len(form.header)
    schema = pa.schema([(column, pa.string()) for column in form.header])
    rows = 0
    with pq.ParquetWriter(texts, schema, compression="lz4", use_dictionary=False, write_statistics=False) as writer:
        for batch in _batches(source, form):
            for place, column in enumerate(batch.columns):
                numeric[place] = numeric[place] and _as_numbers(column) is not None
            writer.write_batch(pa.RecordBatch.from_arrays(batch.columns, schema=schema))
            rows += batch.num_rows
    if rows == 0:
        raise InvalidData("The file holds a header and no rows.", at="data")
    return rows, numeric


def _batches(source: Path, form: CsvFormat) -> Iterator[pa.RecordBatch]:
    wrong: list[Any] = []

    def remember(row: Any) -> str:
        wrong.append(row)
        return "error"

    names = [f"c{place}" for place in range(len(form.header))]
    try:
        with pacsv.open_csv(
            source,
            read_options=pacsv.ReadOptions(block_size=BLOCK, use_threads=False, column_names=names),
            parse_options=pacsv.ParseOptions(delimiter=form.delimiter, newlines_in_values=True, invalid_row_handler=remember),
            convert_options=pacsv.ConvertOptions(
                column_types=dict.fromkeys(names, pa.string()), strings_can_be_null=True, null_values=MISSING
            ),
        ) as reader:
            header_seen = False
            for batch in reader:
                # The header is read as the first row, so that quoted newlines in it are understood.
                yield batch if header_seen else batch.slice(1)
                header_seen = True
    except pa.ArrowInvalid as error:
        if wrong:
            row = wrong[0]
            where = f" (line {row.number})" if row.number else ""
            raise InvalidData(
                f"A row has {row.actual_columns} values where the header has {row.expected_columns} columns{where}: "
                f"{(row.text or '')[:80]}",
                at="data",
            ) from None
        if "UTF8" in str(error) or "UTF-8" in str(error):
            raise InvalidData("The file is not UTF-8 throughout. Save it as CSV in UTF-8.", at="data") from None
        raise InvalidData(f"The file cannot be read as CSV: {str(error).splitlines()[0]}", at="data") from None


def _as_numbers(column: pa.Array) -> pa.Array | None:
    try:
        return pc.cast(pc.utf8_trim_whitespace(column), pa.float64())
    except pa.ArrowInvalid:
        return None


class _Arrays:
    """Fills numbers.npy and codes.npy one column at a time."""

    def __init__(self, folder: Path, texts: Path, header: tuple[str, ...], numeric: list[bool], rows: int) -> None:
        self.folder, self.header, self.numeric, self.rows = folder, header, numeric, rows
        self.file = pq.ParquetFile(texts)
        self.kinds = [NUMBER if is_number else CATEGORY for is_number in numeric]

    def write(self) -> list[Column]:
        """Fill both arrays; a column that turns out to be free text leaves its place in the second one empty."""
        numbers = _open(self.folder / "numbers.npy", np.float64, self.rows, self.kinds.count(NUMBER))
        codes = _open(self.folder / "codes.npy", np.int32, self.rows, self.kinds.count(CATEGORY))
        columns: list[Column] = []
        places = {NUMBER: 0, CATEGORY: 0}
        for name, kind in zip(self.header, self.kinds, strict=True):
            place = places[kind]
            places[kind] += 1
            if kind == NUMBER:
                self._fill(numbers, place, name, _numbers)
                columns.append(_number_column(name, place, numbers[:, place]))
                continue
            column = _category_column(name, place, self._texts(name))
            columns.append(column)
            if column.type == CATEGORY:
                labels = pa.array(column.categories, pa.string())
                self._fill(codes, place, name, partial(_codes, labels=labels))
        for array in (numbers, codes):
            if isinstance(array, np.memmap):
                array.flush()
        return columns

    def _texts(self, name: str) -> Iterator[pa.Array]:
        return (batch.column(0) for batch in self.file.iter_batches(CHUNK, columns=[name]))

    def _fill(self, array: Any, place: int, name: str, convert: Callable[[pa.Array], Any]) -> None:
        row = 0
        for texts in self._texts(name):
            array[row : row + len(texts), place] = convert(texts)
            row += len(texts)


def _open(path: Path, kind: Any, rows: int, width: int) -> Any:
    if width == 0:
        np.save(path, np.empty((rows, 0), dtype=kind))
        return np.empty((rows, 0), dtype=kind)
    return np.lib.format.open_memmap(path, mode="w+", dtype=kind, shape=(rows, width), fortran_order=True)


def _numbers(texts: pa.Array) -> np.ndarray[Any, Any]:
    values = np.array(pc.cast(pc.utf8_trim_whitespace(texts), pa.float64()).to_numpy(zero_copy_only=False), dtype=float)
    values[~np.isfinite(values)] = np.nan
    return values


def _codes(texts: pa.Array, labels: pa.Array) -> np.ndarray[Any, Any]:
    found = pc.index_in(texts, value_set=labels).fill_null(-1)
    return np.asarray(found.to_numpy(zero_copy_only=False), dtype=np.int32)


def _number_column(name: str, place: int, values: np.ndarray[Any, Any]) -> Column:
    known = values[~np.isnan(values)]
    if len(known) == 0:
        return Column(name, NUMBER, place, missing=len(values), distinct=0)
    distinct = len(np.unique(known))
    low, high = float(known.min()), float(known.max())
    bins = np.histogram(known, bins=min(BINS, max(distinct, 1)), range=(low, high) if high > low else None)[0]
    return Column(
        name, NUMBER, place, missing=len(values) - len(known), distinct=distinct, low=low, high=high,
        whole=bool((known == np.rint(known)).all()), histogram=tuple(int(b) for b in bins),
    )  # fmt: skip


def _category_column(name: str, place: int, texts: Iterator[pa.Array]) -> Column:
    """A category column, or free text when it has too many values; those are counted no further than it takes to know."""
    counts: Counter[str] = Counter()
    missing = known = 0
    for chunk in texts:
        missing += chunk.null_count
        known += len(chunk) - chunk.null_count
        if len(counts) <= MOST_CATEGORIES:
            counted = pc.value_counts(chunk.drop_null())
            pairs = zip(counted.field("values").to_pylist(), counted.field("counts").to_pylist(), strict=True)
            counts.update(dict(pairs))
    distinct = len(counts)
    top = tuple(count for _, count in counts.most_common(BINS))
    if distinct > MOST_CATEGORIES or (known > 50 and distinct > 0.5 * known):
        return Column(name, TEXT, -1, missing=missing, distinct=min(distinct, MOST_CATEGORIES + 1), histogram=top)
    return Column(name, CATEGORY, place, missing=missing, distinct=distinct, categories=tuple(sorted(counts)), histogram=top)


def _write_parquet(folder: Path, texts: Path, columns: list[Column], rows: int) -> None:
    """The table with its types, in row groups, from the arrays just written."""
    numbers = np.load(folder / "numbers.npy", mmap_mode="r")
    codes = np.load(folder / "codes.npy", mmap_mode="r")
    free_text = [c.name for c in columns if c.type == TEXT]
    kinds = {NUMBER: pa.float64(), CATEGORY: pa.dictionary(pa.int32(), pa.string()), TEXT: pa.string()}
    schema = pa.schema([(c.name, kinds[c.type]) for c in columns])
    step = max(1000, math.ceil(16 * 2**20 / (8 * len(columns))))
    free = _TextBlocks(pq.ParquetFile(texts), free_text, step) if free_text else None
    with pq.ParquetWriter(folder / "table.parquet", schema, compression="zstd") as writer:
        for begin in range(0, rows, step):
            block = slice(begin, min(begin + step, rows))
            text = free.take(block.stop - block.start) if free else None
            arrays = [_parquet_column(c, numbers, codes, text, block) for c in columns]
            writer.write_table(pa.Table.from_arrays(arrays, schema=schema))


class _TextBlocks:
    """Hands out the free-text columns in blocks of any length; Parquet gives them in batches of its own choosing."""

    def __init__(self, file: pq.ParquetFile, names: list[str], step: int) -> None:
        self._batches = file.iter_batches(step, columns=names)
        self._left: pa.Table | None = None

    def take(self, rows: int) -> pa.Table:
        while self._left is None or self._left.num_rows < rows:
            following = pa.Table.from_batches([next(self._batches)])
            self._left = following if self._left is None else pa.concat_tables([self._left, following])
        taken, self._left = self._left.slice(0, rows), self._left.slice(rows)
        return taken


def _parquet_column(column: Column, numbers: Any, codes: Any, text: pa.Table | None, block: slice) -> pa.Array:
    if column.type == NUMBER:
        values = np.ascontiguousarray(numbers[block, column.place])
        return pa.array(values, mask=np.isnan(values))
    if column.type == CATEGORY:
        found = np.ascontiguousarray(codes[block, column.place])
        indices = pa.array(found, mask=found < 0)
        return pa.DictionaryArray.from_arrays(indices, pa.array(column.categories, pa.string()))
    assert text is not None
    return text.column(column.name).combine_chunks()
