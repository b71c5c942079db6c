"""Finds out how a CSV file is written: encoding, delimiter, header. Reads only its beginning."""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass
from pathlib import Path

from pellux.core.errors import InvalidData

DELIMITERS = (",", ";", "\t")
NAMES = {",": "comma", ";": "semicolon", "\t": "tab"}
MOST_COLUMNS = 10_000
BEGINNING = 4 * 2**20


@dataclass(frozen=True)
class CsvFormat:
    delimiter: str
    header: tuple[str, ...]


def detect(path: Path) -> CsvFormat:
    """The delimiter and header of a file; InvalidData when it is no CSV table that can be used."""
    with path.open("rb") as file:
        raw = file.read(BEGINNING)
    if not raw.strip():
        raise InvalidData("The file is empty.", at="data")
    text = _decode(raw, cut=len(raw) == BEGINNING)
    delimiter = _delimiter(text)
    rows = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter)
    csv.field_size_limit(BEGINNING)
    header = tuple(name.strip() for name in next(rows, []))
    _check_header(header)
    if next((row for row in rows if row), None) is None:
        raise InvalidData("The file holds a header and no rows.", at="data")
    return CsvFormat(delimiter, header)


def _decode(raw: bytes, *, cut: bool) -> str:
    if raw[:4] == b"PAR1":
        raise InvalidData("This is a Parquet file; this version reads CSV.", at="data")
    if b"\0" in raw:
        raise InvalidData("The file holds NUL bytes: it is not a text file in UTF-8. Save it as CSV in UTF-8.", at="data")
    try:
        return raw.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        if cut and error.start > len(raw) - 4:  # the block ends inside a character
            return raw[: error.start].decode("utf-8-sig")
        line = raw.count(b"\n", 0, error.start) + 1
        raise InvalidData(
            f"The file is not UTF-8: line {line} holds the byte 0x{raw[error.start]:02x}. Save it as CSV in UTF-8.", at="data"
        ) from None


def _delimiter(text: str) -> str:
    """The delimiter that cuts the header into most columns; a tie goes to the comma."""
    counts = {d: len(next(csv.reader(io.StringIO(text, newline=""), delimiter=d), [])) for d in DELIMITERS}
    return max(DELIMITERS, key=lambda d: counts[d])


def _check_header(header: tuple[str, ...]) -> None:
    if len(header) > MOST_COLUMNS:
        raise InvalidData(f"The file has {len(header):,} columns; at most {MOST_COLUMNS:,} can be used.", at="data")
    for place, name in enumerate(header, 1):
        if not name:
            raise InvalidData(f"Column {place} has no name in the header.", at="data")
    twice = [name for name in dict.fromkeys(header) if header.count(name) > 1] if len(set(header)) < len(header) else []
    if twice:
        places = ", ".join(str(i) for i, name in enumerate(header, 1) if name == twice[0])
        raise InvalidData(f"Two columns are called '{twice[0]}' (columns {places}). Rename one.", at="data")
    if len(header) < 2:
        raise InvalidData(
            f"The file has one column ('{header[0][:40]}'). A table needs a target and at least one feature; "
            "columns are parted by comma, semicolon or tab.",
            at="data",
        )
