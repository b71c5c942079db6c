"""What the parts of `make bench-strategies` that stand in files of their own share: their arguments, and who wrote what when."""

from __future__ import annotations

import argparse
import os
import platform
from collections.abc import Callable
from datetime import date

from benchmarks.document import put


def write(
    part: str, seeds: range, medians: str, cost: Callable[[], str], lines: Callable[[int, range], list[str]], words: Callable[[], list[str]]
) -> None:  # fmt: skip
    """Run a part as the command line asks for it, and put it into docs/benchmarks.md unless it is to be printed only."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--seeds", type=int, default=len(seeds))
    parser.add_argument("--processes", type=int, default=os.cpu_count() or 1)
    parser.add_argument("--dry", action="store_true", help="Print only.")
    given = parser.parse_args()
    taken = range(seeds.start, seeds.start + given.seeds)
    alone = cost()  # before anything runs beside it
    print(alone, flush=True)
    told = [
        f"Written by `make bench-strategies` on {date.today().isoformat()}: {os.cpu_count()} shared cores, Python {platform.python_version()}. "
        f"Seeds {taken.start} to {taken.stop - 1}; medians of {medians}.",
        "",
        alone,
        "",
        *lines(given.processes, taken),
        "",
        *words(),
    ]
    if not given.dry:
        put(part, told)
