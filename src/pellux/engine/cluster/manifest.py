"""Files by what is in them: so that a machine that has a content never gets it twice."""

from __future__ import annotations

import hashlib
import stat
from collections.abc import Mapping
from functools import lru_cache
from pathlib import Path

from pellux.engine.cluster.wire import Listed


def listed(files: Mapping[str, str]) -> tuple[Listed, ...]:
    """Each file with the SHA-256 of its content; OSError where one cannot be read."""
    return tuple(_listed(name, Path(path)) for name, path in sorted(files.items()))


def _listed(name: str, path: Path) -> Listed:
    about = path.stat()
    return Listed(name, _digest(str(path), about.st_size, about.st_mtime_ns), about.st_size, stat.S_IMODE(about.st_mode))


@lru_cache(4096)
def _digest(path: str, size: int, changed: int) -> str:
    return digest_of(Path(path))


def digest_of(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()
