"""Runs the benchmarks of own code and writes their part of docs/benchmarks.md: `make bench-own`."""

from __future__ import annotations

import os
import platform
from datetime import date


def main() -> None:
    os.environ.update(OMP_NUM_THREADS="1", OPENBLAS_NUM_THREADS="1")
    from benchmarks.document import put
    from benchmarks.own import curves, going_on, kills, leases, overhead

    text = [
        f"Written by `make bench-own` on {date.today().isoformat()}: {os.cpu_count()} shared cores, Python {platform.python_version()}.",
        "",
        "**Overhead.** A search by random draws on 2 workers, from the beginning of its first fit to the end of its last, against the very same runs, half of them before and half of them after it; median of the rounds.",
        "",
        *overhead.run(),
        "",
        "**Points.** " + " ".join(curves.run()),
        "",
        "**Going on.** " + " ".join(going_on.run()),
        "",
        "**Leases.** " + " ".join(leases.run()),
        "",
    ]
    found = kills.run(100, 1)
    text += [
        f"**Kills.** kill -9 of the server {found['kills']} times at random moments (seed 1) during searches of the demo's program: {found['epochs']:,} epochs were begun, "
        f"{found['epochs begun again']} of them again after a kill (its checkpoints are an epoch apart, and two fits are under way at a time); fits that began further back than "
        f"with the epoch under way, as one may whose trial was not written down yet: {found['begun again before the last checkpoint']}; scored fits lost or run again: "
        f"{found['scored fits run again']}; processes left behind: {found['orphans']}.",
        "",
        "On 2026-11-29, earlier, and the code of then: program 1.035 and 1.055, function 1.013 (7.01 s beside 6.92 s: its calls were longer), 75 of 378 epochs begun again. Later, 3 rounds with all of the bare runs behind: 0.979, 1.079 and 1.125; 238 of 547 epochs "
        "begun again, before what a fit came to was kept in its folder.",
    ]
    put("own code", text)
    print("\n".join(text))


if __name__ == "__main__":
    main()
