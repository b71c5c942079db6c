"""`pellux cluster`: a scheduler and machines of the cluster engine on this machine, to try a cluster or to have one."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from collections.abc import Mapping
from types import FrameType

import click

from pellux.service.machine import default_workers
from pellux.service.machines.standing import scheduler_command, worker_command

EVERYWHERE = ("0.0.0.0", "::")  # noqa: S104  # what people write, not what is the default
AGAIN = 1.0  # seconds until what ended is started again


@click.command("cluster", short_help="Start a scheduler and machines of the cluster engine here.")
@click.option("--host", default="127.0.0.1", show_default=True, help="Address that the scheduler listens on.")
@click.option("--port", type=click.IntRange(1, 65535), default=8786, show_default=True)
@click.option(
    "--machines", type=click.IntRange(0, 64), default=1, show_default=True, help="How many to start beside it; others may join."
)
@click.option("--cores", type=click.IntRange(1, 1024), default=None, help="Of each machine; all of this one by default.")
@click.option("--devices", type=click.IntRange(0, 64), default=0, show_default=True, help="Of each machine.")
@click.option("--join", metavar="ADDRESS", default="", help="Start no scheduler, but machines that join the one at ADDRESS.")
def command(host: str, port: int, machines: int, cores: int | None, devices: int, join: str) -> None:
    """Start a scheduler and machines on this machine, and keep them up until Ctrl-C: what ends is started again.

    Other machines join it with `pellux cluster --join tcp://HOST:PORT`, or with the engine's own worker command.
    """
    here = "127.0.0.1" if host in EVERYWHERE else host
    address, told = (
        (join, join) if join else (f"tcp://{here}:{port}", f"tcp://{os.uname().nodename if host in EVERYWHERE else host}:{port}")
    )
    commands = {} if join else {"The scheduler": scheduler_command(host, port)}
    for place in range(machines):
        name = f"{os.uname().nodename}-{place + 1}"
        commands[f"Machine {name}"] = worker_command(address, name, cores or default_workers(), devices)
    if not commands:
        raise click.UsageError("There is nothing to start: --machines 0 with --join.")
    click.echo(
        f"{'Joining' if join else 'The scheduler listens at'} {told}, with {machines} machine{'s' if machines != 1 else ''} here."
    )
    click.echo(f"Use it: pellux serve --cluster {told}")
    keep_up(commands)


def keep_up(commands: Mapping[str, list[str]]) -> None:
    """Run commands, by what they are called, until a signal; one that ends is started again."""
    ended = False

    def end(number: int, frame: FrameType | None) -> None:
        nonlocal ended
        ended = True

    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, end)
    running = {name: _start(command) for name, command in commands.items()}
    while not ended:
        time.sleep(0.2)
        for name, process in list(running.items()):
            if process.poll() is not None and not ended:
                click.echo(f"{name} ended with {process.returncode}; it is started again", err=True)
                time.sleep(AGAIN)
                running[name] = _start(commands[name])
    for process in running.values():
        process.terminate()
    for process in running.values():
        try:
            process.wait(5)
        except subprocess.TimeoutExpired:
            process.kill()
    sys.exit(0)


def _start(command: list[str]) -> subprocess.Popen[bytes]:
    return subprocess.Popen(command, stdin=subprocess.DEVNULL, start_new_session=True)
