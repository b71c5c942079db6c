"""A signed choice, and what can be taken away of it."""

from __future__ import annotations

import time
from pathlib import Path
from typing import Any

from pellux.api.transport import Client

LOOK = 0.1


class Decision:
    """Made by `Problem.decide`. `view` is all that the service tells of it, `record` what was signed."""

    def __init__(self, client: Client, id: int) -> None:
        self._client, self.id = client, id

    @property
    def view(self) -> dict[str, Any]:
        found: dict[str, Any] = self._client.get(f"/decisions/{self.id}")
        return found

    @property
    def settings(self) -> dict[str, Any]:
        """The chosen configuration, with the types that it has."""
        return dict(self.view["configuration"])

    @property
    def score(self) -> float:
        return float(self.view["mean"])

    @property
    def record(self) -> dict[str, Any]:
        return dict(self.view["record"])

    def file(self, name: str) -> bytes:
        """One file: 'report.html', 'configuration.yaml', 'model.joblib' …; Conflict says why there is none."""
        self._made()
        return self._client.raw(f"/decisions/{self.id}/files/{name}")

    def save(self, folder: str | Path) -> list[Path]:
        """Write all there is into a folder, made if it is missing, once the final model is trained; the paths written."""
        target = Path(folder)
        target.mkdir(parents=True, exist_ok=True)
        written = []
        for file in self._made():
            if file["state"] == "ready":
                path = target / str(file["name"])
                path.write_bytes(self._client.raw(f"/decisions/{self.id}/files/{file['name']}"))
                written.append(path)
        return written

    def _made(self) -> list[dict[str, Any]]:
        """Its files, once none of them is being made any more."""
        files = self.view["files"]
        while any(file["state"] == "making" for file in files):
            time.sleep(LOOK)
            files = self.view["files"]
        return list(files)

    def __repr__(self) -> str:
        found = self.view
        return f"<Decision {self.id}: {found['trial_name']}, {found['metric_label']} {found['mean']:.4g}>"
