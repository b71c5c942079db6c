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

NUMBER, CATEGORY, TEXT = "number", "category", "text"


@dataclass(frozen=True)
class Column:
    """One column: its type, its place in the array of that type, and its profile.

    Attributes
    ----------
    categories : tuple of str
        Labels in the order of their codes (category columns).
    histogram : tuple of int
        Counts in equal bins of `low .. high`, or of the most frequent categories.
    whole : bool
        A number column that holds whole numbers only.
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


@dataclass(frozen=True)
class Table:
    """An opened table; arrays are mapped on first use and shared by every process that opens them."""

    folder: Path
    name: str
    hash: str
    rows: int
    columns: tuple[Column, ...]

    @staticmethod
    def open(folder: Path) -> Table:
        found = json.loads((folder / "table.json").read_text("utf-8"))
        columns = tuple(
            Column(**{**c, "categories": tuple(c["categories"]), "histogram": tuple(c["histogram"])}) for c in found["columns"]
        )
        return Table(folder, found["name"], found["hash"], found["rows"], columns)

    def describe(self) -> dict[str, Any]:
        return {"name": self.name, "hash": self.hash, "rows": self.rows, "columns": [asdict(c) for c in self.columns]}

    @cached_property
    def _by_name(self) -> dict[str, Column]:
        return {c.name: c for c in self.columns}

    def column(self, name: str, *, at: str = "target") -> Column:
        if name not in self._by_name:
            raise InvalidBrief(f"The data have no column '{name}'.", at=at)
        return self._by_name[name]

    @cached_property
    def numbers(self) -> NDArray[np.float64]:
        return np.load(self.folder / "numbers.npy", mmap_mode="r")  # type: ignore[no-any-return]

    @cached_property
    def codes(self) -> NDArray[np.int32]:
        return np.load(self.folder / "codes.npy", mmap_mode="r")  # type: ignore[no-any-return]

    def values(self, name: str, *, at: str = "target") -> NDArray[Any]:
        """A column's numbers (NaN: missing), or its category codes (-1: missing), shape (rows,)."""
        column = self.column(name, at=at)
        if column.type == TEXT:
            raise InvalidBrief(f"{name} holds free text, which no learner here can read.", at=at)
        return self.numbers[:, column.place] if column.type == NUMBER else self.codes[:, column.place]
