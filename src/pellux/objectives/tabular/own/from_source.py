"""Own code is read from its source files, never from what an interpreter kept compiled beside them.

A kept file that says it belongs to a source runs in its place, and no seal covers it; and writing one would change the folder
whose content the seal is of. So nothing is read from `__pycache__` in the folder of own code, and nothing is written there.
"""

from __future__ import annotations

import sys
from importlib.machinery import SOURCE_SUFFIXES, FileFinder, SourceFileLoader
from pathlib import Path
from typing import Any

_folders: set[str] = set()


class FromSource(SourceFileLoader):
    """Compiles the source anew in every process."""

    def path_stats(self, path: str) -> dict[str, Any]:
        """Raise OSError: whoever knows no time of a source neither reads nor keeps what was compiled of it."""
        raise OSError(f"{path} is read from its source")


def importable(folder: Path) -> None:
    """Let what lies in a folder, and in folders of it, be imported in this process; nothing of anybody else's is shadowed."""
    name = str(folder)
    if not _folders:
        sys.path_hooks.insert(0, _finder)
    _folders.add(name)
    sys.path_importer_cache.pop(name, None)
    if name not in sys.path:
        sys.path.append(name)


def _finder(path: str) -> FileFinder:
    if not any(path == folder or path.startswith(folder + "/") for folder in _folders):
        raise ImportError(f"{path} holds no own code")
    return FileFinder(path, (FromSource, SOURCE_SUFFIXES))
