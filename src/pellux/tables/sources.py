"""Data files as batches of columns, a few megabytes at a time, whatever the file's size."""

from __future__ import annotations

import codecs
import io
import json
from collections.abc import Callable, Iterator, Mapping
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.csv as pacsv
import pyarrow.json as pajson
import pyarrow.parquet as pq
from pydantic_core import from_json

from pellux.core.errors import InvalidData
from pellux.tables.readings import CSV, PARQUET, Reading

BLOCK = 8 * 2**20
ROWS = 65_536
MISSING = ["", "NA", "N/A", "n/a", "nan", "NaN", "null", "NULL"]
Batch = Mapping[str, pa.Array]
OnRead = Callable[[int], None]


def batches(path: Path, reading: Reading, numeric: Mapping[str, bool], on_read: OnRead) -> Iterator[Batch]:
    """The file's columns by name, batch after batch; `on_read` is told how many bytes have been read.

    `numeric` says of text tables which columns are read as numbers. One that turns out not to be comes as text from there on.
    """
    if reading.format == CSV:
        return _text_table(path, reading, numeric, on_read)
    return _parquet(path, on_read) if reading.format == PARQUET else _json_lines(path, on_read)


def _text_table(path: Path, reading: Reading, numeric: Mapping[str, bool], on_read: OnRead) -> Iterator[Batch]:
    names = [f"c{place}" for place in range(len(reading.header))]
    as_numbers = {name for name in reading.header if numeric.get(name)}

    def read(chunk: bytes, numbers: set[str]) -> pa.Table:
        wrong: list[Any] = []

        def remember(row: Any) -> str:
            wrong.append(row)
            return "error"

        kinds = [pa.float64() if name in numbers else pa.string() for name in reading.header]
        convert = pacsv.ConvertOptions(
            column_types=dict(zip(names, kinds, strict=True)), strings_can_be_null=True, null_values=MISSING,
            decimal_point=reading.decimal or ".",
        )  # fmt: skip
        parse = pacsv.ParseOptions(
            delimiter=reading.delimiter, quote_char=reading.quote, newlines_in_values=True, invalid_row_handler=remember
        )
        options = pacsv.ReadOptions(block_size=max(len(chunk) // 2 + 1, 1024), column_names=names)
        try:
            return pacsv.read_csv(pa.BufferReader(chunk), options, parse, convert)
        except pa.ArrowInvalid as error:
            raise _Unread(error, wrong) from None

    def parsed(chunk: bytes) -> tuple[pa.Table, int]:
        try:
            return read(chunk, as_numbers), len(chunk)
        except _Unread as unread:
            named = _named_column(unread.error, reading)
            if named not in as_numbers:
                raise
        as_numbers.discard(named)
        texts = read(chunk, set())  # all that are no numbers at once: one look for each would take as many as there are
        for place, name in enumerate(reading.header):
            if name in as_numbers and not _numbers(texts.column(place), reading.decimal):
                as_numbers.discard(name)
        return parsed(chunk)

    done = lines = 0
    try:
        for table, size in _ahead(parsed, _whole_lines(path, reading)):
            yield dict(zip(reading.header, (column.combine_chunks() for column in table.columns), strict=True))
            done += size
            lines += table.num_rows
            on_read(done)
    except _Unread as unread:
        raise _explained(unread.error, unread.wrong, reading, lines) from None


class _Unread(Exception):
    def __init__(self, error: pa.ArrowInvalid, wrong: list[Any]) -> None:
        self.error, self.wrong = error, wrong


def _ahead(work: Callable[[bytes], tuple[pa.Table, int]], chunks: Iterator[bytes]) -> Iterator[tuple[pa.Table, int]]:
    """The outcomes in order, each next one made while the last is used: Arrow parses without the interpreter's lock."""
    with ThreadPoolExecutor(1) as beside:
        under_way: Future[tuple[pa.Table, int]] | None = None
        for chunk in chunks:
            following = beside.submit(work, chunk)
            if under_way is not None:
                yield under_way.result()
            under_way = following
        if under_way is not None:
            yield under_way.result()


def _explained(error: pa.ArrowInvalid, wrong: list[Any], reading: Reading, lines: int) -> Exception:
    words = str(error).splitlines()[0]
    if wrong:
        row = wrong[0]
        return InvalidData(
            f"A row has {row.actual_columns} values where the header has {row.expected_columns} columns "
            f"(after row {lines:,}): {(row.text or '')[:80]}",
            at="data",
        )
    return InvalidData(f"The file cannot be read as CSV: {words}", at="data")


def _named_column(error: pa.ArrowInvalid, reading: Reading) -> str:
    """The column whose values are not what they were taken for; empty when something else is wrong."""
    words = str(error).splitlines()[0]
    if "CSV column #" not in words or "conversion error" not in words:
        return ""
    return reading.header[int(words.partition("CSV column #")[2].partition(":")[0])]


def _numbers(texts: pa.ChunkedArray, decimal: str) -> bool:
    trimmed = pc.utf8_trim_whitespace(texts)
    try:
        pc.cast(pc.replace_substring(trimmed, ",", ".") if decimal == "," else trimmed, pa.float64())
    except pa.ArrowInvalid:
        return False
    return True


def _whole_lines(path: Path, reading: Reading) -> Iterator[bytes]:
    """The file after its header in pieces that end at the end of a row; line ends inside quotes do not count."""
    quote, first = reading.quote.encode(), True
    with path.open("rb") as file:
        read = _utf8(file, reading.encoding)
        left = b""
        while True:
            piece = read(BLOCK)
            held = left + piece
            end = _row_end(held, quote) if piece else len(held)
            if end == 0 and piece:
                left = held
                if len(held) > 64 * BLOCK:
                    raise InvalidData("A row is longer than 512 MB: is a quote never closed?", at="data")
                continue
            chunk, left = held[:end], held[end:]
            if first and chunk:
                chunk, first = _without_header(chunk, quote), False
            if chunk.strip():
                yield chunk
            if not piece:
                return


def _row_end(held: bytes, quote: bytes) -> int:
    """Just after the last line end that stands outside quotes; 0 when there is none."""
    end = held.rfind(b"\n") + 1
    if quote not in held:  # much quicker than counting
        return end
    while end and held.count(quote, 0, end) % 2:
        end = held.rfind(b"\n", 0, end - 1) + 1
    return end


def _without_header(chunk: bytes, quote: bytes) -> bytes:
    end = 0
    while True:
        end = chunk.find(b"\n", end) + 1
        if end == 0:
            return b""
        if chunk.count(quote, 0, end) % 2 == 0 and chunk[:end].strip(b"\xef\xbb\xbf\r\n "):
            return chunk[end:]


def _utf8(file: BinaryIO, encoding: str) -> Callable[[int], bytes]:
    """Reads pieces of a file as UTF-8, whatever it is written in."""
    plain = encoding == "utf-8"
    decoder = codecs.getincrementaldecoder(encoding)()
    at = 0

    def read(size: int) -> bytes:
        nonlocal at
        raw = file.read(size)
        try:
            text = decoder.decode(raw, final=not raw)
        except UnicodeDecodeError as error:
            raise NotInEncoding(encoding, at + error.start) from None
        begun, at = at, at + len(raw)
        if plain:
            return raw.removeprefix(codecs.BOM_UTF8) if begun == 0 else raw
        # A decoder may hold everything back for the rest of a character: an empty piece would mean the end.
        return text.encode() if text or not raw else read(size)

    return read


class NotInEncoding(Exception):
    """The file is not in the encoding that its beginning let expect."""

    def __init__(self, encoding: str, at: int) -> None:
        self.encoding, self.at = encoding, at


def _parquet(path: Path, on_read: OnRead) -> Iterator[Batch]:
    size = path.stat().st_size
    try:
        with pq.ParquetFile(path) as file:
            total, done = max(file.metadata.num_rows, 1), 0
            for batch in file.iter_batches(ROWS):
                yield {name: plain(column, name) for name, column in zip(batch.schema.names, batch.columns, strict=True)}
                done += batch.num_rows
                on_read(size * done // total)
    except (pa.ArrowException, OSError, UnicodeDecodeError) as error:
        raise InvalidData(f"The file cannot be read as Parquet: {str(error).splitlines()[0][:200]}", at="data") from None


def _json_lines(path: Path, on_read: OnRead) -> Iterator[Batch]:
    done = 0
    with path.open("rb") as file:
        left, line = b"", 1
        while True:
            piece = file.read(BLOCK)
            held = left + piece
            end = held.rfind(b"\n") + 1 if piece else len(held)
            chunk, left = held[:end], held[end:]
            if chunk.strip():
                yield _objects(chunk, line)
                line += chunk.count(b"\n")
            done += len(piece)
            on_read(done)
            if not piece:
                return


def _objects(chunk: bytes, line: int) -> Batch:
    if _deep(chunk):  # Arrow would follow it until its stack ends
        return _objects_one_by_one(chunk, line)
    try:
        table = pajson.read_json(io.BytesIO(chunk), pajson.ReadOptions(block_size=len(chunk) + 1))
        if not any(_rounded(column) for column in table.columns):
            return {
                name: plain(column.combine_chunks(), name) for name, column in zip(table.column_names, table.columns, strict=True)
            }
    except (pa.ArrowInvalid, UnicodeDecodeError):
        pass
    return _objects_one_by_one(chunk, line)


def _rounded(column: pa.ChunkedArray) -> bool:
    """Whether numbers may have been whole ones of more than 64 bits, of which Arrow keeps the first digits only."""
    return bool(pa.types.is_floating(column.type) and (pc.max(pc.abs(column)).as_py() or 0) >= LARGEST_WHOLE)


def _deep(chunk: bytes) -> bool:
    """Whether brackets may nest deeper than any table has them, those inside of texts counted along."""
    if b"[" not in chunk and chunk.count(b"{") <= chunk.count(b"\n") + 1:
        return False
    steps = np.zeros(256, np.int32)
    steps[[ord("["), ord("{")]], steps[[ord("]"), ord("}")]] = 1, -1
    bytes_ = np.frombuffer(chunk, np.uint8)
    depth = np.cumsum(steps[bytes_])
    starts = np.concatenate([[0], np.flatnonzero(bytes_[:-1] == ord("\n")) + 1])
    before = np.concatenate([[0], depth[starts[1:] - 1]])
    return bool((np.maximum.reduceat(depth, starts) - before > DEEPEST).any())


def _objects_one_by_one(chunk: bytes, first: int) -> Batch:
    """Where columns change their kind from row to row: such columns become text."""
    rows = []
    for number, text in enumerate(chunk.splitlines(), first):
        if not text.strip():
            continue
        try:
            found = from_json(text)  # it refuses endless nesting and halves of character pairs
        except ValueError as error:
            raise InvalidData(f"Line {number} is not JSON: {error}.", at="data") from None
        if not isinstance(found, dict):
            raise InvalidData(f"Line {number} is not an object with a value for each column.", at="data")
        rows.append(found)
    names = dict.fromkeys(name for row in rows for name in row)
    return {name: plain(_mixed([row.get(name) for row in rows]), name) for name in names}


def _mixed(values: list[Any]) -> pa.Array:
    try:
        return pa.array(values)
    except (pa.ArrowException, OverflowError):
        return pa.array([None if v is None else v if isinstance(v, str) else json.dumps(v) for v in values], pa.string())


def plain(column: pa.Array, name: str) -> pa.Array:
    """A column as float64, string, bool or timestamp, or as LARGE; null where its values are nested or not of such a kind."""
    kind = column.type
    if pa.types.is_dictionary(kind):
        return plain(column.cast(kind.value_type), name)
    if pa.types.is_integer(kind) or (pa.types.is_decimal(kind) and kind.scale == 0):
        return pc.cast(column, LARGE) if _large(column) else pc.cast(column, pa.float64(), safe=False)
    if pa.types.is_floating(kind) or pa.types.is_decimal(kind) or pa.types.is_null(kind):
        return pc.cast(column, pa.float64(), safe=False)
    if pa.types.is_boolean(kind):
        return column
    if pa.types.is_string(kind) or pa.types.is_large_string(kind) or pa.types.is_string_view(kind):
        return _readable(column.cast(pa.string()), name)
    if pa.types.is_date(kind) or pa.types.is_timestamp(kind):
        return _stamps(column)
    return pa.nulls(len(column), NESTED)


def _large(column: pa.Array) -> bool:
    ends = pc.min_max(column).as_py()
    return any(end is not None and abs(int(end)) > LARGEST_EXACT for end in ends.values())


def _readable(texts: pa.Array, name: str) -> pa.Array:
    try:
        texts.validate(full=True)
    except pa.ArrowInvalid:
        raise InvalidData(f"{name} holds texts that are not UTF-8.", at="data") from None
    if pc.any(pc.match_substring(texts, "\0")).as_py():
        raise InvalidData(f"{name} holds NUL bytes, which no text has.", at="data")
    return texts


def _stamps(column: pa.Array) -> pa.Array:
    """As microseconds without a zone; null where that is outside of what they can say."""
    if pa.types.is_date(column.type):
        return pc.cast(pc.cast(column, pa.timestamp("s")), pa.timestamp("us"), safe=False)
    stamps = column.cast(pa.timestamp(column.type.unit)) if column.type.tz else column
    coarser = {"s": 10**6, "ms": 10**3}.get(stamps.type.unit, 1)
    numbers, limit = pc.cast(stamps, pa.int64()), 2**63 // coarser - 1
    inside = pc.and_(pc.less_equal(numbers, limit), pc.greater_equal(numbers, -limit))
    return pc.cast(pc.if_else(inside, stamps, pa.scalar(None, stamps.type)), pa.timestamp("us"), safe=False)


LARGE = pa.large_string()  # whole numbers that a floating-point number cannot tell from their neighbours, as they are written
LARGEST_EXACT = 2**53
LARGEST_WHOLE = 2.0**63
DEEPEST = 60  # brackets in brackets
NESTED = pa.binary()  # stands for what cannot be used
