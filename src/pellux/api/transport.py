"""How the Python interface reaches the service: HTTP to a server, or the same requests answered in this process."""

from __future__ import annotations

import http.client
import json
from typing import Any, Protocol
from urllib.parse import urlsplit

from flask import Flask

from pellux.service import errors
from pellux.service.errors import PelluxError, WorkspaceError

JSON, BYTES = "application/json", "application/octet-stream"
Answer = tuple[int, str, bytes]  # status, media type, body


class Transport(Protocol):
    def send(self, method: str, path: str, body: bytes | None, media: str) -> Answer: ...


class Http:
    """A server somewhere."""

    def __init__(self, url: str, token: str | None = None, seconds: float = 600) -> None:
        self._place, self._token, self._seconds = urlsplit(url), token, seconds
        self.url = url
        if self._place.scheme not in ("http", "https") or not self._place.hostname:
            raise WorkspaceError(f"'{url}' is no address of a server, such as http://127.0.0.1:8420.")

    def send(self, method: str, path: str, body: bytes | None, media: str) -> Answer:
        kind = http.client.HTTPSConnection if self._place.scheme == "https" else http.client.HTTPConnection
        connection = kind(self._place.hostname or "", self._place.port, timeout=self._seconds)
        headers = {"Content-Type": media, **({"Authorization": f"Bearer {self._token}"} if self._token else {})}
        try:
            connection.request(method, path, body, headers)
            answer = connection.getresponse()
            return answer.status, answer.headers.get_content_type(), answer.read()
        except (OSError, http.client.HTTPException) as error:
            raise WorkspaceError(f"The server at {self.url} does not answer: {error}.") from None
        finally:
            connection.close()


class InProcess:
    """The engine of this process, asked as a browser would ask it."""

    def __init__(self, app: Flask) -> None:
        self._app = app

    def send(self, method: str, path: str, body: bytes | None, media: str) -> Answer:
        answer = self._app.test_client().open(path, method=method, data=body, headers={"Content-Type": media})
        return answer.status_code, answer.mimetype or "", answer.get_data()


class Client:
    """Requests as Python values, refusals as the errors that they are."""

    def __init__(self, transport: Transport) -> None:
        self._transport = transport

    def call(self, method: str, path: str, body: Any = None, *, media: str = JSON) -> Any:
        """Any operation of the HTTP interface (docs/openapi.json); `path` begins after /api/v1.

        Bytes go out as they are; what is not JSON comes back as bytes. Raises a PelluxError for a refusal.
        """
        sent = body if isinstance(body, bytes) or body is None else json.dumps(body).encode()
        status, kind, found = self._transport.send(method, f"/api/v1{path}", sent, media)
        if status >= 400:
            raise refusal(status, found)
        return json.loads(found) if kind == JSON else found if found else None

    def raw(self, path: str) -> bytes:
        """What lies there, as bytes, whatever it is."""
        status, _, found = self._transport.send("GET", f"/api/v1{path}", None, JSON)
        if status >= 400:
            raise refusal(status, found)
        return found

    def get(self, path: str) -> Any:
        return self.call("GET", path)

    def post(self, path: str, body: Any) -> Any:
        return self.call("POST", path, body)

    def put(self, path: str, body: Any) -> Any:
        return self.call("PUT", path, body)


def refusal(status: int, body: bytes) -> PelluxError:
    """The error that a problem document tells of."""
    try:
        found = json.loads(body)
        code, message, field = str(found["type"]).rpartition(":")[2], str(found["detail"]), found.get("field")
    except (ValueError, KeyError, TypeError):
        return WorkspaceError(f"The server answered {status}.")
    kinds = {kind.code: kind for kind in vars(errors).values() if isinstance(kind, type) and issubclass(kind, PelluxError)}
    kind = kinds.get(code, PelluxError)
    if kind is errors.NotationError:  # its place stands in the message already
        kind = errors.InvalidSpace
    return kind(message, at=field)
