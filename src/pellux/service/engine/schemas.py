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
    not_trusted: list[str]  # own code in it that nobody here brought or allowed: it does not run
    logged_in: bool  # whether it was reached with a token, and can be left


class TrustView(View):
    allowed: list[str]  # what may run from now on and might not before


class DemoView(View):
    """The problems of the demo, by id."""

    problems: list[int]
