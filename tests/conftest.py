from __future__ import annotations

import os

# Read when NumPy is loaded: threads of two test processes wait for each other.
os.environ.update({"OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"} | dict(os.environ))

import atexit
import shutil
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, settings
from xdist.scheduler import LoadScopeScheduling

from pellux.service.engine.collecting import collect_seldom
from pellux.service.engine.engine import Engine
from pellux.service.workspace import Workspace
from tests import forking

settings.register_profile("pellux", deadline=None, max_examples=40, suppress_health_check=[HealthCheck.too_slow])
settings.register_profile("ci", parent=settings.get_profile("pellux"), derandomize=True)
settings.load_profile("ci" if os.environ.get("CI") else "pellux")


os.environ["XDG_CONFIG_HOME"] = tempfile.mkdtemp(prefix="pellux-tests-")  # keys and settings of whoever runs the tests stay theirs
atexit.register(shutil.rmtree, os.environ["XDG_CONFIG_HOME"], True)


TOGETHER = (
    "tests/browser/",
    "tests/cluster/test_runner.py",
    "tests/service/test_deciding.py",
    "tests/web/test_front_door.py",
)  # files whose tests share what is costly to make
WAITING = (
    "tests/cluster/",
    "tests/test_wheel.py",
)  # much of their time goes by until a machine is taken for dead, or files are written


class _Free(LoadScopeScheduling):
    """Gives every test to whichever process is free, but for the files whose tests share something: those go as one.

    The groups that pytest-xdist 3.8 has for this do nothing under pytest 9.2.
    """

    def _split_scope(self, nodeid: str) -> str:
        file: str = nodeid.split("::", 1)[0]
        return file if file.startswith(TOGETHER) else nodeid


def pytest_xdist_make_scheduler(config: pytest.Config, log: Any) -> LoadScopeScheduling:
    return _Free(config, log)


def pytest_configure(config: pytest.Config) -> None:
    if not hasattr(config, "workerinput"):
        forking.choose()


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Tests that wait are spread over the first two thirds of the others: in a row they leave cores idle, at the end they are waited for."""
    waiting = [item for item in items if item.nodeid.startswith(WAITING) and not item.nodeid.startswith(TOGETHER)]
    if waiting:
        others = [item for item in items if item not in waiting]
        apart = 1 + 2 * len(others) // (3 * len(waiting))
        for place, item in enumerate(waiting):
            others.insert(place * apart, item)
        items[:] = others


def pytest_collection_finish() -> None:
    # Hundreds of thousands of objects of modules and tests stay until the end: looking through them for garbage took a tenth of the time.
    collect_seldom()


def pytest_unconfigure(config: pytest.Config) -> None:
    if not hasattr(config, "workerinput"):
        forking.leave()


@pytest.fixture
def workspace(tmp_path: Path) -> Iterator[Workspace]:
    opened = Workspace(tmp_path / "workspace")
    yield opened
    opened.close()


@pytest.fixture
def engine(workspace: Workspace) -> Iterator[Engine]:
    found = Engine(workspace)
    yield found
    found.close()
