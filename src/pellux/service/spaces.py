"""Checks a space, in either form, against the learner that is to use it."""

from __future__ import annotations

from typing import Any

from pydantic import Field

from pellux.core.errors import InvalidSpace, NotationError
from pellux.core.space import Space, Value, from_json, parse, to_json, write
from pellux.core.strategies import generator
from pellux.learners.catalogue import learner
from pellux.service.requests import Request
from pellux.service.views import SpaceView

DRAWS = 200


class SpaceRequest(Request):
    """A space as text or as its JSON form; with neither, the learner's default space."""

    learner: str
    task: str
    text: str | None = None
    parameters: list[dict[str, Any]] | None = Field(None, description="The JSON form; see docs/space.schema.json.")


def check_space(request: SpaceRequest) -> SpaceView:
    """Both forms of a space with sample draws, or its first mistake with line and column."""
    chosen = learner(request.learner, request.task)
    text = request.text or ""
    try:
        space = _read(request) if request.parameters is not None or request.text is not None else chosen.default_space()
        text = request.text if request.text is not None and request.parameters is None else write(space)
        chosen.check(space)
    except NotationError as error:
        return _refused(text, error.message, error.line, error.column)
    except InvalidSpace as error:
        return _refused(text, error.message, _line_of(text, error.at), 1 if error.at else None)
    return SpaceView(
        text=text, parameters=to_json(space), configurations=space.count, draws=sample(space), error=None, line=None, column=None
    )


def _read(request: SpaceRequest) -> Space:
    return from_json(request.parameters) if request.parameters is not None else parse(request.text or "")


def _refused(text: str, error: str, line: int | None, column: int | None) -> SpaceView:
    return SpaceView(text=text, parameters=None, configurations=None, draws={}, error=error, line=line, column=column)


def _line_of(text: str, name: str | None) -> int | None:
    starts = (number for number, line in enumerate(text.splitlines(), 1) if line.partition(":")[0].strip() == name)
    return next(starts, None)


def sample(space: Space) -> dict[str, list[Value]]:
    """Random draws, a list a parameter: what the search would see."""
    rng = generator(0, 0)
    drawn = [space.decode(point) for point in rng.random((DRAWS, space.dimension))]
    return {p.name: [d[p.name] for d in drawn] for p in space.searched}
