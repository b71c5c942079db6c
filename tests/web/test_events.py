"""The event stream through a real server: nothing missing, nothing twice, whatever breaks the connection."""

from __future__ import annotations

import http.client
import json
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from tests.making import mixed_columns, write_csv
from tests.serving import Server

pytestmark = pytest.mark.slow


def batches(server: Server, after: int | None) -> Iterator[tuple[int, list[dict[str, Any]]]]:
    """Messages of a stream until it breaks; closing the iterator closes the connection."""
    connection = http.client.HTTPConnection("127.0.0.1", server.port, timeout=30)
    headers = {} if after is None else {"Last-Event-ID": str(after)}
    connection.request("GET", "/api/v1/events", headers=headers)
    answer = connection.getresponse()
    assert answer.getheader("Content-Type", "").startswith("text/event-stream")
    try:
        last = 0
        while line := answer.readline():
            name, _, value = line.decode().rstrip("\n").partition(": ")
            if name == "id":
                last = int(value)
            elif name == "data":
                yield last, json.loads(value)
    finally:
        connection.close()


def launch(server: Server, folder: Path) -> int:
    csv = write_csv(folder / "mixed.csv", mixed_columns()).read_bytes()
    _, data = server.call("POST", "/api/v1/data?name=mixed.csv", csv)
    _, problem = server.call("POST", "/api/v1/problems", {"data": data["hash"], "target": "label", "ignore": ["amount"]})
    body = {"learner": "tree", "space": "depth: 2 .. 30 int\nmin_leaf: 1 .. 60 int", "plan": {"trials": 24, "workers": 2}}
    _, search = server.call("POST", f"/api/v1/problems/{problem['id']}/searches", body)
    return int(search["id"])


def test_a_reader_that_keeps_losing_its_connection_misses_nothing(tmp_path: Path) -> None:
    with Server(tmp_path / "w") as server:
        search = launch(server, tmp_path)
        seen: list[int] = []
        after, ended = 0, False
        while not ended:
            for count, (last, entries) in enumerate(batches(server, after)):
                assert entries[-1]["id"] == last
                seen += [e["id"] for e in entries]
                after = last
                ended = any(e["kind"] == "search" and e["data"]["state"] == "finished" for e in entries)
                if ended or count == 2:
                    break  # drop the connection in the middle of it all
        newest = server.get(f"/searches/{search}")["newest_entry"]
        assert seen == list(range(1, newest + 1))


def test_a_fresh_reader_hears_at_once_of_what_happens_next(tmp_path: Path) -> None:
    with Server(tmp_path / "w") as server:
        connection, answer = listen(server)
        launch(server, tmp_path)
        lines = iter(answer.readline, b"")
        first = next(line for line in lines if line.startswith(b"data: "))
        assert json.loads(first.removeprefix(b"data: "))[0]["kind"] == "problem"
        answer.close()
        connection.close()


def listen(server: Server) -> tuple[http.client.HTTPConnection, http.client.HTTPResponse]:
    connection = http.client.HTTPConnection("127.0.0.1", server.port, timeout=30)
    connection.request("GET", "/api/v1/events")
    return connection, connection.getresponse()


def test_too_many_streams_are_refused_and_seats_come_free(tmp_path: Path) -> None:
    with Server(tmp_path / "w") as server:
        held = [listen(server) for _ in range(40)]
        assert {answer.status for _, answer in held} == {200}
        connection, refused = listen(server)
        assert refused.status == 503
        assert json.loads(refused.read())["type"] == "urn:pellux:error:too-many-streams"
        connection.close()
        assert server.call("GET", "/health")[0] == 200, "streams must not take the threads of requests"
        for connection, answer in held:
            answer.close()
            connection.close()
        end = time.monotonic() + 20
        status = 503
        while status != 200:
            assert time.monotonic() < end
            connection, answer = listen(server)
            status = answer.status
            answer.close()
            connection.close()
        assert server.stop() == 0
