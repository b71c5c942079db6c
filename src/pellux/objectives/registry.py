"""The kinds of objectives there are for somebody: a registry that is passed in, not a module's state.

To add a kind, write a folder in `objectives/` with its objective and evaluator (the protocols of core/objective.py), a class
with `key` and `open`, and put it among those that the workspace is opened with (service/workspace.py).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Protocol

from pellux.core.errors import WorkspaceError
from pellux.core.objective import Objective


@dataclass(frozen=True)
class Stored:
    """What is stored of a problem's objective, and where the workspace keeps what it may need.

    Attributes
    ----------
    brief : mapping
        Its own description, as JSON.
    data : Path
        The folder of imported data.
    folds : Path
        The file of its folds, if it has any.
    own : Path
        The folder of people's own code.
    """

    kind: str
    brief: Mapping[str, Any]
    data: Path
    folds: Path
    own: Path


class Kind(Protocol):
    @property
    def key(self) -> str: ...

    def open(self, stored: Stored) -> Objective: ...


class Objectives:
    """Kinds by their keys."""

    def __init__(self, *kinds: Kind) -> None:
        self._kinds = {kind.key: kind for kind in kinds}

    def open(self, stored: Stored) -> Objective:
        kind = self._kinds.get(stored.kind)
        if kind is None:
            known = ", ".join(self._kinds)
            raise WorkspaceError(
                f"Problems of the kind '{stored.kind}' need a version of Pellux that knows them; this one knows {known}."
            )
        return kind.open(stored)
