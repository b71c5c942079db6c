"""Real schedulers and workers of the engine, as processes of their own; each machine with its own folder."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import sys
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path

from pellux.engine.cluster.connection import Cluster, Unreachable
from pellux.service.machines.standing import scheduler_command, worker_command
from tests.forking import popen
from tests.waiting import until

ROOT = Path(__file__).parents[2]


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


@dataclass
class Standing:
    """A scheduler and its machines. `environment` is what they run with beside ours."""

    folder: Path
    port: int = field(default_factory=free_port)
    environment: Mapping[str, str] = field(default_factory=dict)
    processes: dict[str, subprocess.Popen[bytes]] = field(default_factory=dict)
    scheme: str = "tcp"
    host: str = "127.0.0.1"

    @property
    def address(self) -> str:
        return f"{self.scheme}://{self.host}:{self.port}"

    def schedule(self) -> None:
        self._start(
            "scheduler", [*scheduler_command(self.host, self.port), *(["--protocol", "tls"] if self.scheme == "tls" else [])]
        )

    def join(self, name: str, cores: int = 2, devices: int = 0, inside: Sequence[str] = (), **environment: str) -> None:
        """A machine; `inside` is a command that runs it somewhere else than here."""
        self._start(name, [*inside, *worker_command(self.address, name, cores, devices)], **environment)

    def _start(self, name: str, command: list[str], **environment: str) -> None:
        around = {
            **os.environ, "OMP_NUM_THREADS": "1", "PYTHONPATH": str(ROOT), "PELLUX_MACHINE_FOLDER": str(self.folder / f"machine-{name}"),
            **self.environment, **environment,
        }  # fmt: skip
        if name in self.processes:
            self.processes[name].wait(60)
        with (self.folder / f"{name}.log").open("ab") as log:
            # Of a process that is forked the engine has read its settings before.
            set_before = any(name.startswith("DASK_") for name in around)
            start = popen if command[0] == sys.executable and not set_before else subprocess.Popen
            self.processes[name] = start(
                command, env=around, stdin=subprocess.DEVNULL, stdout=log, stderr=log, start_new_session=True
            )

    def kill(self, name: str, number: int = signal.SIGKILL) -> None:
        """The process and what it started in its group; what a seat started has groups of its own."""
        os.killpg(self.processes[name].pid, number)

    def connected(self, machines: int) -> Cluster:
        """The cluster, once so many machines may be used."""
        found: list[Cluster] = []

        def there() -> bool:
            try:
                found.append(Cluster(self.address))
            except Unreachable:
                return False
            return True

        until(there, what="the scheduler")
        until(lambda: sum(not m.trouble for m in found[0].known()) >= machines, what="machines")
        return found[0]

    def close(self) -> None:
        for process in self.processes.values():
            process.kill()
        for process in self.processes.values():
            process.wait(10)
