"""The folder of a trial and fold: what a program is told in it, how far it has come, and what it leaves."""

from __future__ import annotations

import json
import shutil
from collections.abc import Mapping
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any

from pellux.core.objective import Points
from pellux.core.space import Value

KEEP = "keep"
MARK, HEARD = ".pellux.json", ".pellux.heard"
FACTS, SETTINGS, SCORES, PREDICTIONS = "fit.json", "settings.json", "scores.jsonl", "predictions.csv"
VERSION = 1


@dataclass(frozen=True)
class Mark:
    """How far a folder has come: written by us after a fit, never by the program."""

    level: int = 0
    curve: Points = ()
    others: Mapping[int, Mapping[str, float]] = field(default_factory=dict)  # other metrics, by level
    result: MarkedResult | None = None  # of the fit that ended there; None where that was another trial's


@dataclass(frozen=True)
class MarkedResult:
    """What a fit came to, for a server that died before it had written it down."""

    configuration: Mapping[str, Value]
    score: float
    recorded: Mapping[str, float]
    seconds: float
    warnings: tuple[str, ...] = ()


def read_mark(folder: Path) -> Mark:
    """The mark, or that of a folder in which nothing was done."""
    try:
        found = json.loads((folder / MARK).read_text("utf-8"))
        curve = tuple((int(at), float(score)) for at, score in found["curve"])
        others = {int(at): scores for at, scores in found["others"].items()}
        result = found.get("result")
        return Mark(
            int(found["level"]), curve, others, result and MarkedResult(**{**result, "warnings": tuple(result["warnings"])})
        )
    except (OSError, ValueError, KeyError, TypeError):
        return Mark()


def write_mark(folder: Path, mark: Mark) -> None:
    text = json.dumps(
        {
            "level": mark.level,
            "curve": [list(point) for point in mark.curve],
            "others": {at: dict(s) for at, s in mark.others.items()},
            "result": mark.result and asdict(mark.result),
        }
    )
    half = folder / f"{MARK}.half"
    half.write_text(text, "utf-8")
    half.replace(folder / MARK)


def prepare_folder(folder: Path, configuration: Mapping[str, Value], facts: Mapping[str, Any]) -> None:
    """Lay down what the program may read, and take away the scores of the fit before."""
    (folder / KEEP).mkdir(exist_ok=True)
    (folder / SCORES).unlink(missing_ok=True)
    (folder / SETTINGS).write_text(json.dumps(dict(configuration), indent=1) + "\n", "utf-8")
    told = {"pellux": VERSION, **facts, "folder": str(folder), "settings": dict(configuration)}
    (folder / FACTS).write_text(json.dumps(told, indent=1) + "\n", "utf-8")


def clear_folder(folder: Path) -> None:
    """For a fit that begins anew: nothing of an older one may be taken for its own."""
    for path in folder.iterdir():
        if path.is_dir() and not path.is_symlink():
            shutil.rmtree(path, ignore_errors=True)
        else:
            path.unlink(missing_ok=True)


def copy_folder(source: Path, target: Path) -> None:
    """Begin where another left off; what it keeps, what it said and what it came to stay its own."""
    clear_folder(target)
    own = [KEEP, MARK, HEARD]
    shutil.copytree(
        source, target, dirs_exist_ok=True, symlinks=True, ignore=lambda place, names: own if Path(place) == source else []
    )


class Scores:
    """Reads scores.jsonl as it grows."""

    def __init__(self, folder: Path) -> None:
        self._path, self._at, self._open = folder / SCORES, 0, b""

    def new_lines(self) -> list[str]:
        """The lines that were finished since the last look."""
        try:
            if self._path.stat().st_size <= self._at:
                return []
            with self._path.open("rb") as file:
                file.seek(self._at)
                found = file.read(2**20)
        except OSError:
            return []
        self._at += len(found)
        *whole, self._open = (self._open + found).split(b"\n")
        self._open = self._open[: 2**16]
        return [line.decode("utf-8", "replace") for line in whole]

    def rest(self) -> list[str]:
        """All that is left, also a line without an end."""
        lines: list[str] = []
        while more := self.new_lines():
            lines += more
        return [*lines, self._open.decode("utf-8", "replace")] if self._open else lines
