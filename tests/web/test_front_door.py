"""What a server refuses by the head of a request alone, and what it does not let stand in others' way."""

from __future__ import annotations

import shutil
import socket
import stat
from collections import namedtuple
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from flask.testing import FlaskClient

from pellux.service.engine.engine import Engine
from pellux.service.workspace import Workspace
from pellux.web import front_door, sessions
from pellux.web.app import create_app
from tests.serving import Server

pytestmark = pytest.mark.slow
HERE = "Host: 127.0.0.1\r\n"
Usage = namedtuple("Usage", "total used free")


@pytest.fixture(scope="module")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    with Server(tmp_path_factory.mktemp("door") / "w", "--host", "0.0.0.0") as found:
        assert found.process.stdout is not None
        found.token = found.process.stdout.readline().split()[-1]
        yield found


def said(server: Server, head: str, body: bytes = b"", more: int = 0) -> str:
    """The answer to a request of which only a part is ever sent."""
    with socket.create_connection(("127.0.0.1", server.port), timeout=10) as connection:
        connection.sendall(head.encode() + b"\r\n" + body)
        if more:
            connection.sendall(b"x" * more)
        answer = b""
        while piece := connection.recv(65536):
            answer += piece
    return answer.decode()


@pytest.mark.parametrize(
    ("head", "status", "words"),
    [
        ("POST /api/v1/data?name=a.csv HTTP/1.1\r\n" + HERE + "Content-Length: 50000000\r\n", 401, "Send the token"),
        ("POST /api/v1/problems HTTP/1.1\r\n" + HERE + "Content-Type: application/json\r\nContent-Length: 900\r\n", 401, "Send the token"),
        ("POST /login HTTP/1.1\r\n" + HERE + "Content-Length: 5000\r\n", 413, "4,096 bytes"),
        ("POST /api/v1/problems HTTP/1.1\r\n" + HERE + "Authorization: Bearer {token}\r\nContent-Length: 17000000\r\n", 413, "16,777,216"),
        ("POST /api/v1/data HTTP/1.1\r\n" + HERE + "Authorization: Bearer {token}\r\nContent-Length: 99999999999\r\n", 413, "68,719,476,736"),
        ("POST /api/v1/data HTTP/1.1\r\n" + HERE + "Authorization: Bearer {token}\r\nTransfer-Encoding: chunked\r\n", 411, "Content-Length"),
        ("POST /api/v1/data HTTP/1.1\r\nHost: evil.example\r\nOrigin: http://other.example\r\nContent-Length: 9\r\n", 403, "not accepted"),
        ("GET /api/v1/workspace HTTP/1.1\r\n" + HERE + "Origin: http://[\r\n", 403, "not accepted"),
        ("GET /api/v1/workspace HTTP/1.1\r\nHost: [::\r\n", 401, "token"),
        ("GET /api/v1/events HTTP/1.1\r\n" + HERE + "Authorization: Bearer {token}\r\nLast-Event-ID: \xb2\r\n", 422, "not the number"),
        ("GET /api/v1/events?after=99999999999999999999 HTTP/1.1\r\n" + HERE + "Authorization: Bearer {token}\r\n", 422, "not the number"),
        ("GET /api/v1/searches/99999999999999999999 HTTP/1.1\r\n" + HERE + "Authorization: Bearer {token}\r\n", 404, "no search"),
        ("GET /api/v1/data/%00 HTTP/1.1\r\n" + HERE + "Authorization: Bearer {token}\r\n", 404, "imported here"),
        ("GET /assets/" + "a" * 4000 + " HTTP/1.1\r\n" + HERE + "Authorization: Bearer {token}\r\n", 404, "no resource"),
    ],
)  # fmt: skip
def test_refused_by_its_head(server: Server, head: str, status: int, words: str) -> None:
    answer = said(
        server, head.replace("{token}", server.token) + "Connection: close\r\n", more=200_000 if "50000000" in head else 0
    )
    assert f"HTTP/1.1 {status}" in answer.partition("\r\n")[0]
    assert words in answer
    assert "problem+json" in answer


def test_a_body_without_an_announced_length_ends_at_the_limit(server: Server) -> None:
    head = "POST /api/v1/problems HTTP/1.1\r\n" + HERE + f"Authorization: Bearer {server.token}\r\nTransfer-Encoding: chunked\r\n"
    piece = b"100000\r\n" + b"x" * 2**20 + b"\r\n"
    assert "413" in said(server, head, piece * 17).partition("\r\n")[0]


def test_half_open_connections_keep_nobody_out(server: Server) -> None:
    waiting = [socket.create_connection(("127.0.0.1", server.port)) for _ in range(150)]
    for connection in waiting:
        connection.sendall(b"GET / HTTP/1.1\r\nHo")
    # Not only after they were given up: this has less patience than they have time.
    head = "GET /api/v1/workspace HTTP/1.1\r\n" + HERE + f"Authorization: Bearer {server.token}\r\nConnection: close\r\n"
    assert said(server, head).startswith("HTTP/1.1 200")
    for connection in waiting:
        connection.close()


def test_what_comes_too_slowly_is_given_up() -> None:
    class Request:
        headers_finished, body_bytes_received = False, 0

    channel: Any = object.__new__(front_door.Channel)
    channel.begun, channel.requests, channel.request = 100.0, [], None
    channel.creation_time = channel.last_activity = 5.0
    assert channel.late(100 + front_door.TO_BEGIN + 1), "never said a word"
    channel.last_activity = 6.0
    assert not channel.late(100 + front_door.TO_BEGIN + 1), "waits for the next request"
    channel.request = Request()
    assert channel.late(100 + front_door.TO_BEGIN + 1), "half a head"
    channel.request.headers_finished, channel.request.body_bytes_received = True, 10 * front_door.SLOWEST
    assert not channel.late(100 + front_door.TO_BEGIN + 9)
    assert channel.late(100 + front_door.TO_BEGIN + 11), "a body drop by drop"


def test_a_file_that_does_not_fit_is_refused_before_it_comes(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setattr(shutil, "disk_usage", lambda where: Usage(10**9, 0, 300 * 2**20))
    assert front_door._fits(tmp_path, 200 * 2**20)
    assert not front_door._fits(tmp_path, 240 * 2**20)


def test_the_files_of_a_workspace_are_for_their_owner(server: Server) -> None:
    for path in [
        server.folder / "pellux.db",
        server.folder / "data",
        server.folder / "artifacts",
        server.folder / "logs",
        server.folder / "engine.lock",
    ]:
        assert not stat.S_IMODE(path.stat().st_mode) & 0o077, path


def test_what_else_lies_in_its_folder_is_left_as_it_is(tmp_path: Path) -> None:
    (tmp_path / "theirs").mkdir(mode=0o755)
    (tmp_path / "own").mkdir(mode=0o755)
    Workspace(tmp_path).close()
    assert stat.S_IMODE((tmp_path / "theirs").stat().st_mode) == 0o755
    assert stat.S_IMODE((tmp_path / "own").stat().st_mode) == 0o700
    Workspace(tmp_path / "new").close()
    assert stat.S_IMODE((tmp_path / "new").stat().st_mode) == 0o700


def test_a_body_that_is_too_large_is_refused_with_a_key_too(engine: Engine) -> None:
    app = create_app(engine).test_client()
    headers = {"Host": "127.0.0.1", "Idempotency-Key": "large"}
    answer = app.post("/api/v1/problems", data=b" " * (front_door.MOST_JSON + 1), content_type="application/json", headers=headers)
    assert answer.status_code == 413


@pytest.fixture
def guarded(engine: Engine) -> FlaskClient:
    return create_app(engine, host="0.0.0.0", token="s3cret").test_client()


THERE = {"Host": "bench.example:8420"}


def test_a_login_is_left_again_and_does_not_tell_the_token(guarded: FlaskClient) -> None:
    entered = guarded.post("/login", data={"token": "s3cret"}, headers=THERE)
    cookie = entered.headers["Set-Cookie"].partition(";")[0]
    assert "s3cret" not in cookie
    known = {**THERE, "Cookie": cookie}
    assert guarded.get("/api/v1/workspace", headers=known).get_json()["logged_in"] is True
    assert guarded.post("/logout", headers={**known, "Origin": "http://other.example"}).status_code == 403
    assert guarded.post("/logout", headers=known).headers["Location"] == "/login"
    assert guarded.get("/api/v1/workspace", headers=known).status_code == 401


def test_whoever_guesses_has_to_wait(guarded: FlaskClient) -> None:
    statuses = [guarded.post("/login", data={"token": f"guess {i}"}, headers=THERE).status_code for i in range(8)]
    assert statuses == [401] * sessions.FREE + [429] * 3
    late = guarded.post("/login", data={"token": "s3cret"}, headers=THERE)
    assert (late.status_code, int(late.headers["Retry-After"])) == (429, 1)


def test_each_further_guess_waits_twice_as_long_and_is_forgotten() -> None:
    now = [0.0]
    attempts = sessions.Attempts(lambda: now[0])
    waits = []
    for _ in range(sessions.FREE + 4):
        now[0] += attempts.wait("a")
        attempts.failed("a")
        waits.append(attempts.wait("a"))
    assert waits == [0, 0, 0, 0, 1, 2, 4, 8, 16]
    assert attempts.wait("b") == 0
    now[0] += 3 * sessions.LONGEST_WAIT
    attempts.failed("a")
    assert attempts.wait("a") == 0


def test_sessions_end() -> None:
    now = [0.0]
    found = sessions.Sessions(lambda: now[0])
    made = found.open()
    assert found.knows(made)
    assert not found.knows("")
    now[0] += sessions.LASTS + 1
    assert not found.knows(made)
