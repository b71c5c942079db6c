"""The application factory: the only wiring of the web layer."""

from __future__ import annotations

import gzip
import json
from functools import lru_cache
from pathlib import Path

from flask import Flask, Response, request, send_from_directory

from pellux.service.engine.engine import Engine
from pellux.service.engine.status import open_metrics
from pellux.web import events, problem_documents, security
from pellux.web.context import Server
from pellux.web.resources import api

STATIC = Path(__file__).parent / "static"
COMPRESSIBLE = ("application/json", "text/", "application/javascript", "image/svg+xml", "application/problem+json")
SMALL = 1000


def create_app(engine: Engine, *, host: str = "127.0.0.1", token: str | None = None) -> Flask:
    """The WSGI application of one workspace; `token` is asked for wherever it is not None."""
    app = Flask("pellux", static_folder=None)
    guard = security.Guard(host, token)
    app.extensions["pellux"] = Server(engine, guard)
    app.json.sort_keys = False  # type: ignore[attr-defined]
    problem_documents.install(app)
    security.install(app, guard)
    resources = api()
    resources.install(app)
    app.register_blueprint(events.blueprint())

    @app.get("/api/v1/openapi.json")
    def openapi() -> Response:
        return app.response_class(_document(), mimetype="application/json")

    @app.get("/health")
    def health() -> dict[str, str]:
        return {"status": "ok"}

    @app.get("/metrics")
    def metrics() -> Response:
        kind = "application/openmetrics-text; version=1.0.0; charset=utf-8"
        return Response(open_metrics(engine), content_type=kind)

    @app.get("/", defaults={"path": ""})
    @app.get("/<path:path>")
    def page(path: str) -> Response:
        """A built file, or the page itself: its own router knows the rest of the address."""
        built = path in _built()
        if path.startswith(("api/", "assets/")) and not built:
            return problem_documents.problem(404, "not-found", f"There is no resource at /{path[:200]}.")
        if built:
            found = send_from_directory(STATIC, path, max_age=31536000 if path.startswith("assets/") else 0)
        else:
            found = send_from_directory(STATIC, "index.html", max_age=0)
        return _compressed_file(found)

    @app.after_request
    def finish(response: Response) -> Response:
        if response.is_streamed or response.direct_passthrough:
            return response
        if request.method == "GET" and response.status_code == 200:
            response.add_etag()
            response.make_conditional(request)
        return _compressed(response)

    return app


@lru_cache(1)
def _document() -> str:
    """Made when it is first asked for: a server starts a sixth sooner without it."""
    return json.dumps(api().document())


@lru_cache(1)
def _built() -> frozenset[str]:
    """The built files by their paths: what is asked for is looked up here, never on the disk."""
    return frozenset(str(path.relative_to(STATIC)) for path in STATIC.rglob("*") if path.is_file())


def _compressed(response: Response) -> Response:
    worth = (response.mimetype or "").startswith(COMPRESSIBLE) and (response.content_length or 0) > SMALL
    if worth and request.accept_encodings.best_match(["gzip"]) and "Content-Encoding" not in response.headers:
        response.set_data(gzip.compress(response.get_data(), 4))
        response.headers["Content-Encoding"] = "gzip"
        response.headers.add("Vary", "Accept-Encoding")
    return response


def _compressed_file(response: Response) -> Response:
    """Built files are compressed once and kept."""
    if (
        response.status_code == 200
        and request.accept_encodings.best_match(["gzip"])
        and (response.mimetype or "").startswith(COMPRESSIBLE)
    ):
        path = STATIC / request.path.lstrip("/")
        response.direct_passthrough = False
        path = path if path.is_file() else STATIC / "index.html"
        response.set_data(_gzipped(path, path.stat().st_mtime_ns))
        response.headers["Content-Encoding"] = "gzip"
        response.headers.add("Vary", "Accept-Encoding")
    return response


@lru_cache(64)
def _gzipped(path: Path, changed: int) -> bytes:
    return gzip.compress(path.read_bytes(), 9)
