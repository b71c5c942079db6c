"""Options that several commands share."""

from __future__ import annotations

import importlib.util
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import click

DEFAULT_WORKSPACE = Path("pellux-workspace")
PORT = 8420


def workspace(function: Callable[..., Any]) -> Callable[..., Any]:
    return click.option(
        "--workspace", "folder", type=click.Path(path_type=Path), default=DEFAULT_WORKSPACE, show_default=True,
        help="The folder that keeps data, searches and results.",
    )(function)  # fmt: skip


class Allowed(click.ParamType[Any]):
    """A folder, or the name of an installed module."""

    name = "folder or module"

    def convert(self, value: Any, parameter: click.Parameter | None, context: click.Context | None) -> Path | str:
        if isinstance(value, Path) or Path(value).is_dir():
            return Path(value)
        if all(part.isidentifier() for part in value.split(".")) and importlib.util.find_spec(value.partition(".")[0]) is not None:
            return str(value)
        return self.fail(f"'{value}' is neither a folder nor an installed module.", parameter, context)


def allow(function: Callable[..., Any]) -> Callable[..., Any]:
    return click.option(
        "--allow", "allowed", multiple=True, type=Allowed(), metavar="FOLDER",
        help="A folder (or the name of an installed module) from which own code may be run; may be given more than once.",
    )(function)  # fmt: skip


def folders_and_modules(allowed: Sequence[Path | str]) -> tuple[list[Path], list[str]]:
    return [a for a in allowed if isinstance(a, Path)], [a for a in allowed if isinstance(a, str)]


def _split(context: click.Context, parameter: click.Parameter, value: str | None) -> list[str] | None:
    """Names of devices between commas, each once."""
    return None if value is None else list(dict.fromkeys(part.strip() for part in value.split(",") if part.strip()))


def devices(function: Callable[..., Any]) -> Callable[..., Any]:
    return click.option(
        "--devices", metavar="0,1", callback=_split, help="Devices that fits may hold; what the system tells of when left out."
    )(function)  # fmt: skip


def _door(context: click.Context, parameter: click.Parameter, value: str | None) -> tuple[str, int] | None:
    if value is None:
        return None
    host, _, port = value.rpartition(":")
    if not host or not port.isdigit() or int(port) > 65535:
        raise click.BadParameter(f"'{value}' is not HOST:PORT.", context, parameter)
    return host, int(port)


def cluster(function: Callable[..., Any]) -> Callable[..., Any]:
    function = click.option(
        "--cluster-door", "door", metavar="HOST:PORT", callback=_door,
        help="Where machines of clusters reach this server; found out by itself when left out, on any free port.",
    )(function)  # fmt: skip
    return click.option(
        "--cluster", metavar="ADDRESS", default="", help="The scheduler of a cluster whose machines do fits: tcp://HOST:8786."
    )(function)


def where(function: Callable[..., Any]) -> Callable[..., Any]:
    function = click.option("--port", type=click.IntRange(0, 65535), default=PORT, show_default=True, help="0: any free port.")(
        function
    )
    return click.option("--host", default="127.0.0.1", show_default=True, help="Address to listen on.")(function)


def as_json(function: Callable[..., Any]) -> Callable[..., Any]:
    return click.option("--json", "as_json", is_flag=True, help="Print one JSON object and nothing else.")(function)
