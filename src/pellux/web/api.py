"""A thin layer over Flask: typed operations, checked requests, and the OpenAPI document that follows from them."""

from __future__ import annotations

import functools
import json
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from flask import Flask, Response, current_app, request
from pydantic import BaseModel, TypeAdapter, ValidationError
from pydantic_core import PydanticSerializationError
from werkzeug.exceptions import BadRequest, UnsupportedMediaType

from pellux.service.engine.events import LedgerEntry
from pellux.service.errors import NotFound
from pellux.service.planning.requests import explain
from pellux.service.schemas import ProblemDocument
from pellux.version import __version__
from pellux.web.front_door import MOST_JSON
from pellux.web.idempotency import Once

PREFIX = "/api/v1"
JSON = "application/json"
EVENTS = "LedgerEntry"
MOST_ID = 2**63 - 1


@dataclass(frozen=True)
class Operation:
    """One method on one path, with the types of what goes in and out."""

    method: str
    path: str
    name: str
    summary: str
    resource: str
    body: type[BaseModel] | None
    query: type[BaseModel] | None
    returns: Any
    status: int
    consumes: str
    produces: str


class Api:
    """Collects operations; `document` describes them."""

    def __init__(self) -> None:
        self.operations: list[Operation] = []
        self._handlers: list[tuple[Operation, Callable[..., Any]]] = []

    def operation(
        self,
        method: str,
        path: str,
        *,
        body: type[BaseModel] | None = None,
        query: type[BaseModel] | None = None,
        returns: Any = None,
        status: int = 200,
        consumes: str = JSON,
        produces: str = JSON,
    ) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
        """Declare a function as the handler of `method path`; `<int:name>` parts of the path become its arguments."""

        def declare(function: Callable[..., Any]) -> Callable[..., Any]:
            resource = function.__module__.rpartition(".")[2]
            summary = (function.__doc__ or "").strip().splitlines()[0]
            operation = Operation(
                method, path, function.__name__, summary, resource, body, query, returns, status, consumes, produces
            )
            self.operations.append(operation)
            self._handlers.append((operation, function))
            return function

        return declare

    def install(self, app: Flask) -> None:
        once = Once()
        for operation, function in self._handlers:
            view = _view(operation, function, once)
            app.add_url_rule(PREFIX + operation.path, operation.name, view, methods=[operation.method])

    def document(self) -> dict[str, Any]:
        """The OpenAPI 3.1 document."""
        models = {m for o in self.operations for m in (o.body, o.query) if m is not None} | {ProblemDocument}
        returned = {_model(o.returns) for o in self.operations if o.returns is not None}
        asked: list[Any] = [(m, "validation", TypeAdapter(m)) for m in models]
        asked += [(m, "serialization", TypeAdapter(m)) for m in returned]
        asked.append((EVENTS, "serialization", TypeAdapter(LedgerEntry)))
        refs, definitions = TypeAdapter.json_schemas(asked, ref_template="#/components/schemas/{model}")
        definitions.setdefault("$defs", {})[EVENTS] = refs[(EVENTS, "serialization")]
        paths: dict[str, Any] = {f"{PREFIX}/events": {"get": _describe_events()}}
        for o in self.operations:
            paths.setdefault(PREFIX + _template(o.path), {})[o.method.lower()] = _describe(o, refs)
        return {
            "openapi": "3.1.0",
            "info": {"title": "Pellux", "version": __version__, "description": "Search, judge and choose configurations."},
            "paths": paths,
            "components": {"schemas": dict(sorted(definitions.get("$defs", {}).items()))},
        }


def _view(operation: Operation, function: Callable[..., Any], once: Once) -> Callable[..., Response]:
    @functools.wraps(function)
    def view(**arguments: Any) -> Response:
        if operation.consumes != JSON:  # a file is kept once by its content
            return carried_out(arguments)
        request.max_content_length = MOST_JSON
        return once.answer(lambda: carried_out(arguments))

    def carried_out(arguments: dict[str, Any]) -> Response:
        for name, given in arguments.items():
            if isinstance(given, int) and given > MOST_ID:
                raise NotFound(f"There is no {name.removesuffix('_id')} {str(given)[:30]}.")
        if operation.query is not None:
            arguments["query"] = _checked(operation.query, request.args.to_dict())
        if operation.body is not None:
            arguments["body"] = _checked(operation.body, _json_body())
        found = function(**arguments)
        if isinstance(found, Response):
            return found
        return _respond(operation, found)

    return view


def _checked(kind: type[BaseModel], found: Any) -> BaseModel:
    try:
        return kind.model_validate(found)
    except ValidationError as error:
        raise explain(error, kind, "request") from None


def _json_body() -> Any:
    if request.mimetype != JSON:
        raise UnsupportedMediaType(f"Send {JSON}, not {request.mimetype or 'nothing'}.")
    try:
        return json.loads(request.get_data())
    except ValueError as error:
        raise BadRequest(f"The body is not valid JSON: {error}.") from None
    except RecursionError:
        raise BadRequest("The body is not valid JSON: it nests too deeply.") from None


def _respond(operation: Operation, found: Any) -> Response:
    if operation.returns is None:
        return current_app.response_class(status=204)
    adapter = TypeAdapter(operation.returns)
    try:
        text = adapter.dump_json(found)
    except (
        PydanticSerializationError,
        UnicodeError,
    ):  # a text that an earlier version let in: one row is not to break a whole list
        text = json.dumps(adapter.dump_python(found, mode="json"), separators=(",", ":")).encode()
    return current_app.response_class(text, operation.status, mimetype=JSON)


def _model(returned: Any) -> Any:
    return returned.__args__[0] if getattr(returned, "__origin__", None) is list else returned


def _template(path: str) -> str:
    return path.replace("<int:", "{").replace("<", "{").replace(">", "}")


def _describe(o: Operation, refs: Any) -> dict[str, Any]:
    found: dict[str, Any] = {"operationId": o.name, "summary": o.summary, "tags": [o.resource], "parameters": _parameters(o)}
    if o.body is not None:
        found["requestBody"] = {"required": True, "content": {JSON: {"schema": refs[(o.body, "validation")]}}}
    elif o.consumes != JSON:
        found["requestBody"] = {"required": True, "content": {o.consumes: {}}}
    answer: dict[str, Any] = {"description": "Done."}
    if o.returns is not None:
        schema = refs[(_model(o.returns), "serialization")]
        answer["content"] = {JSON: {"schema": schema if _model(o.returns) is o.returns else {"type": "array", "items": schema}}}
    elif o.produces != JSON:
        answer["content"] = {o.produces: {"schema": {"type": "string"}}}
    problem = {"application/problem+json": {"schema": refs[(ProblemDocument, "validation")]}}
    status = str(o.status if o.returns is not None or o.produces != JSON else 204)
    found["responses"] = {status: answer, "default": {"description": "A problem.", "content": problem}}
    return found


def _describe_events() -> dict[str, Any]:
    """The event stream, which is no operation like the others: see web/events.py."""
    number = {"type": "integer", "minimum": 0}
    entries = {"type": "array", "items": {"$ref": f"#/components/schemas/{EVENTS}"}}
    problem = {"application/problem+json": {"schema": {"$ref": "#/components/schemas/ProblemDocument"}}}
    return {
        "operationId": "get_events",
        "summary": "Ledger entries as server-sent events: each message's data is a JSON array of entries, its id that of the last.",
        "tags": ["events"],
        "parameters": [
            {"name": "after", "in": "query", "required": False, "schema": number, "description": "Entries after this one."},
            {"name": "search", "in": "query", "required": False, "schema": number, "description": "Only this search's, and those of none."},
            {"name": "Last-Event-ID", "in": "header", "required": False, "schema": number, "description": "As `after`, on reconnecting."},
        ],
        "responses": {
            "200": {"description": "The stream.", "content": {"text/event-stream": {"schema": entries}}},
            "default": {"description": "A problem.", "content": problem},
        },
    }  # fmt: skip


def _parameters(o: Operation) -> list[dict[str, Any]]:
    found = []
    for part in o.path.split("/"):
        if part.startswith("<"):
            kind = "integer" if part.startswith("<int:") else "string"
            name = part.strip("<>").rpartition(":")[2]
            found.append({"name": name, "in": "path", "required": True, "schema": {"type": kind}})
    if o.query is not None:
        schema = o.query.model_json_schema()
        for name, described in schema.get("properties", {}).items():
            required = name in schema.get("required", [])
            found.append({"name": name, "in": "query", "required": required, "schema": described})
    return found
