"""Makes a stored table of a data file in one pass: numbers and codes go straight into their arrays.

Types are guessed from the beginning. Where a later row contradicts, the column becomes text and the pass begins anew.
Memory stays bounded by a few blocks of the file, whatever its size.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from dataclasses import asdict
from itertools import chain
from pathlib import Path

import numpy as np

from pellux.core.errors import InvalidData
from pellux.tables.arrays import Arrays
from pellux.tables.column_plans import Plan, plan_of, plan_of_text
from pellux.tables.readings import BEGINNING, CSV, Reading, ReadOptions, check_header, detect, fallback, not_utf8, with_encoding
from pellux.tables.sources import BLOCK, Batch, NotInEncoding, batches
from pellux.tables.table import NUMBER, TYPES, Column

OnRead = Callable[[int], None]


def import_table(
    source: Path, folder: Path, name: str, content_hash: str, *, identity: str = "", options: ReadOptions | None = None, on_read: OnRead = lambda done: None
) -> None:  # fmt: skip
    """Write `source` as a stored table (see tables/table.py) into an existing empty folder.

    `identity` tells a corrected reading from others of the same content.
    """
    reading = detect(source, options)
    for name_, wanted in reading.types.items():
        if wanted.split(" ")[0] not in TYPES or (" " in wanted and not wanted.startswith("date ")):
            raise InvalidData(f"{name_}: the type '{wanted}' is unknown. Allowed: {', '.join(TYPES)}.", at="types")
    reading, columns, rows = _read(source, folder, reading, on_read)
    described = {
        "name": name, "hash": identity or content_hash, "rows": rows, "columns": [asdict(c) for c in columns],
        "source": content_hash, "reading": reading.to_json(),
    }  # fmt: skip
    (folder / "table.json").write_text(json.dumps(described), "utf-8")


def _read(source: Path, folder: Path, reading: Reading, on_read: OnRead) -> tuple[Reading, list[Column], int]:
    """Pass over the file until no column surprises any more: once as a rule, twice when something stands in its later rows."""
    plans: dict[str, Plan] = {}
    most = _most_rows(source, reading)
    while True:
        try:
            with Arrays(folder, most, by_text=reading.format == CSV) as arrays:
                found = arrays.fill(_planned(source, reading, plans, on_read), plans)
            if not arrays.surprises:
                return reading, found, arrays.rows
            plans |= arrays.surprises
        except NotInEncoding as error:
            if reading.encoding != "utf-8":
                raise InvalidData(f"The file is not {error.encoding} throughout (byte {error.at:,}).", at="encoding") from None
            beginning = source.read_bytes()[error.at : error.at + BEGINNING]
            reading = with_encoding(reading, fallback(beginning), not_utf8(beginning))
            plans.clear()


def _most_rows(source: Path, reading: Reading) -> int:
    """An upper bound of the rows: line ends, or what Parquet says. Exact for a plain text table, as most are."""
    if reading.format == "parquet":
        import pyarrow.parquet as pq

        return max(int(pq.read_metadata(source).num_rows), 1)
    lines, last = 0, b""
    with source.open("rb") as file:
        while piece := file.read(BLOCK):
            lines += int(np.count_nonzero(np.frombuffer(piece, np.uint8) == ord("\n")))
            last = piece[-1:]
    header = reading.format == CSV
    return max(lines + (last != b"\n") - header, 1)


def _planned(source: Path, reading: Reading, plans: dict[str, Plan], on_read: OnRead) -> Iterator[Batch]:
    """The batches of a file; the plans of its columns are made from the first one."""
    if not plans and reading.format == CSV:  # a look at the beginning as text
        first = next(batches(source, reading, {}, lambda done: None), None)
        if first is None:
            raise InvalidData("The file holds a header and no rows.", at="data")
        plans.update({name: plan_of_text(column, reading, name) for name, column in first.items()})
    as_numbers = {name: plan.kind == NUMBER and not plan.wanted and not plan.exact for name, plan in plans.items()}
    found = batches(source, reading, as_numbers, on_read)
    if reading.format != CSV:
        first = next(found, None)
        if first is None:
            raise InvalidData("The file holds no rows.", at="data")
        check_header(tuple(first))
        for name, column in first.items():
            plans.setdefault(name, plan_of(column, reading, name))
        found = chain([first], found)
    unknown = sorted(set(reading.types) - set(plans))
    if unknown:
        raise InvalidData(f"The file has no column '{unknown[0]}' to give a type to.", at="types")
    return found
