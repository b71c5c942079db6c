"""Hosts of our own: network namespaces, each with a link to this machine that can be cut, and disks that do not show ours."""

from __future__ import annotations

import os
import subprocess
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path

HERE = "10.77.0.1"  # this machine, as hosts see it


def run(*command: str) -> None:
    subprocess.run(command, check=True, capture_output=True)


def allowed() -> bool:
    """Whether such hosts can be made here."""
    try:
        with hosts(1) as (one,):
            run(*one.inside(()), "true")
    except (OSError, subprocess.CalledProcessError):
        return False
    return True


@dataclass(frozen=True)
class Host:
    number: int

    @property
    def name(self) -> str:
        return f"pxhost{self.number}-{os.getpid()}"

    @property
    def link(self) -> str:
        return f"px{self.number}-{os.getpid() % 100000}"

    def make(self) -> None:
        ours, theirs = f"10.77.{self.number}.1", f"10.77.{self.number}.2"
        run("ip", "netns", "add", self.name)
        run("ip", "link", "add", self.link, "type", "veth", "peer", "name", "eth0", "netns", self.name)
        run("ip", "addr", "add", f"{ours}/24", "dev", self.link)
        run("ip", "link", "set", self.link, "up")
        for command in (f"addr add {theirs}/24 dev eth0", "link set eth0 up", "link set lo up", f"route add default via {ours}"):
            run("ip", "-n", self.name, *command.split())

    def slow(self) -> bool:
        """50 ms each way, where the kernel can do that."""
        with suppress(subprocess.CalledProcessError, OSError):
            run("tc", "qdisc", "add", "dev", self.link, "root", "netem", "delay", "50ms")
            return True
        return False

    def cut(self) -> None:
        run("ip", "link", "set", self.link, "down")

    def heal(self) -> None:
        run("ip", "link", "set", self.link, "up")

    def inside(self, hidden: Sequence[Path]) -> list[str]:
        """A command that runs another one there, with an empty disk in place of these folders."""
        mounts = " && ".join([f"mount -t tmpfs tmpfs {folder}" for folder in hidden] or ["true"])
        return ["ip", "netns", "exec", self.name, "unshare", "--mount", "sh", "-c", f'{mounts} && exec "$@"', "sh"]

    def remove(self) -> None:
        for command in (["ip", "netns", "del", self.name], ["ip", "link", "del", self.link]):
            subprocess.run(command, check=False, capture_output=True)


@contextmanager
def hosts(count: int) -> Iterator[list[Host]]:
    made = [Host(number + 1) for number in range(count)]
    try:
        subprocess.run(["ip", "addr", "add", f"{HERE}/32", "dev", "lo"], check=False, capture_output=True)
        for host in made:
            host.make()
        yield made
    finally:
        for host in made:
            host.remove()
        subprocess.run(["ip", "addr", "del", f"{HERE}/32", "dev", "lo"], check=False, capture_output=True)
