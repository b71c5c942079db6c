"""`pellux decide`: choose a configuration by a rule, sign the choice, take everything away."""

from __future__ import annotations

import json
import re
from pathlib import Path

import click

from pellux.cli import options
from pellux.service.decisions.candidates import (
    BY_HAND,
    FRONT_RULES,
    HIGHEST_MEAN,
    KNEE,
    RULES,
    WEIGHTS,
    FinalistsQuery,
)
from pellux.service.decisions.decisions import DecisionRequest, decide, decision_detail
from pellux.service.decisions.finalists import finalists, larger_is_better_of
from pellux.service.decisions.judgements import OpeningRequest, ask_honest_score, honest_score_view, open_holdout, openings
from pellux.service.decisions.measures import COSTS, FIT_SECONDS
from pellux.service.decisions.schemas import FinalistsView
from pellux.service.decisions.takeaway import write_all
from pellux.service.engine.engine import Engine
from pellux.service.errors import InvalidPlan, WorkspaceError
from pellux.service.searches.searches import problem_of
from pellux.service.workspace import Workspace


@click.command("decide", short_help="Choose a configuration by a rule, sign it, export it.")
@click.argument("target", metavar="SEARCH|problem:ID")
@options.workspace
@click.option(
    "--rule",
    type=click.Choice((*RULES, *FRONT_RULES)),
    help="How to choose; by the highest mean, or where several metrics decide by the knee of the front.",
)
@click.option("--trial", "trial_id", type=int, help="A trial's id, chosen by hand instead of by a rule.")
@click.option("--cost", type=click.Choice(COSTS), default=FIT_SECONDS, show_default=True, help="What cheapness is measured by.")
@click.option(
    "--weights", default="", metavar="'2 1'", help="With the rule weights: one for each metric that decides, the score's first."
)
@click.option("--limit", metavar="'MEASURE <= VALUE'", help="Only trials that keep a limit: 'prediction seconds <= 0.1'.")
@click.option(
    "--reason", default="", help="Why; the rule's own words otherwise. A trial worse than the leader or the baseline needs one."
)
@click.option("--signer", default="", help="Who decides.")
@click.option("--open-holdout", is_flag=True, help="Judge the chosen trial on the holdout too. Once is honest.")
@click.option("--again", is_flag=True, help="Open the holdout although it was opened before.")
@click.option("--export", "folder_out", type=click.Path(path_type=Path, file_okay=False), help="Write everything there.")
@options.as_json
def command(
    target: str, folder: Path, rule: str | None, trial_id: int | None, cost: str, weights: str, limit: str | None, reason: str, signer: str,
    open_holdout: bool, again: bool, folder_out: Path | None, as_json: bool,
) -> None:  # fmt: skip
    """Choose among the scored trials of a SEARCH (its id) or of a whole problem (problem:ID), sign the choice, export it."""
    if not (folder / "pellux.db").exists():
        raise WorkspaceError(f"{folder} is not a workspace: it has no pellux.db.")
    workspace = Workspace(folder)
    engine = Engine(workspace)
    try:
        problem_id, query = _target(workspace, target, cost, limit)
        query = query.model_copy(update={"weights": weights})
        found = finalists(workspace, problem_id, query)
        rule = rule or (WEIGHTS if weights else KNEE if found.decides else HIGHEST_MEAN)
        chosen = trial_id if trial_id is not None else _chosen(found, rule)
        if found.predicted:
            engine.analyst.wait(ask_honest_score(engine, problem_id).id)
        if open_holdout:
            _open(engine, problem_id, OpeningRequest(trial_id=chosen, opener=signer, again=again))
        request = DecisionRequest(
            trial_id=chosen, rule=rule if trial_id is None else BY_HAND, reason=reason, signer=signer, weighing=query
        )
        made = decide(engine, problem_id, request)
        engine.analyst.finish()
        _tell(engine, problem_id, made, folder_out, as_json)
    finally:
        engine.close()
        workspace.close()


def _target(workspace: Workspace, target: str, cost: str, limit: str | None) -> tuple[int, FinalistsQuery]:
    match = re.fullmatch(r"(?:(search|problem):)?(\d+)", target.strip())
    if match is None:
        raise InvalidPlan(f"'{target}' is neither a search's id nor problem:ID.", at="target")
    number = int(match[2])
    problem_id = number if match[1] == "problem" else problem_of(workspace, number)
    on, value = _limit(workspace, problem_id, limit)
    query = FinalistsQuery(top=50, cost=cost, limit_on=on, limit=value)
    return problem_id, query if match[1] == "problem" else query.model_copy(update={"search": number})


def _limit(workspace: Workspace, problem_id: int, text: str | None) -> tuple[str | None, float | None]:
    if text is None:
        return None, None
    match = re.fullmatch(r"\s*(.+?)\s*(<=|>=|≤|≥)\s*([-+.\deE]+)\s*", text)
    measure, sign, figure = match.groups() if match else ("", "", "x")
    try:
        value = float(figure)
    except ValueError:
        raise InvalidPlan(f"'{text}' is not a limit such as 'prediction seconds <= 0.1'.", at="limit") from None
    wanted, better = (">=", "larger") if larger_is_better_of(workspace, problem_id, measure) else ("<=", "smaller")
    if {"≤": "<=", "≥": ">="}.get(sign, sign) != wanted:
        raise InvalidPlan(f"Of {measure} {better} is better: a limit on it is written '{measure} {wanted} {figure}'.", at="limit")
    return measure, value


def _chosen(found: FinalistsView, rule: str) -> int:
    by = next((s for s in found.suggestions if s.rule == rule), None)
    if by is None and rule in FRONT_RULES and found.scored:
        if not found.decides:
            raise InvalidPlan(f"One metric decides here: there is no front for the rule '{rule}'.", at="rule")
        if rule == WEIGHTS:
            raise InvalidPlan("The rule 'weights' needs --weights: a number for each metric that decides.", at="weights")
    if by is None:
        why = "no trial is scored yet" if found.scored == 0 else f"none of {found.scored} trials keeps the limit"
        raise InvalidPlan(f"There is nothing to choose from: {why}.", at="rule")
    return by.trial_id


def _open(engine: Engine, problem_id: int, request: OpeningRequest) -> None:
    done = engine.analyst.wait(open_holdout(engine, problem_id, request))
    if done.message:
        raise WorkspaceError(f"The holdout could not be judged: {done.message}")


def _tell(engine: Engine, problem_id: int, made: int, folder_out: Path | None, as_json: bool) -> None:
    detail = decision_detail(engine.workspace, made)
    honest = honest_score_view(engine.workspace, problem_id)
    looks = openings(engine.workspace, problem_id)
    names = write_all(engine.workspace, made, folder_out) if folder_out is not None else []
    if as_json:
        about = detail.model_dump(
            include={"id", "rule", "reason", "learner", "configuration", "mean", "standard_error", "fingerprint"}
        )
        shown = honest.model_dump(include={"score", "low", "high"}) if honest and honest.score is not None else None
        click.echo(
            json.dumps({"decision": about, "honest_score": shown, "holdout": [v.model_dump() for v in looks], "files": names})
        )
        return
    click.echo(f"Decision {made}: {detail.trial_name}{detail.learner and f', {detail.learner}'}. {detail.reason}")
    click.echo(f"{detail.metric_label} {detail.mean:.6g} as the search saw it")
    if honest is not None and honest.score is not None:
        click.echo(f"Honest score of the best of {honest.trials}: {honest.score:.6g} (95 %: {honest.low:.6g} to {honest.high:.6g})")
    for look in looks:
        click.echo(f"Holdout, opening {look.nth}: {look.verdict}")
    for name, value in detail.configuration.items():
        click.echo(f"  {name} = {value}")
    if names:
        click.echo(f"{len(names)} files written to {folder_out}")
