"""Checks a space, in either form, against the learner that is to use it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from pydantic import Field

from pellux.core.errors import InvalidPlan, InvalidSpace, NotationError
from pellux.core.objective import Configurable
from pellux.core.space import Counting, Space, Value, draw, from_json, parse, schema, to_json, write, write_parameter
from pellux.core.space.expressions import names
from pellux.core.strategies import grid_size
from pellux.service.planning.requests import Request
from pellux.service.planning.schemas import ComparisonView, SpaceChange, SpaceView
from pellux.service.workspace import Workspace
from pellux.store.problems import get_problem

DRAWS = 200


class SpaceRequest(Request):
    """A space as text or as its JSON form; with neither, the default space: of the learner in general, or for a problem as it is."""

    learner: str = ""
    task: str = ""
    problem: int | None = Field(
        None, description="Whose space it is: its task counts, and what is known of its rows; of own code, also its settings."
    )
    text: str | None = None
    parameters: list[dict[str, Any]] | None = Field(None, description="The JSON form; see docs/space.schema.json.")


def check_space(workspace: Workspace, request: SpaceRequest) -> SpaceView:
    """Both forms of a space with sample draws, or its first mistake with line and column."""
    chosen, default = _whose(workspace, request)
    text = request.text or ""
    try:
        space = _read(request) if request.parameters is not None or request.text is not None else default()
        text = request.text if request.text is not None and request.parameters is None else write(space)
        chosen.check(space)
    except NotationError as error:
        return _refused(text, error.message, error.line, error.column)
    except (InvalidSpace, InvalidPlan) as error:
        return _refused(text, error.message, _line_of(text, error.at), 1 if error.at else None)
    return SpaceView(
        text=text, parameters=to_json(space), configurations=Counting.of(space).total, at_most=Counting.of(space).most,
        grid=grid_size(space), parents=parents(space), draws=sample(space), error=None, line=None, column=None,
    )  # fmt: skip


def _whose(workspace: Workspace, request: SpaceRequest) -> tuple[Configurable, Callable[[], Space]]:
    """What the space configures, and how its default is had."""
    if request.problem is None:
        learner = workspace.catalogue.learner(request.learner, request.task)
        return learner, learner.default_space
    with workspace.database.read() as session:
        objective = workspace.objective(get_problem(session, request.problem))
    return objective.configurable(request.learner), lambda: objective.default_space(request.learner)


def _read(request: SpaceRequest) -> Space:
    return from_json(request.parameters) if request.parameters is not None else parse(request.text or "")


def _refused(text: str, error: str, line: int | None, column: int | None) -> SpaceView:
    return SpaceView(
        text=text, parameters=None, configurations=None, at_most=None, grid=None, parents={}, draws={}, error=error,
        line=line, column=column,
    )  # fmt: skip


def _line_of(text: str, name: str | None) -> int | None:
    starts = (number for number, line in enumerate(text.splitlines(), 1) if line.partition(":")[0].strip() == name)
    return next(starts, None)


def parents(space: Space) -> dict[str, str]:
    """Under which parameter's lane a conditional one belongs: the last one its condition names."""
    found = {p.name: names(p.condition) for p in space.parameters if p.condition is not None}
    return {name: named[-1] for name, named in found.items() if named}


def sample(space: Space) -> dict[str, list[Value]]:
    """Random draws, a list a parameter: what the search would see where the parameter is active."""
    rng = np.random.default_rng(0)
    drawn = [draw(space, rng) for _ in range(DRAWS)]
    return {p.name: [d[p.name] for d in drawn if p.name in d] for p in space.searched}


class ComparisonRequest(Request):
    """Two spaces as text."""

    one: str
    other: str


def compare(request: ComparisonRequest) -> ComparisonView:
    """What changed from one space to the other, parameter by parameter."""
    one, other = parse(request.one), parse(request.other)
    every = [*one.by_name, *(name for name in other.by_name if name not in one.by_name)]
    changes = []
    for name in every:
        before, after = _line(one, name), _line(other, name)
        what = "same" if before == after else "added" if before is None else "removed" if after is None else "changed"
        changes.append(SpaceChange(name=name, what=what, before=before, after=after))
    before_rules, after_rules = [str(r) for r in one.requirements], [str(r) for r in other.requirements]
    for rule in dict.fromkeys([*before_rules, *after_rules]):
        what = "same" if rule in before_rules and rule in after_rules else "added" if rule in after_rules else "removed"
        text = f"require {rule}"
        changes.append(
            SpaceChange(
                name="require", what=what, before=text if rule in before_rules else None,
                after=text if rule in after_rules else None,
            )
        )  # fmt: skip
    return ComparisonView(
        changes=changes, configurations_before=Counting.of(one).total, configurations_after=Counting.of(other).total
    )


def _line(space: Space, name: str) -> str | None:
    """One parameter as space notation has it, without its name."""
    if name not in space.by_name:
        return None
    return write_parameter(space.by_name[name])


__all__ = ["ComparisonRequest", "SpaceRequest", "check_space", "compare", "schema"]
