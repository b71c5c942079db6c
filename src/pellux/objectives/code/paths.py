"""Where programs are looked for: in the environment that was entered, else first in the one that Pellux runs in."""

from __future__ import annotations

import os
import sys
from collections.abc import Mapping
from pathlib import Path

ENTERED = ("VIRTUAL_ENV", "CONDA_PREFIX")


def search_path(environment: Mapping[str, str]) -> str:
    """PATH for somebody's program: so that `python` is the one that has what it needs, entered or not."""
    ours, theirs = str(Path(sys.executable).parent), environment.get("PATH", os.defpath)
    entered = any(environment.get(name) for name in ENTERED)
    return os.pathsep.join([theirs, ours] if entered else [ours, theirs])
