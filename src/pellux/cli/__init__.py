"""The command line: one file a command, loaded when it is called."""

from __future__ import annotations

import importlib
import sys

import click

COMMANDS = {
    "demo": "Serve a demo workspace.",
    "serve": "Serve a workspace.",
    "cluster": "Start a scheduler and machines of the cluster engine here.",
    "run": "Run a plan to its end.",
    "check": "Validate a plan, rehearse it, forecast it.",
    "init": "Write a plan for a program, from its --help.",
    "trials": "Write every trial of a search.",
    "findings": "What the trials of a search say, and what would follow from it.",
    "faceoff": "Set ways to search against each other, over a search's space.",
    "decide": "Choose a configuration by a rule, sign it, export it.",
    "past-results": "Bring results from elsewhere into a problem.",
    "trust": "Let the own code of a workspace from elsewhere run.",
    "doctor": "Show versions, cores, workspace and optional parts.",
}


class _Lazy(click.Group):
    """Imports a command's module on use, so that `--help` answers at once and workers import little."""

    def list_commands(self, context: click.Context) -> list[str]:
        return list(COMMANDS)

    def format_commands(self, context: click.Context, formatter: click.HelpFormatter) -> None:
        with formatter.section("Commands"):
            formatter.write_dl(list(COMMANDS.items()))

    def get_command(self, context: click.Context, name: str) -> click.Command | None:
        if name not in COMMANDS:
            return None
        found: click.Command = importlib.import_module(f"pellux.cli.{name.replace('-', '_')}").command
        return found


@click.group(cls=_Lazy, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(package_name="pellux")
def group() -> None:
    """Search a model's settings, judge them by cross-validation, choose one and defend the choice."""


def main() -> None:
    """Entry point: an error that a person can mend is one line (with the traceback of own code below it) and exit status 2."""
    from pellux.service.errors import PelluxError

    try:
        sys.exit(group(standalone_mode=False))
    except PelluxError as error:
        click.echo(f"pellux: {error.message}", err=True)
        if detail := getattr(error, "detail", ""):  # the traceback of somebody's own code
            click.echo(detail.rstrip(), err=True)
        sys.exit(2)
    except click.ClickException as error:
        error.show()
        sys.exit(2)
    except (KeyboardInterrupt, click.Abort):
        sys.exit(130)
    except BrokenPipeError:
        sys.stderr.close()
        sys.exit(1)
