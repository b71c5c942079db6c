"""How the engine's scheduler and workers are started here, with what matters to us: nothing is kept busy, nothing re-run."""

from __future__ import annotations

import sys


def scheduler_command(host: str, port: int) -> list[str]:
    return [
        sys.executable,
        "-m",
        "distributed.cli.dask_scheduler",
        "--host",
        host,
        "--port",
        str(port),
        "--no-dashboard",
        "--no-show",
    ]


def worker_command(address: str, name: str, cores: int, devices: int) -> list[str]:
    """A machine with so many places. It has no nanny: whoever started it starts it again."""
    found = [
        sys.executable, "-m", "distributed.cli.dask_worker", address, "--name", name, "--nthreads", str(cores), "--nworkers", "1", "--no-nanny",
        "--no-dashboard",
    ]  # fmt: skip
    return [*found, "--resources", f"GPU={devices}"] if devices else found
