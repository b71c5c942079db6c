"""The house stays as it was laid out: no circle among modules, no module and no function too long to be read."""

from __future__ import annotations

import ast
from collections.abc import Iterator
from graphlib import CycleError, TopologicalSorter
from pathlib import Path

import grimp
import pytest

SOURCES = Path(__file__).parents[1] / "src" / "pellux"
MODULE, FUNCTION = 500, 40
# Functions that are longer, each with its reason.
LONG: dict[str, str] = {}


def modules() -> Iterator[Path]:
    return (path for path in SOURCES.rglob("*.py") if "migrations/versions" not in path.as_posix())


def test_no_circle_among_modules() -> None:
    graph = grimp.build_graph("pellux")
    imported = {module: graph.find_modules_directly_imported_by(module) for module in graph.modules}
    try:
        TopologicalSorter(imported).prepare()
    except CycleError as error:
        pytest.fail(" -> ".join(error.args[1]))


def test_no_module_is_too_long() -> None:
    lengths = {path.relative_to(SOURCES).as_posix(): len(path.read_text().splitlines()) for path in modules()}
    assert {name: lines for name, lines in lengths.items() if lines > MODULE} == {}


def test_no_function_is_too_long_without_a_reason() -> None:
    found = {}
    for path in modules():
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.FunctionDef) and (lines := length(node)) > FUNCTION:
                found[f"{path.relative_to(SOURCES).as_posix()}:{node.name}"] = lines
    assert found.keys() == LONG.keys(), found


def length(node: ast.FunctionDef) -> int:
    """Lines of its own: without its docstring, and without the functions that are defined in it."""
    body = node.body[1:] if ast.get_docstring(node) else node.body
    inner = sum((n.end_lineno or 0) - n.lineno + 1 for n in body if isinstance(n, ast.FunctionDef))
    return (body[-1].end_lineno or 0) - body[0].lineno + 1 - inner if body else 0


def test_what_the_core_offers_is_explained() -> None:
    bare = [
        f"{path.relative_to(SOURCES).as_posix()}:{node.name}"
        for path in (SOURCES / "core").rglob("*.py")
        for node in ast.parse(path.read_text()).body
        if isinstance(node, ast.FunctionDef | ast.ClassDef) and not node.name.startswith("_") and not ast.get_docstring(node)
    ]
    assert bare == []


def test_no_test_asserts_the_time_on_a_wall() -> None:
    """A deadline after which something is given up is no such thing; how fast something is belongs to the benchmarks."""
    clocks = ("time.monotonic()", "time.perf_counter()", "time.time()")
    timed = [
        f"{path.name}:{node.lineno}"
        for path in SOURCES.parents[1].joinpath("tests").rglob("*.py")
        for node in ast.walk(ast.parse(path.read_text()))
        if isinstance(node, ast.Assert) and any(f"{clock} - " in ast.unparse(node.test) for clock in clocks)
    ]
    assert timed == []
