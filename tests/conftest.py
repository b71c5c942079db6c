from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings

from pellux.service.engine_room import EngineRoom
from pellux.service.workspace import Workspace

settings.register_profile("pellux", deadline=None, max_examples=60, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("pellux")


SHARED = ("decided",)  # fixtures of a module that cost enough to be made once


@pytest.hookimpl(tryfirst=True)
def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Tests that share something costly run in one process; all others go to whichever is free."""
    for item in items:
        for name in SHARED:
            if name in getattr(item, "fixturenames", ()):
                item.add_marker(pytest.mark.xdist_group(name))


@pytest.fixture
def workspace(tmp_path: Path) -> Iterator[Workspace]:
    opened = Workspace(tmp_path / "workspace")
    yield opened
    opened.close()


@pytest.fixture
def room(workspace: Workspace) -> Iterator[EngineRoom]:
    found = EngineRoom(workspace)
    yield found
    found.close()
