"""`pellux cluster`: a scheduler and machines of the cluster engine on this machine, to try a cluster or to have one."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from types import FrameType

import click

from pellux.service.machine import default_workers
from pellux.service.machines.standing import scheduler_command, worker_command

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
    address = join or f"tcp://{host}:{port}"
    commands = [] if join else [scheduler_command(host, port)]
    commands += [
        worker_command(address, f"{os.uname().nodename}-{place + 1}", cores or default_workers(), devices)
        for place in range(machines)
    ]
    if not commands:
        raise click.UsageError("There is nothing to start: --machines 0 with --join.")
    click.echo(
        f"{'Joining' if join else 'The scheduler listens at'} {address}, with {machines} machine{'s' if machines != 1 else ''} here."
    )
    click.echo(f"Use it: pellux serve --cluster {address}")
    keep_up(commands)


def keep_up(commands: list[list[str]]) -> None:
    """Run commands until a signal; one that ends is started again."""
    ended = False

    def end(number: int, frame: FrameType | None) -> None:
        nonlocal ended
        ended = True

    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, end)
    running = [_start(one) for one in commands]
    while not ended:
        time.sleep(0.2)
        for place, process in enumerate(running):
            if process.poll() is not None and not ended:
                click.echo(f"{commands[place][2]} ended with {process.returncode}; it is started again", err=True)
                time.sleep(AGAIN)
                running[place] = _start(commands[place])
    for process in running:
        process.terminate()
    for process in running:
        try:
            process.wait(5)
        except subprocess.TimeoutExpired:
            process.kill()
    sys.exit(0)


def _start(command: list[str]) -> subprocess.Popen[bytes]:
    return subprocess.Popen(command, stdin=subprocess.DEVNULL, start_new_session=True)
