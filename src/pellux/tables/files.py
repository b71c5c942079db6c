"""Reads the files of a workspace; one that is not there any more is named, with what brings it back."""

from __future__ import annotations

from pathlib import Path
from typing import Any, Literal

import numpy as np

from pellux.core.errors import FileGone

DATA = "data"
FOLDS = "folds"
BACK = {
    DATA: "Import the same data file once more, or put the folder back",
    FOLDS: "Put it back from a copy of the workspace",
}


def array(path: Path, holds: str, mode: Literal["r"] | None = None) -> Any:
    """The array in a file; FileGone where it is not there. `holds` is DATA or FOLDS."""
    try:
        return np.load(path, mmap_mode=mode)
    except FileNotFoundError:
        raise gone(path, holds) from None


def gone(path: Path, holds: str) -> FileGone:
    return FileGone(f"{path} is gone: it holds the {holds}. {BACK[holds]}.", path=str(path))
