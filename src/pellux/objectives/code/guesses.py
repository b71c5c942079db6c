"""Which score a program seems to print, when nobody has said: from the keys of JSON lines, else from `name=number` in its text."""

from __future__ import annotations

import json
import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from pellux.objectives.code.scores import LEVEL_KEYS, number

NAMED = re.compile(r"([A-Za-z_][\w.@/-]*)\s*[=:]\s*([-+]?(?:\d+\.\d*|\.\d+|\d+)(?:[eE][-+]?\d+)?)(?![\w.])")
COUNTS = re.compile(r"epoch|step|iter|level|time|seconds|sec|batch|seed|fold|lr|rate|size|param|^n$|^i$", re.IGNORECASE)
PREFERRED = ("val", "valid", "test", "eval", "dev")


@dataclass(frozen=True)
class Guess:
    """A score's name, and the pattern that finds it where it is not in JSON."""

    name: str
    pick_out: str


def guess(lines: Sequence[str], counter: str = "") -> Guess | None:
    """The likeliest score in what was printed; None where there is none."""
    counts = {counter, counter.removesuffix("s"), *LEVEL_KEYS}
    keys: Counter[str] = Counter()
    for line in lines:
        text = line.strip()
        if text.startswith("{") and text.endswith("}"):
            try:
                row = json.loads(text)
            except (ValueError, RecursionError):
                continue
            if isinstance(row, dict):
                keys.update(str(key) for key, value in row.items() if number(value) is not None and key not in counts)
    named = _likeliest([key for key in keys if not COUNTS.search(key)])
    if named is not None:
        return Guess(named, "")
    found: Counter[str] = Counter()
    for line in lines:
        found.update(dict.fromkeys((match[1] for match in NAMED.finditer(line)), 1))
    named = _likeliest([name for name in found if not COUNTS.search(name)])
    return None if named is None else Guess(named, rf"(?<![\w.]){re.escape(named)}\s*[=:]\s*([-+0-9.eE]+)")


def _likeliest(names: Sequence[str]) -> str | None:
    """A name that speaks of held-out data, else the last one."""
    held_out = [name for name in names if any(part in name.lower() for part in PREFERRED)]
    return held_out[0] if held_out else names[-1] if names else None
