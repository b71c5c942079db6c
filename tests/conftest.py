from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings

from pellux.service.engine_room import EngineRoom
from pellux.service.workspace import Workspace

settings.register_profile("pellux", deadline=None, max_examples=60, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("pellux")


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
