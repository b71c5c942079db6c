"""What is shown of the workspace as a whole."""

from __future__ import annotations

from pellux.service.schemas import View


class WorkspaceView(View):
    version: str
    name: str
    cores: int
    busy_workers: int
    workers: int
    fits_per_minute: float
    running: list[int]
