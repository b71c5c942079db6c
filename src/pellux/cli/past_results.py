"""`pellux past-results`: bring results from elsewhere into a problem, for warm starts."""

from __future__ import annotations

from pathlib import Path

import click

from pellux.cli import options
from pellux.service.errors import InvalidData
from pellux.service.planning.prior_knowledge import PastResultsRequest, keep_past_results
from pellux.service.workspace import Workspace


@click.command("past-results", short_help="Bring results from elsewhere into a problem.")
@click.argument("problem", type=int)
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--learner", required=True, help="Whose settings they are: forest, boosting, …")
@click.option("--score", default="score", show_default=True, help="The column with the score.")
@click.option("--map", "mapping", multiple=True, metavar="COLUMN=SETTING", help="Rename a column; COLUMN=- leaves it out.")
@options.workspace
def command(problem: int, file: Path, learner: str, score: str, mapping: tuple[str, ...], folder: Path) -> None:
    """Keep the results in FILE (CSV or JSON Lines), which a search with 'warm start: all' then knows. They are never ranked."""
    try:
        text = file.read_text("utf-8")
    except (OSError, UnicodeDecodeError) as error:
        raise InvalidData(f"{file} cannot be read: {error}.") from None
    columns = dict(_pair(entry) for entry in mapping)
    kind = "jsonl" if file.suffix in (".jsonl", ".ndjson") else "csv"
    request = PastResultsRequest(learner=learner, source=file.name, format=kind, score=score, columns=columns, text=text)
    workspace = Workspace(folder)
    try:
        kept = keep_past_results(workspace, problem, request)
    finally:
        workspace.close()
    again = f"; {kept.known:,} were known already" if kept.known else ""
    click.echo(f"{kept.rows:,} past results kept; the best scores {kept.best:.6g}{again}")


def _pair(entry: str) -> tuple[str, str]:
    column, sign, setting = entry.partition("=")
    if not sign or not column or not setting:
        raise InvalidData(f"'--map {entry}' is not COLUMN=SETTING.", at="columns")
    return column, setting
