"""A real server in a process of its own, for tests that kill it."""

from __future__ import annotations

import http.client
import json
import os
import signal
import subprocess
import sys
from pathlib import Path
from typing import Any

from tests.forking import popen
from tests.waiting import until


class Server:
    """`pellux serve`, or a module that says as much, on a free port."""

    def __init__(
        self, folder: Path, *arguments: str, module: str = "pellux", python: Path | str = sys.executable, env: Any = None
    ) -> None:
        self.folder = folder
        command = [str(python), "-m", module, "serve", "--workspace", str(folder), "--port", "0", *arguments]
        begin = popen if python == sys.executable else subprocess.Popen
        self.process = begin(command, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, env=env)
        assert self.process.stdout is not None
        self.said: list[str] = []
        self.token = ""
        while not (line := self.process.stdout.readline()).startswith("Pellux serves"):
            self.said.append(line)
            if not line:
                self.process.communicate()
                raise AssertionError("".join(self.said))
        self.url = line.split(" at ")[-1].strip()
        self.port = int(self.url.rpartition(":")[2])

    def call(self, method: str, path: str, body: Any = None, **headers: str) -> tuple[int, Any]:
        connection = http.client.HTTPConnection("127.0.0.1", self.port, timeout=30)
        sent = body if isinstance(body, bytes) else None if body is None else json.dumps(body).encode()
        kind = {"Content-Type": "text/csv" if isinstance(body, bytes) else "application/json"} if sent is not None else {}
        connection.request(method, path, sent, {**kind, **headers})
        answer = connection.getresponse()
        text = answer.read()
        connection.close()
        return answer.status, json.loads(text) if text and "json" in (answer.getheader("Content-Type") or "") else text

    def get(self, path: str) -> Any:
        status, found = self.call("GET", f"/api/v1{path}")
        assert status == 200, found
        return found

    def told(self) -> list[dict[str, Any]]:
        """Every ledger entry so far, from the event stream."""
        connection = http.client.HTTPConnection("127.0.0.1", self.port, timeout=30)
        connection.request("GET", "/api/v1/events?after=0")
        entries: list[dict[str, Any]] = []
        for line in iter(connection.getresponse().readline, b": beat\n"):  # a beat comes when there is nothing more to tell
            if line.startswith(b"data: "):
                entries += json.loads(line.removeprefix(b"data: "))
        connection.close()
        return entries

    def until(self, path: str, condition: Any, seconds: float = 60) -> Any:
        found: list[Any] = []

        def asked() -> bool:
            found[:] = [self.get(path)]
            return bool(condition(found[0]))

        until(asked, seconds, lambda: found[0])
        return found[0]

    def kill(self) -> None:
        """As a power cut would: no chance to tidy up."""
        os.kill(self.process.pid, signal.SIGKILL)
        self.process.communicate()

    def stop(self) -> int:
        self.process.send_signal(signal.SIGTERM)
        self.process.communicate(timeout=20)
        return self.process.returncode

    def __enter__(self) -> Server:
        return self

    def __exit__(self, *_: object) -> None:
        if self.process.poll() is None:
            self.kill()
