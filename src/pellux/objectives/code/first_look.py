"""One real fit before launch, in a process of its own: what was printed beside what was read from it."""

from __future__ import annotations

import math
import tempfile
import time
from collections.abc import Mapping, Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Any

from pellux.core.errors import InvalidOwnCode
from pellux.core.objective import FitFailed, Terms
from pellux.core.space import Value
from pellux.objectives.code.brief import FUNCTION, CodeBrief
from pellux.objectives.code.folders import KEEP
from pellux.objectives.code.function import call, load
from pellux.objectives.code.guesses import guess
from pellux.objectives.code.process import OUT
from pellux.objectives.code.program import ProgramEvaluator, ProgramSource, Run, refuse
from pellux.objectives.code.scores import Found, Said

MOST_LINES = 400
MOST_FILES = 50


class _Lines:
    """What was printed, the last lines of it, with what was read from each."""

    def __init__(self) -> None:
        self.lines: list[dict[str, Any]] = []
        self.left_out = 0

    def __call__(self, stream: str, line: str, said: Said | None) -> None:
        if len(self.lines) >= MOST_LINES:
            self.lines.pop(MOST_LINES // 2)
            self.left_out += 1
        read = None if said is None else {"how": said.how, "level": said.level, "score": _finite(said.score), "others": said.others}
        self.lines.append({"aside": stream != OUT, "text": line[:2000], "read": read})


def first_look(
    brief: CodeBrief, configuration: Mapping[str, Value], settings: Sequence[str], devices: Sequence[str], sent: Path | None = None
) -> dict[str, Any]:
    """Run one fit at the smallest level, on the first fold; the answer is plain JSON, a failure a part of it."""
    level = 1 if brief.grows else brief.most
    lines, begun = _Lines(), time.perf_counter()
    reason: dict[str, Any] | None = None
    found: Found | None = None
    with tempfile.TemporaryDirectory(prefix="pellux-look-") as scratch:
        run = Run(configuration, 0, "0", 0, level, Path(scratch))
        try:
            if brief.kind == FUNCTION:
                found = call(brief, load(brief, sent), run, tuple(devices), lambda: False, lambda level, score: None)
            else:
                evaluator = ProgramEvaluator(ProgramSource(brief, Terms(settings=tuple(settings))), lines)
                try:
                    found, heard = evaluator.run(run, devices)
                finally:
                    evaluator.close()
                refuse(brief, found, heard)
        except FitFailed as failed:
            reason = failed.reason.to_json()
        except InvalidOwnCode:
            raise
        except Exception as error:
            if brief.kind != FUNCTION:
                raise
            reason = {"code": "error", "kind": type(error).__name__, "text": str(error)}
        left = _left(Path(scratch))
    guessed = guess([line["text"] for line in lines.lines], brief.grows.what if brief.grows else "")
    return {
        "level": level, "seconds": time.perf_counter() - begun, "lines": lines.lines, "left_out": lines.left_out,
        "how": found.how if found else "", "score": _finite(found.score) if found else None,
        "curve": [list(point) for point in found.curve] if found else [], "recorded": dict(found.recorded) if found else {},
        "reason": reason, "files": left, "guess": asdict(guessed) if guessed else None,
    }  # fmt: skip


def _left(folder: Path) -> list[dict[str, Any]]:
    """What the fit left in its folder, but for what we laid there."""
    ours = {"fit.json", "settings.json"}
    found = sorted(path for path in folder.rglob("*") if path.is_file() and not path.is_symlink())
    return [
        {"name": str(name), "bytes": path.stat().st_size, "kept": name.parts[0] == KEEP}
        for path in found
        if (name := path.relative_to(folder)).name not in ours or len(name.parts) > 1
    ][:MOST_FILES]


def _finite(score: float | None) -> float | None:
    return score if score is not None and math.isfinite(score) else None
