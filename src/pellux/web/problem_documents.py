"""The one place where errors become HTTP problem documents (RFC 9457)."""

from __future__ import annotations

import logging
from http import HTTPStatus

from flask import Flask, Response, current_app
from werkzeug.exceptions import HTTPException

from pellux.service.errors import Conflict, NotFound, PelluxError, WorkspaceError, disk_is_full
from pellux.service.schemas import ProblemDocument

log = logging.getLogger("pellux.web")
AGAIN = 5  # seconds after which to ask again when the workspace could not be written or read
STATUS = ((NotFound, 404), (Conflict, 409), (WorkspaceError, 503), (PelluxError, 422))


def document(status: int, code: str, detail: str, field: str | None = None, trace: str | None = None) -> ProblemDocument:
    return ProblemDocument(
        type=f"urn:pellux:error:{code}", title=HTTPStatus(status).phrase, status=status, detail=detail, field=field, trace=trace
    )


def problem(status: int, code: str, detail: str, field: str | None = None, trace: str | None = None) -> Response:
    text = document(status, code, detail, field, trace).model_dump_json()
    return current_app.response_class(text, status, mimetype="application/problem+json")


def install(app: Flask) -> None:
    @app.errorhandler(PelluxError)
    def ours(error: PelluxError) -> Response:
        status = next(status for kind, status in STATUS if isinstance(error, kind))
        answer = problem(status, error.code, error.message, error.at, getattr(error, "detail", None))
        if status == 503:
            answer.headers["Retry-After"] = str(AGAIN)
        return answer

    @app.errorhandler(HTTPException)
    def http(error: HTTPException) -> Response:
        status = error.code or 500
        if status < 400:
            return current_app.response_class(status=status, headers=error.get_headers())
        return problem(status, HTTPStatus(status).phrase.lower().replace(" ", "-"), error.description or "")

    @app.errorhandler(OSError)
    def full(error: OSError) -> Response:
        """A disk without room may be found full wherever something is written: that passes."""
        if not disk_is_full(error):
            return unforeseen(error)
        return ours(WorkspaceError("The disk that holds the workspace is full. Free some space and try again."))

    @app.errorhandler(Exception)
    def unforeseen(error: Exception) -> Response:
        log.exception("A request failed")
        return problem(500, "internal", f"Something went wrong inside Pellux: {type(error).__name__}. The log has the details.")
