"""A stored table: `table.json` (columns), `numbers.npy` and `codes.npy` (memory-mapped, one column contiguous)."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass, field
from functools import cached_property
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pellux.core.errors import InvalidBrief
from pellux.tables.files import DATA, array, gone

NUMBER, CATEGORY, YES_NO, DATE, TEXT = "number", "category", "yes/no", "date", "text"
FILES = ("table.json", "numbers.npy", "codes.npy")
TYPES = (NUMBER, CATEGORY, YES_NO, DATE, TEXT)


@dataclass(frozen=True)
class Column:
    """One column: its type, its place in the array of that type, and its profile.

    Numbers and dates (days since 1970-01-01) lie in one array, the codes of categories and of yes/no in another.

    Attributes
    ----------
    categories : tuple of str
        Labels in the order of their codes.
    histogram : tuple of int
        Counts in equal bins of `low .. high`, or of the most frequent categories.
    whole : bool
        A number column that holds whole numbers only.
    note : str
        What a person should know about how the column was read; empty when there is nothing to say.
    form : str
        How its dates are written, in the signs of strptime; empty for ISO 8601.
    examples : tuple of str
        Its values in the first rows, as text; empty where one is missing.
    """

    name: str
    type: str
    place: int
    missing: int
    distinct: int
    categories: tuple[str, ...] = ()
    low: float | None = None
    high: float | None = None
    whole: bool = False
    histogram: tuple[int, ...] = field(default=())
    note: str = ""
    form: str = ""
    examples: tuple[str, ...] = ()

    @property
    def numeric(self) -> bool:
        return self.type in (NUMBER, DATE)

    @property
    def coded(self) -> bool:
        return self.type in (CATEGORY, YES_NO)


@dataclass(frozen=True)
class Table:
    """An opened table; arrays are mapped on first use and shared by every process that opens them.

    Attributes
    ----------
    hash : str
        Identity of the content as it was read: that of the file, unless a person corrected the reading.
    source : str
        Content hash of the file.
    reading : dict
        How the file was read: format, encoding, delimiter and so on; see store/readings.py.
    """

    folder: Path
    name: str
    hash: str
    rows: int
    columns: tuple[Column, ...]
    source: str = ""
    reading: dict[str, Any] = field(default_factory=dict, compare=False)

    @staticmethod
    def open(folder: Path) -> Table:
        try:
            found = json.loads((folder / "table.json").read_text("utf-8"))
        except FileNotFoundError:
            raise gone(folder / "table.json", DATA) from None
        columns = tuple(
            Column(**{**c, **{n: tuple(c.get(n, ())) for n in ("categories", "histogram", "examples")}}) for c in found["columns"]
        )
        return Table(
            folder,
            found["name"],
            found["hash"],
            found["rows"],
            columns,
            found.get("source", found["hash"]),
            found.get("reading", {}),
        )

    def describe(self) -> dict[str, Any]:
        return {
            "name": self.name, "hash": self.hash, "rows": self.rows, "columns": [asdict(c) for c in self.columns],
            "source": self.source, "reading": self.reading,
        }  # fmt: skip

    @cached_property
    def _by_name(self) -> dict[str, Column]:
        return {c.name: c for c in self.columns}

    def column(self, name: str, *, at: str = "target") -> Column:
        if name not in self._by_name:
            raise InvalidBrief(f"The data have no column '{name}'.", at=at)
        return self._by_name[name]

    @cached_property
    def numbers(self) -> NDArray[np.float64]:
        return array(self.folder / "numbers.npy", DATA, "r")  # type: ignore[no-any-return]

    @cached_property
    def codes(self) -> NDArray[np.int32]:
        return array(self.folder / "codes.npy", DATA, "r")  # type: ignore[no-any-return]

    def values(self, name: str, *, at: str = "target") -> NDArray[Any]:
        """A column's numbers (NaN: missing), or its category codes (-1: missing), shape (rows,)."""
        column = self.column(name, at=at)
        if column.type == TEXT:
            raise InvalidBrief(f"{name} holds free text, which no learner here can read.", at=at)
        return self.numbers[:, column.place] if column.numeric else self.codes[:, column.place]
