"""Data files as batches of columns, a few megabytes at a time, whatever the file's size."""

from __future__ import annotations

import codecs
import io
import json
from collections.abc import Callable, Iterator, Mapping
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path
from typing import Any, BinaryIO

import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.csv as pacsv
import pyarrow.json as pajson
import pyarrow.parquet as pq

from pellux.core.errors import InvalidData
from pellux.tables.readings import CSV, PARQUET, Reading

BLOCK = 8 * 2**20
ROWS = 65_536
MISSING = ["", "NA", "N/A", "n/a", "nan", "NaN", "null", "NULL"]
Batch = Mapping[str, pa.Array]
OnRead = Callable[[int], None]


class Unfit(Exception):
    """A column holds something else than its beginning let expect."""

    def __init__(self, column: str) -> None:
        self.column = column


def batches(path: Path, reading: Reading, numeric: Mapping[str, bool], on_read: OnRead) -> Iterator[Batch]:
    """The file's columns by name, batch after batch; `on_read` is told how many bytes have been read.

    `numeric` says of text tables which columns are read as numbers; Unfit when one of them is not.
    """
    if reading.format == CSV:
        return _text_table(path, reading, numeric, on_read)
    return _parquet(path, on_read) if reading.format == PARQUET else _json_lines(path, on_read)


def _text_table(path: Path, reading: Reading, numeric: Mapping[str, bool], on_read: OnRead) -> Iterator[Batch]:
    names = [f"c{place}" for place in range(len(reading.header))]
    kinds = [pa.float64() if numeric.get(name) else pa.string() for name in reading.header]
    convert = pacsv.ConvertOptions(
        column_types=dict(zip(names, kinds, strict=True)), strings_can_be_null=True, null_values=MISSING,
        decimal_point=reading.decimal or ".",
    )  # fmt: skip

    def parsed(chunk: bytes) -> tuple[pa.Table, int]:
        wrong: list[Any] = []

        def remember(row: Any) -> str:
            wrong.append(row)
            return "error"

        parse = pacsv.ParseOptions(
            delimiter=reading.delimiter, quote_char=reading.quote, newlines_in_values=True, invalid_row_handler=remember
        )
        options = pacsv.ReadOptions(block_size=max(len(chunk) // 2 + 1, 1024), column_names=names)
        try:
            return pacsv.read_csv(pa.BufferReader(chunk), options, parse, convert), len(chunk)
        except pa.ArrowInvalid as error:
            raise _Unread(error, wrong) from None

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
    if "CSV column #" in words and "conversion error" in words:
        return Unfit(reading.header[int(words.partition("CSV column #")[2].partition(":")[0])])
    return InvalidData(f"The file cannot be read as CSV: {words}", at="data")


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
                yield {name: plain(column) for name, column in zip(batch.schema.names, batch.columns, strict=True)}
                done += batch.num_rows
                on_read(size * done // total)
    except (pa.ArrowInvalid, pa.ArrowNotImplementedError, OSError) as error:
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
    try:
        table = pajson.read_json(io.BytesIO(chunk), pajson.ReadOptions(block_size=len(chunk) + 1))
        return {name: plain(column.combine_chunks()) for name, column in zip(table.column_names, table.columns, strict=True)}
    except pa.ArrowInvalid:
        return _objects_one_by_one(chunk, line)


def _objects_one_by_one(chunk: bytes, first: int) -> Batch:
    """Where columns change their kind from row to row: such columns become text."""
    rows = []
    for number, text in enumerate(chunk.splitlines(), first):
        if not text.strip():
            continue
        try:
            found = json.loads(text)
        except ValueError as error:
            raise InvalidData(f"Line {number} is not JSON: {getattr(error, 'msg', error)}.", at="data") from None
        if not isinstance(found, dict):
            raise InvalidData(f"Line {number} is not an object with a value for each column.", at="data")
        rows.append(found)
    names = dict.fromkeys(name for row in rows for name in row)
    return {name: plain(_mixed([row.get(name) for row in rows])) for name in names}


def _mixed(values: list[Any]) -> pa.Array:
    try:
        return pa.array(values)
    except (pa.ArrowInvalid, pa.ArrowTypeError):
        return pa.array([None if v is None else v if isinstance(v, str) else json.dumps(v) for v in values], pa.string())


def plain(column: pa.Array) -> pa.Array:
    """A column as float64, string, bool or timestamp; null where its values are nested or not of such a kind."""
    kind = column.type
    if pa.types.is_dictionary(kind):
        return plain(column.cast(kind.value_type))
    if pa.types.is_integer(kind) or pa.types.is_floating(kind) or pa.types.is_decimal(kind) or pa.types.is_null(kind):
        return pc.cast(column, pa.float64(), safe=False)
    if pa.types.is_boolean(kind) or pa.types.is_string(kind):
        return column
    if pa.types.is_large_string(kind) or pa.types.is_string_view(kind):
        return column.cast(pa.string())
    if pa.types.is_date(kind) or pa.types.is_timestamp(kind):
        return pc.cast(column, pa.timestamp("us"), safe=False)
    return pa.nulls(len(column), NESTED)


NESTED = pa.binary()  # stands for what cannot be used
