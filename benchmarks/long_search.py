"""Whether a long search stays as fast as it was: python -m benchmarks.long_search [50000]

Random draws whose fits cost nothing, so that what is measured is proposals, engine and store.
"""

from __future__ import annotations

import os
import platform
import sqlite3
import sys
import tempfile
from contextlib import closing
from datetime import date
from pathlib import Path

from benchmarks.document import put
from benchmarks.scenes import InstantRunner, warm_arrivals
from pellux.service.engine.engine import Engine
from pellux.service.planning.launching import launch
from pellux.service.planning.requests import SearchRequest, SettingsRequest
from pellux.service.workspace import Workspace

SPACE = "rate: 0.01 .. 0.3 log\nleaves: 4 .. 128 int log\npull: 1e-3 .. 100 log"
PART = 5000


def ended(folder: Path) -> list[float]:
    """When each trial ended, in order."""
    with closing(sqlite3.connect(folder / "pellux.db")) as database:
        return [at for (at,) in database.execute("SELECT ended_at FROM trial WHERE state = 'scored' ORDER BY ended_at")]


def main() -> None:
    trials = int(sys.argv[1]) if len(sys.argv) > 1 else 50_000
    with tempfile.TemporaryDirectory() as name:
        workspace = Workspace(Path(name))
        workspace.hold_engine()
        engine = Engine(workspace, InstantRunner)
        plan = SettingsRequest(strategy="random", trials=trials, workers=8, seed=1)
        engine.join(
            launch(
                engine, warm_arrivals(workspace, folds="2 stratified"), SearchRequest(learner="boosting", space=SPACE, plan=plan)
            )
        )
        at = ended(Path(name))
        engine.close()
        workspace.close()
    rates = [PART / (at[begin + PART - 1] - at[begin]) for begin in range(0, len(at) - PART + 1, PART)]
    put(
        "long search",
        [
            f"Written by `python -m benchmarks.long_search` on {date.today().isoformat()}: {os.cpu_count()} shared cores, Python {platform.python_version()}.",
            "",
            f"A search of {trials:,} trials of two fits that cost nothing, random draws, 8 workers: trials a second in each {PART:,}: "
            f"{', '.join(f'{rate:.0f}' for rate in rates)}; the last at {rates[-1] / rates[0]:.0%} of the first (≥ 80 %).",
            "",
            "By the wall clock of a machine whose speed wavers: the run before this one, of the same code, began in a fast stretch (895, then 713, 644, 697, 605, 552, "
            "537, 616, 652, 602: 67 %).",
        ],
    )


if __name__ == "__main__":
    main()
