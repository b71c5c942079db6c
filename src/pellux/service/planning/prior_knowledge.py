"""What is known before a search begins: earlier searches of the problem, and results from elsewhere."""

from __future__ import annotations

import csv
import io
import json
import math
import time
from collections.abc import Mapping, Sequence
from typing import Any

from pydantic import Field

from pellux.core.errors import Conflict, InvalidData, InvalidPlan, InvalidSpace
from pellux.core.objective import Judging, Objective
from pellux.core.space import Fixed, Space, Value
from pellux.core.strategies import CONTINUING, Observation
from pellux.objectives.tabular.learners.settings import Learner
from pellux.service.planning.requests import Request, SettingsRequest
from pellux.service.planning.schemas import PastResultsView
from pellux.service.workspace import Workspace
from pellux.store.database import Session
from pellux.store.past_results import add_past_results, past_results
from pellux.store.problems import get_problem
from pellux.store.records import PastResult
from pellux.store.runs import RANKED, searches_of
from pellux.store.trials import ended_in_searches

MOST_ROWS = 100_000
IGNORED = "-"  # what a column is mapped to when it means nothing here
WORDS = {"yes": True, "true": True, "no": False, "false": False}


class PastResultsRequest(Request):
    """Results measured elsewhere on the same data: a score for each configuration."""

    learner: str
    source: str = Field("", max_length=200, description="Where they come from: a file name, a person.")
    format: str = Field("csv", description="csv or jsonl.")
    score: str = Field("score", description="The column that holds the score, in the problem's metric.")
    columns: dict[str, str] = Field({}, description="Column to setting; '-' leaves a column out.")
    text: str = Field(description="The rows, as CSV with a header or as JSON Lines.")


def observations(
    session: Session,
    objective: Objective,
    problem_id: int,
    key: str,
    space: Space,
    plan: SettingsRequest,
    before: int | None = None,
) -> list[Observation]:
    """Trials of earlier searches that mean something here, and past results, that lie in the space; oldest first.

    `before` is a search: what was there when it was launched, the same on every restart.
    """
    wanted, sign = plan.warm_start, objective.judging.sign
    if wanted == "none":
        return []
    defaults = objective.configurable(key).defaults
    found: dict[str, Observation] = {}

    def keep(its_key: str, configuration: dict[str, Value], scores: tuple[float | None, ...], seconds: float, state: str) -> None:
        """A configuration once; what was measured here comes later and counts more than what was brought."""
        translated = objective.translated(key, its_key, configuration)
        here = None if translated is None else space.placed(translated, defaults)
        if here is not None:
            observation = Observation(here, scores, seconds, state, elsewhere=True)
            found[observation.identity] = observation

    numbers = None if isinstance(wanted, str) else list(wanted)
    if numbers is not None:
        _require_searches(session, problem_id, numbers)
    if wanted == "all":
        for row in past_results(session, problem_id, key):
            keep(key, row.configuration, (sign * row.score,), 0.0, "scored")
    # A trial that goes on from another owes its score to that one too: it says nothing of its configuration alone.
    for trial, its_key in ended_in_searches(session, problem_id, but_strategies=CONTINUING, before=before, numbers=numbers):
        scores = tuple(None if score is None else sign * score for score in trial.scores)
        keep(trial.learner or its_key, trial.configuration, scores, trial.seconds, trial.state)
    return list(found.values())


def _require_searches(session: Session, problem_id: int, wanted: Sequence[int]) -> None:
    known = {search.number for search in searches_of(session, problem_id, kinds=RANKED)}
    unknown = sorted(set(wanted) - known)
    if unknown:
        raise InvalidPlan(f"There is no search {unknown[0]} of this problem to start warm from.", at="plan.warm start")


def starts(space: Space, wanted: Sequence[Mapping[str, Value]]) -> list[Mapping[str, Value]]:
    """The configurations to try first: those of the plan, then the space's own start."""
    found = []
    for place, values in enumerate(wanted, 1):
        try:
            start = space.completed(_typed(space, values))
            space.check(start)
        except InvalidSpace as error:
            raise InvalidPlan(f"Start {place}: {error.message}", at="plan.starts") from None
        found.append(start)
    if space.start is not None:
        if not space.fulfils(space.start):
            raise InvalidSpace("The start values together do not meet the requirements.", at="require")
        found.append(space.start)
    return list({str(sorted(start.items())): start for start in found}.values())


def _typed(space: Space, values: Mapping[str, Value]) -> dict[str, Value]:
    """Whole numbers that stand for reals become reals, as the parameter has it."""
    found = dict(values)
    for name, value in values.items():
        p = space.by_name.get(name)
        if p is not None and isinstance(value, int) and not isinstance(value, bool) and isinstance(p.decode(0.5), float):
            found[name] = float(value)
    return found


PIECE = 1_000  # rows of past results that are written at once
GIVE_WAY = 0.03  # seconds in which writers that wait get their turn: SQLite has no queue


def keep_past_results(workspace: Workspace, problem_id: int, request: PastResultsRequest) -> PastResultsView:
    """Check and keep results from elsewhere; all of them or, with the first mistake named, none."""
    with workspace.database.read() as session:
        problem = get_problem(session, problem_id)
    objective = workspace.objective(problem)
    chosen = workspace.catalogue.learner(request.learner, workspace.brief(problem).task)
    at, fits = workspace.clock(), _Fits(chosen)
    read = [_read_row(row, line, request, fits, objective.judging) for line, row in _rows(request)]
    with workspace.database.read() as session:
        known = {_told(row.configuration, row.score) for row in past_results(session, problem_id, request.learner)}
    new = {_told(configuration, score): (configuration, score) for configuration, score in read}
    kept = [
        PastResult(problem_id, request.learner, request.source, configuration, score, at)
        for told, (configuration, score) in new.items()
        if told not in known
    ]
    if not kept:
        raise Conflict(f"All {len(read)} results are known already, with the same scores: nothing was added.")
    # In pieces, so that running searches write in between. Broken off and sent again, only the rest is added.
    for begin in range(0, len(kept), PIECE):
        with workspace.database.write() as session:
            add_past_results(session, problem_id, at, kept[begin : begin + PIECE])
        time.sleep(GIVE_WAY)
    scores = [row.score for row in kept]
    best = max(scores) if objective.judging.larger_is_better else min(scores)
    return PastResultsView(rows=len(kept), best=best, known=len(read) - len(kept))


class _Fits:
    """Whether values suit a learner's settings; each different one is looked at once."""

    def __init__(self, chosen: Learner) -> None:
        self.label, self.settings = chosen.label, {s.name: s for s in chosen.settings}
        self._chosen = chosen
        self._good = set[tuple[str, type, Value]]()

    def check(self, name: str, value: Value) -> None:
        key = (name, type(value), value)
        if key not in self._good:
            self._chosen.check(Space((Fixed(name=name, value=value),)))
            self._good.add(key)


def _told(configuration: Mapping[str, Value], score: float) -> str:
    """Equal for the same result."""
    return json.dumps([dict(configuration), score], sort_keys=True)


def _rows(request: PastResultsRequest) -> list[tuple[int, dict[str, Any]]]:
    if request.format == "csv":
        reader = csv.DictReader(io.StringIO(request.text.lstrip("\ufeff")))
        found = [(line, {k: v for k, v in row.items() if k is not None}) for line, row in enumerate(reader, 2)]
    elif request.format == "jsonl":
        found = [(line, _json_row(text, line)) for line, text in enumerate(request.text.splitlines(), 1) if text.strip()]
    else:
        raise InvalidData(f"Past results are read from csv or jsonl. Got '{request.format}'.", at="format")
    if not found:
        raise InvalidData("There are no rows in the past results.", at="text")
    if len(found) > MOST_ROWS:
        raise InvalidData(f"At most {MOST_ROWS:,} past results are kept. Got {len(found):,}.", at="text")
    return found


def _json_row(text: str, line: int) -> dict[str, Any]:
    try:
        row = json.loads(text)
    except json.JSONDecodeError as error:
        raise InvalidData(f"Line {line} is not JSON: {error.msg}.", at="text") from None
    if not isinstance(row, dict):
        raise InvalidData(f"Line {line} is not a JSON object.", at="text")
    inner = row.pop("configuration", None)  # what `pellux trials --format jsonl` writes
    return {**row, **inner} if isinstance(inner, dict) else row


def _read_row(
    row: Mapping[str, Any], line: int, request: PastResultsRequest, fits: _Fits, judging: Judging
) -> tuple[dict[str, Value], float]:
    configuration: dict[str, Value] = {}
    for column, raw in row.items():
        name = request.columns.get(column, column)
        if column == request.score or name == IGNORED or raw is None or raw == "":
            continue
        if name not in fits.settings:
            raise InvalidData(
                f"Column '{column}' is no setting of {fits.label}. Map it to one ({', '.join(fits.settings)}) or to '-'.",
                at="columns",
            )
        configuration[name] = _value(raw)
        try:
            fits.check(name, configuration[name])
        except InvalidSpace as error:
            raise InvalidData(f"Line {line}: {error.message}", at="text") from None
    if request.score not in row:
        raise InvalidData(f"Line {line} has no column '{request.score}' with the score.", at="score")
    score = _value(row[request.score])
    if isinstance(score, (str, bool)) or not math.isfinite(score):
        raise InvalidData(f"Line {line}: the score {row[request.score]!r} is not a number.", at="text")
    if not judging.least <= score <= judging.most:
        ends = f"between {judging.least:g} and {judging.most:g}" if math.isfinite(judging.most) else f"{judging.least:g} or more"
        ends = ends if math.isfinite(judging.least) else f"{judging.most:g} or less"
        raise InvalidData(f"Line {line}: {judging.metric} is {ends}. Got {score:g}.", at="text")
    return configuration, float(score)


def _value(raw: Any) -> Value:
    """A number where it is one, yes and no as such, else the text."""
    if isinstance(raw, (bool, int, float)):
        return raw
    text = str(raw).strip()
    if text.lower() in WORDS:
        return WORDS[text.lower()]
    try:
        return int(text)
    except ValueError:
        try:
            return float(text)
        except ValueError:
            return text
