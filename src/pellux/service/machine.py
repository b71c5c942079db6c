"""What this machine has, and what a result made on it depends on."""

from __future__ import annotations

import os
import platform
from importlib.metadata import version
from importlib.util import find_spec
from pathlib import Path

import psutil

from pellux.version import __version__

PACKAGES = ("numpy", "scipy", "scikit-learn", "lightgbm", "xgboost-cpu")
MODULES = {"scikit-learn": "sklearn", "xgboost-cpu": "xgboost"}


def default_workers(cores: int = 1) -> int:
    """How many fits that hold so many cores fit into those that this process may use; one at the least."""
    return max(1, len(os.sched_getaffinity(0)) // max(cores, 1))


def devices_here() -> tuple[str, ...]:
    """The devices that the system tells of, by their numbers."""
    found = [path.name.removeprefix("nvidia") for path in Path("/dev").glob("nvidia[0-9]*")]
    return tuple(sorted(found, key=int))


def memory_for(workers: int, wanted_mb: int | None = None) -> int:
    """Bytes that one worker may allocate: as asked, else an even share of four fifths of the machine's memory."""
    if wanted_mb is not None:
        return wanted_mb * 2**20
    return int(0.8 * psutil.virtual_memory().total / workers)


def versions() -> dict[str, str]:
    """What a result depends on."""
    packages = {name: version(name) for name in PACKAGES if find_spec(MODULES.get(name, name)) is not None}
    return {"pellux": __version__, "python": platform.python_version(), **packages}
