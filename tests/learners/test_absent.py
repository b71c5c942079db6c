"""What is not installed is not looked for in every fit, and found all the same where somebody brings it."""

from __future__ import annotations

import importlib
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest

from pellux.objectives.tabular.absent import Absent, look_once

MISSING, THERE = "a_library_that_nobody_has", "json"


@pytest.fixture
def absent() -> Iterator[Absent]:
    found = look_once(MISSING, THERE)
    yield found
    sys.meta_path.remove(found)
    sys.modules.pop(MISSING, None)


def test_nobody_else_is_asked_for_it(absent: Absent, monkeypatch: pytest.MonkeyPatch) -> None:
    asked: list[str] = []

    class Others:
        @staticmethod
        def find_spec(name: str, *more: object) -> None:
            asked.append(name)

    monkeypatch.setattr(sys, "meta_path", [absent, Others, *sys.meta_path[1:]])
    with pytest.raises(ModuleNotFoundError, match=f"^No module named '{MISSING}'$") as said:
        importlib.import_module(MISSING)
    assert (said.value.name, asked) == (MISSING, [])
    with pytest.raises(ModuleNotFoundError):
        importlib.import_module(f"{MISSING}_either")
    assert asked == [f"{MISSING}_either"]


def test_a_folder_that_is_added_may_hold_it(absent: Absent, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    assert absent.names == {MISSING}
    (tmp_path / f"{MISSING}.py").write_text("answer = 42\n")
    monkeypatch.syspath_prepend(tmp_path)
    assert importlib.import_module(MISSING).answer == 42
