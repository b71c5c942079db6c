"""Tables as Python people have them, on their way to a workspace."""

from __future__ import annotations

import io
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from pellux.service.errors import InvalidData


def as_file(data: Any, target: Any = None) -> tuple[str, bytes, str | None]:
    """A name, the bytes of a file and the target's name, of whatever holds a table.

    Parameters
    ----------
    data : path, pyarrow Table, pandas DataFrame, anything with `__arrow_c_stream__`, mapping of columns, or array (rows, columns)
    target : str, or array of length rows
        The column to predict; an array becomes a column called 'target'.
    """
    if isinstance(data, (str, Path)):
        path = Path(data)
        try:
            return path.name, path.read_bytes(), target
        except OSError as error:
            raise InvalidData(f"{path} cannot be read: {error.strerror}.", at="data") from None
    table = _table(data)
    if target is not None and not isinstance(target, str):
        column = pa.array(np.asarray(target))
        if len(column) != table.num_rows:
            raise InvalidData(f"The target has {len(column):,} values for {table.num_rows:,} rows.", at="target")
        table, target = table.append_column("target", column), "target"
    held = io.BytesIO()
    pq.write_table(table, held)
    return "data.parquet", held.getvalue(), target


def _table(data: Any) -> pa.Table:
    try:
        if isinstance(data, pa.Table):
            return data
        if hasattr(data, "__arrow_c_stream__"):
            return pa.table(data)
        if type(data).__module__.partition(".")[0] == "pandas":
            return pa.Table.from_pandas(data, preserve_index=False)
        if isinstance(data, Mapping):
            return pa.table({str(name): pa.array(np.asarray(column)) for name, column in data.items()})
        array = np.asarray(data)
        if array.ndim == 2 and array.shape[1]:
            return pa.table({f"x{i}": pa.array(array[:, i]) for i in range(array.shape[1])})
    except (pa.ArrowInvalid, pa.ArrowTypeError, pa.ArrowNotImplementedError, ValueError, TypeError) as error:
        raise InvalidData(f"The data cannot be made a table: {error}.", at="data") from None
    raise InvalidData("Data are a file, a table, a mapping of columns, or an array of rows and columns.", at="data")
