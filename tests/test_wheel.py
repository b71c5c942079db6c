"""The wheel holds everything: installed where neither Node nor the sources are, it serves pages and answers."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import sysconfig
import venv
from pathlib import Path

import pytest

import pellux
from tests.serving import Server

pytestmark = pytest.mark.slow
ROOT = Path(__file__).parents[1]


@pytest.fixture(scope="module")
def python(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A fresh environment with the wheel; its dependencies are borrowed from the one that runs the tests."""
    sources, wheels, fresh = (tmp_path_factory.mktemp(name) for name in ("sources", "wheels", "fresh"))
    for name in ("src", "pyproject.toml", "README.md", "LICENSE"):  # building leaves files beside the sources
        copy = shutil.copytree if (ROOT / name).is_dir() else shutil.copy
        copy(ROOT / name, sources / name)
    shutil.rmtree(sources / "src/pellux.egg-info", ignore_errors=True)
    pip = [sys.executable, "-m", "pip", "--quiet", "--disable-pip-version-check"]
    subprocess.run([*pip, "wheel", "--no-deps", "--wheel-dir", wheels, sources], check=True)
    venv.create(fresh, with_pip=False)
    inside = Path(sysconfig.get_path("purelib", "venv", {"base": str(fresh)}))
    (wheel,) = wheels.iterdir()
    assert wheel.name == f"pellux-{pellux.__version__}-py3-none-any.whl"
    subprocess.run([*pip, f"--python={fresh / 'bin/python'}", "install", "--no-deps", wheel], check=True)
    # Named in a file of the fresh environment, the other's folder comes last and its own such files are not read.
    (inside / "borrowed.pth").write_text(sysconfig.get_path("purelib"))
    return fresh / "bin/python"


def test_it_is_served_without_node_and_sources(python: Path, tmp_path: Path) -> None:
    alone = {**os.environ, "PATH": str(python.parent), "PYTHONPATH": ""}
    where = "import pellux; print(pellux.__file__)"
    told = subprocess.run([python, "-c", where], env=alone, cwd=tmp_path, check=True, capture_output=True, text=True).stdout
    assert Path(told.strip()).is_relative_to(python.parents[1])
    with Server(tmp_path / "w", python=python, env=alone) as server:
        assert server.get("/workspace")["version"] == pellux.__version__
        status, page = server.call("GET", "/")
        assert status == 200
        script = page.decode().split('src="')[1].split('"')[0]
        assert server.call("GET", script)[0] == 200
        assert server.get("/catalogue")["learners"]
    doctor = subprocess.run([python.parent / "pellux", "doctor"], env=alone, cwd=tmp_path, capture_output=True, text=True)
    assert pellux.__version__ in doctor.stdout, doctor.stderr
