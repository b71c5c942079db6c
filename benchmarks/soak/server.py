"""A server like any other, whose clock for people can be set while it runs: `python -m benchmarks.soak.server serve …`.

The file named by SOAK_CLOCK holds the seconds by which that clock is wrong.
"""

from __future__ import annotations

import faulthandler
import os
import signal
import time
from functools import partial
from pathlib import Path

from pellux.__main__ import main
from pellux.service import workspace


def wall() -> float:
    try:
        return time.time() + float(Path(os.environ["SOAK_CLOCK"]).read_text() or 0)
    except (OSError, ValueError):
        return time.time()


if __name__ == "__main__":
    faulthandler.register(signal.SIGUSR1, Path(os.environ["SOAK_CLOCK"]).with_name("stacks").open("w"))
    workspace.Workspace = partial(workspace.Workspace, wall=wall)  # type: ignore[misc,assignment]
    main()
