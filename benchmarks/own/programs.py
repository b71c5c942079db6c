"""Made-up programs and functions with so much to do, for measuring what is added to them."""

from __future__ import annotations

import math
import sys
import time
from pathlib import Path
from typing import Any

WORK = """
import sys
x, steps = float(sys.argv[1]), int(sys.argv[2])
total = 0
for i in range(steps):
    total += i * i % 7
print('{"score": %r}' % (x - total % 2 * 0))
"""
TALK = """
import sys
x = float(sys.argv[1])
for i in range(int(sys.argv[2])):
    print('{"score": %.6f, "level": %d}' % (x, i + 1))
"""
EPOCHS = """
import json, os, sys
folder, begun, level, x = sys.argv[1], int(sys.argv[2]), int(sys.argv[3]), float(sys.argv[4])
kept = os.path.join(folder, "at.json")
at = json.load(open(kept)) if os.path.exists(kept) else 0
for epoch in range(at + 1, level + 1):
    json.dump(epoch, open(kept + ".half", "w")); os.replace(kept + ".half", kept)
    with open("done.txt", "a") as file: file.write("%s %d\\n" % (folder.rsplit("/", 1)[1], epoch))
    print(json.dumps({"score": -(x - 0.3) ** 2 - 1 / (epoch + 1), "epoch": epoch}), flush=True)
"""


def steps_in(seconds: float) -> int:
    """How many steps of WORK take so long here, alone, at the best."""
    steps, best = 1_000_000, math.inf
    for _ in range(5):
        begun = time.perf_counter()
        work(steps)
        best = min(best, time.perf_counter() - begun)
    return max(int(steps * seconds / best), 1)


def work(steps: int) -> int:
    total = 0
    for i in range(steps):
        total += i * i % 7
    return total


def function(settings: dict[str, Any], fit: Any) -> float:
    """The same work as a function; its settings say how much."""
    return float(settings["x"]) - work(int(settings["steps"])) % 2 * 0.0


def written(folder: Path, name: str, code: str) -> list[str]:
    """The program laid down, and how it is started."""
    (folder / name).write_text(code)
    return [sys.executable, name]
