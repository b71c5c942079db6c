"""Who may talk to the server: hosts, origins, and a token wherever it is not bound to loopback."""

from __future__ import annotations

import hmac
import ipaddress
from urllib.parse import urlsplit

from flask import Flask, Response, redirect, request

from pellux.web.problem_documents import problem

COOKIE = "pellux_token"
LOGIN = """<!doctype html><html lang="en"><meta charset="utf-8"><title>Pellux</title>
<style>body{{font:16px system-ui;background:#f5efe4;color:#22302c;display:grid;place-items:center;height:100vh;margin:0}}
form{{display:grid;gap:12px;width:320px}}input,button{{font:inherit;padding:10px;border:1px solid #9a927f;border-radius:4px}}
button{{background:#1f5c4d;color:#fff;border:0}}</style>
<form method="post" action="/login"><h1>Pellux</h1><label for="token">Token printed by <code>pellux serve</code></label>
<input id="token" name="token" type="password" autofocus required><p role="alert">{message}</p><button>Open</button></form></html>"""


def is_loopback(host: str) -> bool:
    name = host.strip("[]")
    if name == "localhost":
        return True
    try:
        return ipaddress.ip_address(name).is_loopback
    except ValueError:
        return False


def install(app: Flask, *, host: str, token: str | None) -> None:
    """Check Host and Origin on every request, and the token when there is one."""
    loopback = is_loopback(host)
    anywhere = host in ("0.0.0.0", "::")  # noqa: S104

    @app.before_request
    def guard() -> Response | None:
        named = urlsplit(f"//{request.host}").hostname or ""
        if not (is_loopback(named) if loopback else anywhere or named == host or is_loopback(named)):
            return problem(421, "wrong-host", f"This server does not answer for the host '{request.host}'.")
        origin = request.headers.get("Origin")
        if origin and urlsplit(origin).netloc != request.host:
            return problem(403, "wrong-origin", f"Requests from {origin} are not accepted.")
        if request.headers.get("Sec-Fetch-Site") == "cross-site" and request.method not in ("GET", "HEAD"):
            return problem(403, "wrong-origin", "Requests from another site are not accepted.")
        if token is None or request.path in ("/login", "/health") or _holds(token):
            return None
        if request.path.startswith("/api/"):
            return problem(401, "token-needed", "Send the token that the server printed: Authorization: Bearer <token>.")
        return redirect("/login")  # type: ignore[return-value]

    @app.route("/login", methods=["GET", "POST"])
    def login() -> Response:
        if request.method == "GET" or token is None:
            return Response(LOGIN.format(message=""), mimetype="text/html")
        if not hmac.compare_digest(request.form.get("token", "").encode(), token.encode()):
            return Response(LOGIN.format(message="That is not the token."), 401, mimetype="text/html")
        answer: Response = redirect("/")  # type: ignore[assignment]
        answer.set_cookie(COOKIE, token, httponly=True, samesite="Strict")
        return answer

    @app.after_request
    def headers(response: Response) -> Response:
        response.headers.setdefault("X-Content-Type-Options", "nosniff")
        response.headers.setdefault("Referrer-Policy", "no-referrer")
        response.headers.setdefault(
            "Content-Security-Policy",
            "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self' data:; "
            "frame-ancestors 'none'; base-uri 'none'; form-action 'self'",
        )
        return response


def _holds(token: str) -> bool:
    scheme, _, given = request.headers.get("Authorization", "").partition(" ")
    offered = given if scheme == "Bearer" else request.cookies.get(COOKIE, "")
    return hmac.compare_digest(offered.encode(), token.encode())
