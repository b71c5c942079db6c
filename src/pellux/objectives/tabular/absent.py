"""A library that is not installed is looked for once, and not in every fit.

scikit-learn asks for pandas some forty times while it fits a pipeline of ours, whatever the table is. Where it is not installed, all
folders of the path are searched each time: two to four milliseconds, a fifth of a small fit.
"""

from __future__ import annotations

import sys
from importlib.abc import MetaPathFinder
from importlib.util import find_spec
from typing import Any


class Absent(MetaPathFinder):
    """Says of libraries at once that they are not there, as long as the path is that on which they were not found."""

    def __init__(self, *names: str) -> None:
        self.names = frozenset(name for name in names if find_spec(name) is None)
        self.path = list(sys.path)

    def find_spec(self, name: str, path: Any = None, target: Any = None) -> None:
        """Raises ModuleNotFoundError, or leaves the search to others: somebody's own folder may hold what was missing."""
        if name in self.names and sys.path == self.path:
            raise ModuleNotFoundError(f"No module named {name!r}", name=name)


def look_once(*names: str) -> Absent:
    """Put before all who search; only where something is missing it is ever asked for more than a name."""
    found = Absent(*names)
    sys.meta_path.insert(0, found)
    return found
