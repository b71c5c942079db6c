"""CSV files as people have them, and those that cannot be used."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import numpy as np
import pyarrow.parquet as pq
import pytest

from pellux.core.errors import InvalidData
from pellux.learners.table import Table
from pellux.service.datasets import import_file
from pellux.service.workspace import Workspace
from tests.making import mixed_columns, write_csv


def table_of(workspace: Workspace, folder: Path, content: bytes) -> Table:
    path = folder / "given.csv"
    path.write_bytes(content)
    return import_file(workspace, path)


@pytest.mark.parametrize("delimiter", [",", ";", "\t"])
@pytest.mark.parametrize("mark", [b"", b"\xef\xbb\xbf"])
@pytest.mark.parametrize("ending", ["\n", "\r\n"])
def test_ways_of_writing(workspace: Workspace, tmp_path: Path, delimiter: str, mark: bytes, ending: str) -> None:
    lines = ["size,kind,note", '1.5,"a, ""b""\nc",x', ",d,y", "-3e2,,x"]
    text = ending.join(
        line.replace(",", delimiter) if i != 1 else f'1.5{delimiter}"a, ""b""\nc"{delimiter}x' for i, line in enumerate(lines)
    )
    table = table_of(workspace, tmp_path, mark + text.encode() + ending.encode())
    assert [c.name for c in table.columns] == ["size", "kind", "note"]
    assert table.rows == 3
    np.testing.assert_array_equal(table.values("size"), [1.5, np.nan, -300.0])
    assert table.column("kind").categories == ('a, "b"\nc', "d")
    assert list(table.values("kind")) == [0, 1, -1]
    assert [c.missing for c in table.columns] == [1, 1, 0]


def test_types_profiles_and_the_parquet_copy(workspace: Workspace, tmp_path: Path) -> None:
    columns = mixed_columns()
    table = import_file(workspace, write_csv(tmp_path / "mixed.csv", columns))
    kinds = {c.name: c.type for c in table.columns}
    assert kinds == {
        "a": "number",
        "b": "number",
        "whole": "number",
        "kind": "category",
        "ticket": "text",
        "label": "category",
        "amount": "number",
    }
    whole = table.column("whole")
    assert (whole.low, whole.high, whole.whole, whole.distinct, sum(whole.histogram)) == (0, 8, True, 9, 240)
    assert table.column("kind").missing == columns["kind"].count("")
    copy = pq.read_table(table.folder / "table.parquet").to_pydict()
    assert copy["ticket"] == columns["ticket"]
    assert [v or "" for v in copy["kind"]] == columns["kind"]
    assert copy["b"] == [float(v) for v in columns["b"]]
    assert isinstance(table.numbers, np.memmap)


def test_the_same_content_is_kept_once(workspace: Workspace, tmp_path: Path) -> None:
    first = import_file(workspace, write_csv(tmp_path / "one.csv", mixed_columns()))
    stamp = (first.folder / "table.json").stat().st_mtime_ns
    again = import_file(workspace, write_csv(tmp_path / "two.csv", mixed_columns()))
    assert again.hash == first.hash
    assert (again.folder / "table.json").stat().st_mtime_ns == stamp
    assert import_file(workspace, write_csv(tmp_path / "three.csv", mixed_columns(seed=6))).hash != first.hash
    assert not list((workspace.folder / "data").glob("incoming-*"))


def test_odd_but_usable(workspace: Workspace, tmp_path: Path) -> None:
    table = table_of(workspace, tmp_path, b"empty,inf,mixed\n,inf,1\n,2,x\nNA,3,2\n")
    assert table.column("empty").distinct == 0
    np.testing.assert_array_equal(table.values("inf"), [np.nan, 2, 3])
    assert table.column("mixed").categories == ("1", "2", "x")


def test_five_thousand_columns(workspace: Workspace, tmp_path: Path) -> None:
    wide = {f"c{i}": [i, i + 1, i * 2] for i in range(5000)}
    table = import_file(workspace, write_csv(tmp_path / "wide.csv", wide))
    assert (len(table.columns), table.rows) == (5000, 3)
    assert list(table.values("c4999")) == [4999, 5000, 9998]


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"", "file is empty"),
        (b"  \n \n", "file is empty"),
        (b"a,b\n", "header and no rows"),
        (b"a,b,a\n1,2,3\n", "Two columns are called 'a' \\(columns 1, 3\\)"),
        (b"a,,c\n1,2,3\n", "Column 2 has no name"),
        (b"alone\n1\n2\n", "one column"),
        (b"a,b\n1,2\n3,4,5\n", "3 values where the header has 2"),
        ("a,b\n1,café\n".encode("latin-1"), "not UTF-8: line 2 holds the byte 0xe9"),
        ("a,b\n1,2\n".encode("utf-16"), "not a text file in UTF-8|not UTF-8"),
        (b"PAR1aaaa", "Parquet"),
        (b"a,b\n1,\x00\n", "NUL bytes"),
        (",".join(f"c{i}" for i in range(10_001)).encode() + b"\n1\n", "10,001 columns; at most 10,000"),
    ],
)
def test_files_that_cannot_be_used_leave_nothing_behind(workspace: Workspace, tmp_path: Path, content: bytes, words: str) -> None:
    with pytest.raises(InvalidData, match=words):
        table_of(workspace, tmp_path, content)
    assert not list((workspace.folder / "data").iterdir())


def test_not_utf8_beyond_the_beginning(workspace: Workspace, tmp_path: Path) -> None:
    with pytest.raises(InvalidData, match="not UTF-8 throughout"):
        table_of(workspace, tmp_path, b"a,b\n" + b"1,plain text\n" * 400_000 + "1,café\n".encode("latin-1"))


def test_missing_file_and_folder(workspace: Workspace, tmp_path: Path) -> None:
    with pytest.raises(InvalidData, match="no data file"):
        import_file(workspace, tmp_path / "nowhere.csv")
    with pytest.raises(InvalidData, match="is a folder"):
        import_file(workspace, tmp_path)


LARGE = """
import sys, threading, time
from pathlib import Path
from pellux.service.datasets import import_file
from pellux.service.workspace import Workspace

def own_memory():
    return int(next(line for line in open("/proc/self/status") if line.startswith("RssAnon")).split()[1]) // 1024

workspace, done, peak = Workspace(Path(sys.argv[1])), threading.Event(), [0]
begun = own_memory()

def watch():
    while not done.wait(0.01):
        peak[0] = max(peak[0], own_memory() - begun)

watcher = threading.Thread(target=watch)
watcher.start()
table = import_file(workspace, Path(sys.argv[2]))
done.set()
watcher.join()
print(table.rows, len(table.columns), peak[0])
"""


@pytest.mark.slow
def test_a_300_mb_file_streams_in_far_less_memory(tmp_path: Path) -> None:
    rng = np.random.default_rng(0)
    block = "".join(
        ",".join(f"{v:.6f}" for v in row) + f",k{i % 7}\n" for i, row in enumerate(rng.normal(size=(4000, 12)))
    ).encode()
    path, repeats = tmp_path / "large.csv", 300 * 10**6 // len(block) + 1
    with path.open("wb") as file:
        file.write(",".join([*(f"x{i}" for i in range(12)), "kind"]).encode() + b"\n")
        for _ in range(repeats):
            file.write(block)
    assert path.stat().st_size > 300 * 10**6
    done = subprocess.run(
        [sys.executable, "-c", LARGE, str(tmp_path / "w"), str(path)], capture_output=True, text=True, timeout=300
    )
    rows, columns, megabytes = map(int, done.stdout.split())
    assert (rows, columns) == (4000 * repeats, 13), done.stderr
    assert megabytes < 200
