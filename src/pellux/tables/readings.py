"""How a data file is to be read: found out from its beginning, and correctable by a person."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Mapping
from dataclasses import asdict, dataclass, field, replace
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.parquet as pq

from pellux.core.errors import InvalidData

CSV, PARQUET, JSON_LINES = "csv", "parquet", "jsonl"
FORMATS = (CSV, PARQUET, JSON_LINES)
DELIMITERS = {",": "comma", ";": "semicolon", "\t": "tab", "|": "bar"}
QUOTES = ('"', "'")
ENCODINGS = (
    "utf-8", "utf-16", "cp1252", "cp1250", "cp1251", "iso8859-1", "iso8859-2", "iso8859-15", "mac-roman", "shift_jis", "gb18030", "big5",
    "euc-kr",
)  # fmt: skip
MOST_COLUMNS = 10_000
LONGEST_NAME = 500  # characters of a column's
BEGINNING = 4 * 2**20
DECIMAL_COMMA = re.compile(r"[+-]?\d*,\d+([eE][+-]?\d+)?")
DECIMAL_POINT = re.compile(r"[+-]?\d*\.\d+([eE][+-]?\d+)?")


@dataclass(frozen=True)
class Reading:
    """How a file is read.

    Attributes
    ----------
    encoding, delimiter, quote, decimal : str
        Of text tables; empty for the other formats.
    header : tuple of str
        Names of the columns, as far as they are known before everything is read.
    types : dict of str to str
        Types that a person gave to columns: 'number', 'category', 'yes/no', 'text', 'date', or 'date %d/%m/%Y'.
    notes : tuple of str
        What was found and may be wrong.
    """

    format: str = CSV
    encoding: str = ""
    delimiter: str = ""
    quote: str = ""
    decimal: str = ""
    header: tuple[str, ...] = ()
    types: Mapping[str, str] = field(default_factory=dict)
    notes: tuple[str, ...] = ()

    def to_json(self) -> dict[str, Any]:
        found = asdict(self)
        return {**found, "notes": list(self.notes), "header": None} if self.format == CSV else {**found, "notes": list(self.notes)}


@dataclass(frozen=True)
class ReadOptions:
    """What a person says of the reading; empty where it is to be found out."""

    format: str = ""
    encoding: str = ""
    delimiter: str = ""
    quote: str = ""
    decimal: str = ""
    types: Mapping[str, str] = field(default_factory=dict)

    def __post_init__(self) -> None:
        for name, allowed in (("format", FORMATS), ("delimiter", tuple(DELIMITERS)), ("quote", QUOTES), ("decimal", (".", ","))):
            value = getattr(self, name)
            if value and value not in allowed:
                shown = ", ".join(repr(a) for a in allowed)
                raise InvalidData(f"The {name} {value!r} is unknown. Allowed: {shown}.", at=name)
        if self.encoding and self.encoding not in ENCODINGS:
            raise InvalidData(f"The encoding {self.encoding!r} is unknown. Allowed: {', '.join(ENCODINGS)}.", at="encoding")

    @property
    def empty(self) -> bool:
        return self == ReadOptions()


def detect(path: Path, options: ReadOptions | None = None) -> Reading:
    """How a file is written; InvalidData when it is no table that can be used."""
    options = options or ReadOptions()
    with path.open("rb") as file:
        raw = file.read(BEGINNING)
    if not raw.strip():
        raise InvalidData("The file is empty.", at="data")
    format_ = options.format or _format(raw)
    if format_ == PARQUET:
        return _parquet(path, options)
    if format_ == JSON_LINES:
        return Reading(JSON_LINES, types=dict(options.types))
    return _text_table(raw, options)


def _format(raw: bytes) -> str:
    if raw[:4] == b"PAR1":
        return PARQUET
    return JSON_LINES if raw.lstrip(b"\xef\xbb\xbf \t\r\n")[:1] == b"{" else CSV


def _parquet(path: Path, options: ReadOptions) -> Reading:
    try:
        schema = pq.read_schema(path)
    except (pa.ArrowException, OSError, UnicodeDecodeError) as error:
        raise InvalidData(f"The file cannot be read as Parquet: {str(error).splitlines()[0][:200]}", at="data") from None
    check_header(tuple(schema.names))
    return Reading(PARQUET, header=tuple(schema.names), types=dict(options.types))


def _text_table(raw: bytes, options: ReadOptions) -> Reading:
    text, encoding, notes = _decode(raw, options.encoding, cut=len(raw) == BEGINNING)
    delimiter = options.delimiter or _delimiter(text, options.quote or '"')
    quote = options.quote or _quote(text, delimiter)
    csv.field_size_limit(BEGINNING)
    rows = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter, quotechar=quote)
    header = tuple(name.strip() for name in next(rows, []))
    check_header(header)
    sample = [row for row, _ in zip((row for row in rows if row), range(500), strict=False)]
    if not sample:
        raise InvalidData("The file holds a header and no rows.", at="data")
    decimal = options.decimal or _decimal(sample, delimiter)
    if decimal == "," and not options.decimal:
        notes.append("Numbers have a decimal comma.")
    return Reading(CSV, encoding, delimiter, quote, decimal, header, dict(options.types), tuple(notes))


def _decode(raw: bytes, wished: str, *, cut: bool) -> tuple[str, str, list[str]]:
    """The beginning as text, its encoding, and what a person should know about it."""
    if wished:
        try:
            return raw.decode(wished, "ignore" if cut else "strict").lstrip("\ufeff"), wished, []
        except UnicodeDecodeError as error:
            line = raw.count(b"\n", 0, error.start) + 1
            raise InvalidData(f"The file is not {wished}: line {line} holds bytes that it does not know.", at="encoding") from None
    if raw[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return raw.decode("utf-16", "ignore"), "utf-16", []
    if b"\0" in raw:
        raise InvalidData("The file holds NUL bytes: it is neither text, nor Parquet, nor JSON Lines.", at="data")
    try:
        return raw.decode("utf-8-sig"), "utf-8", []
    except UnicodeDecodeError as error:
        if cut and error.start > len(raw) - 4:  # the block ends inside a character
            return raw[: error.start].decode("utf-8-sig"), "utf-8", []
    return raw.decode(fallback(raw)), fallback(raw), [not_utf8(raw)]


def fallback(raw: bytes) -> str:
    """The encoding to try when a text is not UTF-8: what western offices write."""
    try:
        raw.decode("cp1252")
    except UnicodeDecodeError:
        return "iso8859-1"
    return "cp1252"


def not_utf8(raw: bytes) -> str:
    return f"The file is not UTF-8; it was read as {fallback(raw)}. If letters look wrong, choose another encoding."


def _delimiter(text: str, quote: str) -> str:
    """The delimiter that cuts the header into most columns; a tie goes to the comma."""
    counts = {d: len(next(csv.reader(io.StringIO(text, newline=""), delimiter=d, quotechar=quote), [])) for d in DELIMITERS}
    return max(DELIMITERS, key=lambda d: counts[d])


def _quote(text: str, delimiter: str) -> str:
    """An apostrophe only where it opens cells and the double quote does not."""
    lines = text.splitlines()[:200]
    opened = {q: sum(line.startswith(q) or delimiter + q in line for line in lines) for q in QUOTES}
    return "'" if opened["'"] > len(lines) // 2 and not opened['"'] else '"'


def _decimal(rows: list[list[str]], delimiter: str) -> str:
    cells = [cell.strip() for row in rows for cell in row]
    commas = sum(DECIMAL_COMMA.fullmatch(cell) is not None for cell in cells)
    points = sum(DECIMAL_POINT.fullmatch(cell) is not None for cell in cells)
    return "," if delimiter != "," and commas > points else "."


def check_header(header: tuple[str, ...]) -> None:
    if len(header) > MOST_COLUMNS:
        raise InvalidData(f"The file has {len(header):,} columns; at most {MOST_COLUMNS:,} can be used.", at="data")
    for place, name in enumerate(header, 1):
        if not name:
            raise InvalidData(f"Column {place} has no name in the header.", at="data")
        if len(name) > LONGEST_NAME or "\0" in name:
            raise InvalidData(f"The name of column {place} is no name: '{name[:40]}…' ({len(name):,} characters).", at="data")
    twice = [name for name in dict.fromkeys(header) if header.count(name) > 1] if len(set(header)) < len(header) else []
    if twice:
        places = ", ".join(str(i) for i, name in enumerate(header, 1) if name == twice[0])
        raise InvalidData(f"Two columns are called '{twice[0]}' (columns {places}). Rename one.", at="data")
    if len(header) < 2:
        only = f" ('{header[0][:40]}')" if header else ""
        raise InvalidData(
            f"The file has one column{only}. A table needs a target and at least one feature; "
            "columns are parted by comma, semicolon, tab or bar.",
            at="data",
        )


def with_encoding(reading: Reading, encoding: str, note: str) -> Reading:
    return replace(reading, encoding=encoding, notes=(*reading.notes, note))
