"""Who may talk to the server: hosts, origins, and a token wherever it is not bound to loopback."""

from __future__ import annotations

import hmac
import ipaddress
from collections.abc import Mapping
from dataclasses import dataclass, field
from http.cookies import CookieError, SimpleCookie
from urllib.parse import urlsplit

from flask import Flask, Response, redirect, request

from pellux.web.problem_documents import problem
from pellux.web.sessions import Attempts, Sessions

COOKIE = "pellux_session"
OPEN = ("/login", "/health")  # what is answered without a token
LOGIN = """<!doctype html><html lang="en"><meta charset="utf-8"><title>Pellux</title>
<style>body{{font:16px system-ui;background:#f5efe4;color:#22302c;display:grid;place-items:center;height:100vh;margin:0}}
form{{display:grid;gap:12px;width:320px}}input,button{{font:inherit;padding:10px;border:1px solid #9a927f;border-radius:4px}}
button{{background:#1f5c4d;color:#fff;border:0}}</style>
<form method="post" action="/login"><h1>Pellux</h1><label for="token">Token printed by <code>pellux serve</code></label>
<input id="token" name="token" type="password" autofocus required><p role="alert">{message}</p><button>Open</button></form></html>"""
POLICY = (
    "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self' data:; "
    "frame-ancestors 'none'; base-uri 'none'; form-action 'self'"
)


def is_loopback(host: str) -> bool:
    name = host.strip("[]")
    if name == "localhost":
        return True
    try:
        return ipaddress.ip_address(name).is_loopback
    except ValueError:
        return False


@dataclass
class Guard:
    """Decides on a request by its head alone, so that it can be asked before a body is read.

    Attributes
    ----------
    host : str
        What the server is bound to.
    token : str or None
        Asked for where it is not None.
    """

    host: str
    token: str | None
    sessions: Sessions = field(default_factory=Sessions)
    attempts: Attempts = field(default_factory=Attempts)

    def refusal(self, method: str, path: str, headers: Mapping[str, str]) -> tuple[int, str, str] | None:
        """Status, code and sentence of what is wrong; `headers` have names as in WSGI, without HTTP_."""
        asked = headers.get("HOST", "")
        named, origin = _host_of(f"//{asked}"), headers.get("ORIGIN", "")
        if not self._answers_for(named):
            return 421, "wrong-host", f"This server does not answer for the host '{asked[:100]}'."
        if origin and _place_of(origin) != asked:
            return 403, "wrong-origin", f"Requests from {origin[:100]} are not accepted."
        if headers.get("SEC_FETCH_SITE") == "cross-site" and method not in ("GET", "HEAD"):
            return 403, "wrong-origin", "Requests from another site are not accepted."
        if self.token is None or path in OPEN or self.admits(headers):
            return None
        return 401, "token-needed", "Send the token that the server printed: Authorization: Bearer <token>."

    def _answers_for(self, named: str) -> bool:
        if is_loopback(self.host):
            return is_loopback(named)
        return self.host in ("0.0.0.0", "::") or named == self.host or is_loopback(named)  # noqa: S104

    def admits(self, headers: Mapping[str, str]) -> bool:
        scheme, _, given = headers.get("AUTHORIZATION", "").partition(" ")
        if scheme == "Bearer":
            return self.is_token(given)
        return self.sessions.knows(session_in(headers.get("COOKIE", "")))

    def is_token(self, given: str) -> bool:
        return self.token is not None and hmac.compare_digest(given.encode(errors="replace"), self.token.encode())


def _host_of(url: str) -> str:
    try:
        return urlsplit(url).hostname or ""
    except ValueError:
        return ""


def _place_of(origin: str) -> str:
    try:
        return urlsplit(origin).netloc
    except ValueError:
        return ""


def session_in(cookies: str) -> str:
    """The session that a Cookie header names; empty where it names none or cannot be read."""
    try:
        found = SimpleCookie(cookies).get(COOKIE)
    except CookieError:
        return ""
    return found.value if found is not None else ""


def install(app: Flask, guard: Guard) -> None:
    """Ask the guard on every request, and let people in and out."""

    @app.before_request
    def check() -> Response | None:
        headers = {name.upper().replace("-", "_"): value for name, value in request.headers.items()}
        refused = guard.refusal(request.method, request.path, headers)
        if refused is None:
            return None
        if refused[0] == 401 and not request.path.startswith("/api/") and request.method in ("GET", "HEAD"):
            return redirect("/login")  # type: ignore[return-value]
        return problem(*refused)

    @app.route("/login", methods=["GET", "POST"])
    def login() -> Response:
        if request.method == "GET" or guard.token is None:
            return Response(LOGIN.format(message=""), mimetype="text/html")
        wait = guard.attempts.wait(request.remote_addr or "")
        if wait:
            message = f"Too many attempts. Try again in {wait} s."
            return Response(LOGIN.format(message=message), 429, {"Retry-After": str(wait)}, mimetype="text/html")
        if not guard.is_token(request.form.get("token", "")):
            guard.attempts.failed(request.remote_addr or "")
            return Response(LOGIN.format(message="That is not the token."), 401, mimetype="text/html")
        answer: Response = redirect("/")  # type: ignore[assignment]
        answer.set_cookie(COOKIE, guard.sessions.open(), httponly=True, samesite="Strict")
        return answer

    @app.post("/logout")
    def logout() -> Response:
        guard.sessions.end(session_in(request.headers.get("Cookie", "")))
        answer: Response = redirect("/login")  # type: ignore[assignment]
        answer.delete_cookie(COOKIE, httponly=True, samesite="Strict")
        return answer

    @app.after_request
    def headers(response: Response) -> Response:
        response.headers.setdefault("X-Content-Type-Options", "nosniff")
        response.headers.setdefault("Referrer-Policy", "no-referrer")
        response.headers.setdefault("Content-Security-Policy", POLICY)
        return response
