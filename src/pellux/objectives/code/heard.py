"""What a fit that goes on has said so far, written into its folder line by line: for the next attempt, when its worker dies."""

from __future__ import annotations

import json
import math
import os
from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path
from types import TracebackType
from typing import Any

from pellux.core.space import Value
from pellux.objectives.code.folders import HEARD, Mark
from pellux.objectives.code.scores import Found, Said

Points = dict[int, tuple[float, dict[str, float]]]  # score and other metrics, by level


class Heard:
    """Keeps finite scores at levels up to the one that the fit is to reach; what an attempt before left is `before`.

    A line is one write: a process that is killed loses none that it has heard. A full disk costs only what another attempt repeats.
    """

    def __init__(self, folder: Path, configuration: Mapping[str, Value], begun: int, level: int) -> None:
        self._path, self._level = folder / HEARD, level
        self._whose = {"settings": dict(configuration), "from": begun, "to": level}
        self._file: int | None = None
        self.before = self._read()

    def __enter__(self) -> Heard:
        with suppress(OSError):
            flags = os.O_WRONLY | os.O_CREAT | os.O_APPEND | (0 if self.before else os.O_TRUNC)
            self._file = os.open(self._path, flags, 0o600)
            if not self.before:
                self._write(self._whose)
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        if self._file is not None:
            os.close(self._file)
            self._file = None

    def note(self, level: int, said: Said) -> None:
        if level <= self._level and math.isfinite(said.score):
            self._write([level, said.score, said.others])

    def at_the_end(self) -> Found | None:
        """What it comes to, where an attempt before has said its last score."""
        last = self.before.get(self._level)
        if last is None:
            return None
        curve = tuple((level, score) for level, (score, _) in sorted(self.before.items()))
        return Found("", curve, last[0], last[1], {level: others for level, (_, others) in self.before.items()}, 0)

    def added_to(self, mark: Mark) -> Mark:
        """The mark with what an attempt before has said on its way from there; how far it came stays."""
        if not self.before:
            return mark
        curve = tuple(sorted({**dict(mark.curve), **{level: score for level, (score, _) in self.before.items()}}.items()))
        return Mark(mark.level, curve, {**mark.others, **{level: others for level, (_, others) in self.before.items()}})

    def _write(self, line: Any) -> None:
        if self._file is not None:
            with suppress(OSError):
                os.write(self._file, json.dumps(line).encode() + b"\n")

    def _read(self) -> Points:
        """Only of an attempt at this very fit; a line that was cut off counts as not heard."""
        found: Points = {}
        if _whose(self._path.parent) == json.loads(json.dumps(self._whose)):
            with suppress(OSError):
                for line in self._path.read_text("utf-8", "replace").splitlines()[1:]:
                    with suppress(ValueError, TypeError):
                        level, score, others = json.loads(line)
                        found[int(level)] = float(score), dict(others)
        return found


def settings_heard(folder: Path) -> dict[str, Value] | None:
    """Whose fit was the last to say something there; None where nobody knows."""
    whose = _whose(folder)
    return None if whose is None else dict(whose["settings"])


def _whose(folder: Path) -> dict[str, Any] | None:
    """The first line: settings, from where and to where."""
    try:
        with (folder / HEARD).open(encoding="utf-8") as file:
            found = json.loads(file.readline())
    except (OSError, ValueError):
        return None
    return found if isinstance(found, dict) and isinstance(found.get("settings"), dict) else None
