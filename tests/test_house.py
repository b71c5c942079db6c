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
