"""`pellux init -- python train.py`: a plan to begin with, from a program's --help and a first run."""

from __future__ import annotations

import sys
import tempfile
from contextlib import closing
from pathlib import Path

import click

from pellux.cli.first_look import show
from pellux.service.errors import InvalidPlan, PelluxError
from pellux.service.planning.code_requests import CodeBriefRequest, FirstLookRequest, GrowsRequest, HelpRequest, JudgedBy
from pellux.service.planning.written_plans import begun_plan, is_error
from pellux.service.problems.code_problems import look_first, read_help
from pellux.service.problems.schemas import FirstLookView, HelpView
from pellux.service.workspace import Workspace


@click.command("init", short_help="Write a plan for a program, from its --help.")
@click.option("-o", "--output", type=click.Path(path_type=Path, dir_okay=False), default=Path("plan.yaml"), show_default=True)
@click.option("--score", default="", help="The score's name; found in the first run when left out.")
@click.option("--smaller-is-better", is_flag=True, help="The score is an error or a loss.")
@click.argument("program", nargs=-1, required=True)
def command(output: Path, score: str, smaller_is_better: bool, program: tuple[str, ...]) -> None:
    """Look at PROGRAM's --help, run it once at its defaults, and write a plan to begin with.

    PROGRAM is how it is started from here: pellux init -- python train.py
    """
    if output.exists():
        raise InvalidPlan(f"{output} is there already; name another with --output.")
    here = Path.cwd()
    with (
        tempfile.TemporaryDirectory(prefix="pellux-init-") as scratch,
        closing(Workspace(Path(scratch), allowed=[here])) as workspace,
    ):
        told = read_help(workspace, HelpRequest(runs=list(program)))
        click.echo(f"{len(told.options)} settings in its --help: {', '.join(option.setting for option in told.options)}")
        look, judged_by = _look(workspace, told, score)
    judged_by.larger_is_better = not (smaller_is_better or is_error(judged_by.score))
    output.write_text(begun_plan(told, judged_by), "utf-8")
    if look is not None:
        show(look)
    click.echo(f"Wrote {output}. Look at it, then: pellux check {output}; pellux run {output}")
    if look is None or look.problem:
        click.echo("pellux: the first run gave no score yet; say in the plan under 'judged by' how it is found.", err=True)
        sys.exit(2)


def _look(workspace: Workspace, told: HelpView, score: str) -> tuple[FirstLookView | None, JudgedBy]:
    """A first run at the defaults; when nobody has named the score, a second one that reads the likeliest."""
    judged_by = JudgedBy(score=score or "score")
    try:
        look = look_first(workspace, _request(told, judged_by))
        if score or look.guess is None:
            return look, judged_by
        judged_by = JudgedBy(score=look.guess.name, pick_out=look.guess.pick_out)
        return look_first(workspace, _request(told, judged_by)), judged_by
    except PelluxError as error:
        click.echo(f"pellux: {error.message}", err=True)
        return None, judged_by


def _request(told: HelpView, judged_by: JudgedBy) -> FirstLookRequest:
    grows = GrowsRequest(what=told.grows or "epochs", most=told.most) if told.most else None
    return FirstLookRequest(brief=CodeBriefRequest(runs=told.runs, judged_by=judged_by, grows=grows), space=told.space)
