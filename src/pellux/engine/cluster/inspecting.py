"""A look at a machine: sent there by value, for the machine may not have our package."""

from __future__ import annotations

from typing import Any


def look() -> dict[str, Any]:
    """Versions, host name, memory and devices of the machine that runs it."""
    import os
    import platform
    import socket
    from importlib.metadata import PackageNotFoundError, version

    versions = {"python": platform.python_version()}
    for name in ("pellux", "numpy", "scipy", "scikit-learn", "lightgbm", "xgboost-cpu", "cloudpickle", "distributed"):
        try:
            versions[name] = version(name)
        except PackageNotFoundError:
            continue
    memory = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") // 2**20
    devices = os.environ.get("CUDA_VISIBLE_DEVICES", "")
    return {"versions": versions, "host": socket.gethostname(), "devices": devices, "memory_mb": memory}


def warm() -> None:
    """Have the process that seats are forked from begin to load what they need."""
    from pellux.engine.processes import prepare

    prepare()
