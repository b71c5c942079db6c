"""Talks to the server that holds a workspace: plain HTTP on this machine."""

from __future__ import annotations

import http.client
import json
from pathlib import Path
from typing import Any
from urllib.parse import quote, urlsplit

from pellux.service.errors import InvalidPlan, WorkspaceError
from pellux.service.planning.requests import PlanFile


class Remote:
    """The few calls that `pellux run` needs."""

    def __init__(self, holder: dict[str, Any]) -> None:
        if not holder.get("url"):
            raise WorkspaceError(
                f"Process {holder.get('pid', '?')} is running a plan in this workspace. Wait for it or use another."
            )
        self.url = str(holder["url"])
        self._place = urlsplit(self.url)
        self._token = holder.get("token")

    def get(self, path: str) -> Any:
        return self._call("GET", path)

    def send(self, method: str, path: str, body: Any) -> Any:
        return self._call(method, path, json.dumps(body).encode(), {"Content-Type": "application/json"})

    def upload(self, path: Path) -> Any:
        try:
            with path.open("rb") as file:
                headers = {"Content-Type": "application/octet-stream", "Content-Length": str(path.stat().st_size)}
                return self._call("POST", f"/data?name={quote(path.name)}", file, headers)
        except FileNotFoundError:
            raise InvalidPlan(f"There is no data file {path}.", at="brief.data") from None

    def take_data(self, plan: PlanFile) -> None:
        """Hand over a plan's data file, and put its hash into the plan."""
        if plan.code is None:
            plan.table.data = self.upload(Path(plan.table.data))["hash"]
            if plan.reading:
                plan.table.data = self.send("POST", f"/data/{plan.table.data}/readings", plan.reading)["hash"]

    def _call(self, method: str, path: str, body: Any = None, headers: dict[str, str] | None = None) -> Any:
        connection = http.client.HTTPConnection(self._place.hostname or "", self._place.port, timeout=600)
        sent = {**(headers or {}), **({"Authorization": f"Bearer {self._token}"} if self._token else {})}
        try:
            connection.request(method, f"/api/v1{path}", body, sent)
            answer = connection.getresponse()
            found = json.loads(answer.read() or b"null")
        except (OSError, http.client.HTTPException) as error:
            raise WorkspaceError(f"The server at {self.url} does not answer: {error}.") from None
        finally:
            connection.close()
        if answer.status >= 400:
            raise InvalidPlan(str(found.get("detail")), at=found.get("field"))
        return found
