"""Data files as people have them, and those that cannot be used."""

from __future__ import annotations

import datetime
import json
import subprocess
import sys
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest

from pellux.core.errors import FileGone, InvalidData
from pellux.service.problems import datasets
from pellux.service.problems.datasets import ReadingRequest, import_file, read_again
from pellux.service.workspace import Workspace
from pellux.tables import importing, sources
from pellux.tables.table import Table
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


def test_types_and_profiles(workspace: Workspace, tmp_path: Path) -> None:
    columns = mixed_columns()
    table = import_file(workspace, write_csv(tmp_path / "mixed.csv", columns))
    kinds = {c.name: c.type for c in table.columns}
    assert kinds == {
        "a": "number",
        "b": "number",
        "whole": "number",
        "kind": "category",
        "ticket": "text",
        "label": "yes/no",
        "amount": "number",
    }
    whole = table.column("whole")
    assert (whole.low, whole.high, whole.whole, whole.distinct, sum(whole.histogram)) == (0, 8, True, 9, 240)
    assert table.column("kind").missing == columns["kind"].count("")
    assert table.column("kind").examples == tuple(columns["kind"][:5])
    assert table.column("ticket").examples[0] == "T-00000"
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
        (b"PAR1aaaa", "cannot be read as Parquet"),
        (b'{"a": 1, "b": 2}\n{"a": 1, "b"\n', "Line 2 is not JSON"),
        (b'{"a": 1}\n{"a": 2}\n', "one column"),
        (b'{"a": 1, "b": 2}\n[3]\n', "Line 2 is not an object"),
        (b"a,b\n1,\x00\n", "NUL bytes"),
        (",".join(f"c{i}" for i in range(10_001)).encode() + b"\n1\n", "10,001 columns; at most 10,000"),
    ],
)
def test_files_that_cannot_be_used_leave_nothing_behind(workspace: Workspace, tmp_path: Path, content: bytes, words: str) -> None:
    with pytest.raises(InvalidData, match=words):
        table_of(workspace, tmp_path, content)
    assert not list((workspace.folder / "data").iterdir())


def test_not_utf8_beyond_the_beginning(workspace: Workspace, tmp_path: Path) -> None:
    rows = [f"{i},plain text {i % 7}" for i in range(400_000)]
    table = table_of(workspace, tmp_path, b"a,b\n" + "\n".join(rows).encode() + "\n1,café\n".encode("latin-1"))
    assert "café" in table.column("b").categories
    assert (table.rows, table.reading["encoding"]) == (400_001, "cp1252")
    assert "not UTF-8" in table.reading["notes"][0]


@pytest.mark.parametrize("encoding", ["cp1252", "utf-16", "utf-8"])
def test_offices_write_in_many_ways(workspace: Workspace, tmp_path: Path, encoding: str) -> None:
    text = "größe;preis;am\n1,5;'klein; fein';03.12.2024\n-2,25;'äußerst';31.01.2024\n;'äußerst';\n".replace("'", '"')
    table = table_of(workspace, tmp_path, text.encode(encoding))
    assert [c.type for c in table.columns] == ["number", "category", "date"]
    np.testing.assert_array_equal(table.values("größe"), [1.5, -2.25, np.nan])
    assert table.column("preis").categories == ("klein; fein", "äußerst")
    days = (np.array(["2024-12-03", "2024-01-31"], "datetime64[D]") - np.datetime64("1970-01-01")).astype(float)
    np.testing.assert_array_equal(table.values("am"), [*days, np.nan])
    assert table.reading["decimal"] == ","
    again = read_again(workspace, table.hash, ReadingRequest(types={"größe": "number"}))
    np.testing.assert_array_equal(again.values("größe"), table.values("größe"))


def test_dates_in_one_form_are_dates_and_in_three_forms_are_not(workspace: Workspace, tmp_path: Path) -> None:
    rows = ["iso,us,unclear,three", "2024-05-06T10:30:00Z,12/31/2024,03/04/2024,2024-01-02", "2024-05-07,01/02/2024,05/06/2024,02.01.2024",
            "2024-05-08 06:00,03/13/2024,,01/22/2024"]  # fmt: skip
    table = table_of(workspace, tmp_path, "\n".join(rows).encode())
    assert [c.type for c in table.columns] == ["date", "date", "date", "category"]
    assert table.values("iso")[0] == 19849 + 10.5 / 24
    assert table.column("us").form == "%m/%d/%Y"
    assert "day first" in table.column("unclear").note
    assert "different forms" in table.column("three").note
    again = read_again(workspace, table.hash, ReadingRequest(types={"unclear": "date %m/%d/%Y"}))
    assert again.hash != table.hash
    assert again.source == table.hash
    assert again.values("unclear")[0] - table.values("unclear")[0] == -30  # 4 March instead of 3 April... by the calendar


def test_a_person_corrects_what_was_guessed(workspace: Workspace, tmp_path: Path) -> None:
    lines = ["code,level,flag,free"] + [
        f"{i % 3},{'n. a.' if i == 7 else i},{'on' if i % 2 else 'off'},{i * 7919}x" for i in range(100)
    ]
    table = table_of(workspace, tmp_path, "\n".join(lines).encode())
    assert [c.type for c in table.columns] == ["number", "text", "category", "text"]
    assert "mostly numbers" in table.column("level").note
    options = ReadingRequest(types={"code": "category", "level": "number", "flag": "yes/no", "free": "category"})
    again = read_again(workspace, table.hash, options)
    assert [c.type for c in again.columns] == ["category", "number", "yes/no", "category"]
    assert np.isnan(again.values("level")).tolist() == [i == 7 for i in range(100)]
    assert "1 values could not be read" in again.column("level").note
    assert again.column("code").categories == ("0", "1", "2")
    assert read_again(workspace, again.hash, options).hash == again.hash  # nothing is done twice
    for types, words in (({"nobody": "number"}, "no column 'nobody'"), ({"code": "colour"}, "unknown"), ({"code": "yes/no"}, "two different"),
                         ({"flag": "date"}, "no dates")):  # fmt: skip
        with pytest.raises(InvalidData, match=words):
            read_again(workspace, table.hash, ReadingRequest(types=types))


def test_later_rows_may_contradict_the_beginning(workspace: Workspace, tmp_path: Path) -> None:
    rows = [f"{i},{i}" for i in range(800_000)] + ["many,3", "4,inf"]
    table = table_of(workspace, tmp_path, ("a,b\n" + "\n".join(rows)).encode())
    assert [c.type for c in table.columns] == ["text", "number"]
    assert table.column("b").missing == 1
    assert "1 infinite" in table.column("b").note
    assert table.values("b")[799_999] == 799_999


def test_parquet_and_json_lines_give_the_same_table(workspace: Workspace, tmp_path: Path) -> None:
    day = datetime.date(2024, 2, 29)
    columns = {
        "n": [1, None, 3], "x": [0.5, 1.5, None], "on": [True, False, None], "kind": ["b", None, "a"],
        "when": [day, None, day + datetime.timedelta(days=1)], "nested": [[1], [2, 3], None],
    }  # fmt: skip
    arrow = pa.table({**columns, "kind": pa.array(columns["kind"]).dictionary_encode()})
    pq.write_table(arrow, tmp_path / "t.parquet")
    lines = [{n: (str(v) if n == "when" and v else v) for n, v in row.items() if v is not None} for row in arrow.to_pylist()]
    (tmp_path / "t.jsonl").write_text("\n".join(json.dumps(line) for line in lines))
    for name in ("t.parquet", "t.jsonl"):
        table = import_file(workspace, tmp_path / name)
        kinds = {c.name: c.type for c in table.columns}
        assert kinds == {"n": "number", "x": "number", "on": "yes/no", "kind": "category", "when": "date", "nested": "text"}, name
        np.testing.assert_array_equal(table.values("n"), [1, np.nan, 3])
        np.testing.assert_array_equal(table.values("when"), [19782, np.nan, 19783])
        assert table.column("on").categories == ("false", "true")
        assert [table.column("kind").categories[c] if c >= 0 else None for c in table.values("kind")] == ["b", None, "a"]
        assert "nested" in table.column("nested").note


def test_json_lines_whose_columns_change_their_kind(workspace: Workspace, tmp_path: Path) -> None:
    path = tmp_path / "odd.jsonl"
    path.write_text('{"a": 1, "b": 1}\n{"a": "two", "b": 2}\n{"b": 3, "c": true}\n')
    table = import_file(workspace, path)
    assert table.column("a").categories == ("1", "two")
    assert table.column("c").missing == 2


def test_a_file_that_changes_while_it_is_read_is_refused(workspace: Workspace, tmp_path: Path) -> None:
    path = write_csv(tmp_path / "moving.csv", mixed_columns())
    read = datasets._copy

    def slow(*given):  # type: ignore[no-untyped-def]
        found = read(*given)
        with path.open("a") as file:
            file.write("\n")
        return found

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(datasets, "_copy", slow)
        with pytest.raises(InvalidData, match=r"moving\.csv changed while it was read"):
            import_file(workspace, path)
    assert not list((workspace.folder / "data").iterdir())


@pytest.mark.parametrize("kind", ["csv", "parquet", "jsonl"])
def test_large_ids_stay_apart(workspace: Workspace, tmp_path: Path, kind: str) -> None:
    ids = [2**62 + 3 * i for i in range(300)]
    columns = {"id": ids * 3, "few": [7, 2**60 + 1, 2**60 + 2] * 300, "y": [i % 2 for i in range(900)]}
    path = tmp_path / f"ids.{kind}"
    if kind == "csv":
        write_csv(path, columns)
    elif kind == "parquet":
        pq.write_table(pa.table(columns), path)
    else:
        path.write_text(
            "".join(json.dumps(dict(zip(columns, row, strict=True))) + "\n" for row in zip(*columns.values(), strict=True))
        )
    table = import_file(workspace, path)
    assert (table.column("id").type, table.column("id").distinct) == ("category", 300)
    assert set(table.column("id").categories) == {str(i) for i in ids}
    assert set(table.column("few").categories) == {"7", str(2**60 + 1), str(2**60 + 2)}
    assert "too large to be told apart" in table.column("few").note
    assert table.column("y").type == "number"


def test_ids_of_more_than_64_bits_stay_apart(workspace: Workspace, tmp_path: Path) -> None:
    path = tmp_path / "ids.jsonl"
    path.write_text("".join(f'{{"id": {10**24 + i % 3}, "far": 1e300, "y": {i % 2}}}\n' for i in range(90)))
    table = import_file(workspace, path)
    assert table.column("id").categories == tuple(str(10**24 + i) for i in range(3))
    assert (table.column("far").type, table.column("far").high) == ("number", 1e300)


def test_large_numbers_that_are_no_ids_stay_numbers(workspace: Workspace, tmp_path: Path) -> None:
    table = table_of(workspace, tmp_path, b"a,b\n1e300,5\n2e300,6\n-9007199254740992,7\n")
    assert (table.column("a").type, table.column("a").high) == ("number", 2e300)


def test_numbers_at_the_ends_of_what_there_is(workspace: Workspace, tmp_path: Path) -> None:
    ends = [1.7e308, -1.7e308, 0.0, 5e-324, 1e-323, 1.0, np.nextafter(1.0, 2)]
    near = [1e15 + 0.125 * i for i in range(7)]
    path = write_csv(
        tmp_path / "ends.csv",
        {"wide": ends, "tiny": [5e-324 * i for i in range(7)], "near": near, "stamp": [2**52 + i for i in range(7)]},
    )
    table = import_file(workspace, path)
    assert [sum(c.histogram) for c in table.columns] == [7] * 4
    np.testing.assert_array_equal(table.values("wide"), ends)
    np.testing.assert_array_equal(table.values("near"), near)


def test_parquet_of_odd_kinds(workspace: Workspace, tmp_path: Path) -> None:
    days = [
        datetime.datetime(1, 1, 1),
        datetime.datetime(1650, 5, 5),
        datetime.datetime(2400, 1, 1),
        datetime.datetime(9999, 12, 31),
    ]
    columns = {
        "old": pa.array(days, pa.timestamp("us")),
        "beyond": pa.array([0, 2**61, -(2**61), 5], pa.timestamp("ms")),
        "near": pa.array([2**60, 2**60 + 1, 2**60 + 2, 2**60 + 3], pa.timestamp("ns")),
        "zoned": pa.array(days, pa.timestamp("us", tz="Asia/Kathmandu")),
        "day": pa.array([-(2**31), 0, 5, 2**31 - 1], pa.date32()),
        "money": pa.array([1, 2, 3, 4], pa.decimal128(38, 2)),
        "unsigned": pa.array([2**64 - 1, 2**64 - 2, 1, 2], pa.uint64()),
        "y": pa.array([0, 1, 0, 1]),
    }
    path = tmp_path / "odd.parquet"
    pq.write_table(pa.table(columns), path)
    table = import_file(workspace, path)
    assert [table.column(n).type for n in ("old", "near", "zoned", "day", "money")] == ["date", "date", "date", "date", "number"]
    epoch = datetime.datetime(1970, 1, 1)
    np.testing.assert_allclose(table.values("old"), [(d - epoch).days for d in days])
    assert table.column("beyond").missing == 2
    assert set(table.column("unsigned").categories) == {"1", "2", str(2**64 - 1), str(2**64 - 2)}


def test_texts_that_are_none_are_named(workspace: Workspace, tmp_path: Path) -> None:
    path = tmp_path / "given.parquet"
    offsets, letters = pa.py_buffer(np.array([0, 2, 3], np.int32).tobytes()), pa.py_buffer(b"\xff\xfea")
    pq.write_table(pa.table({"t": pa.StringArray.from_buffers(2, offsets, letters), "y": [1, 2]}), path)
    with pytest.raises(InvalidData, match="t holds texts that are not UTF-8"):
        import_file(workspace, path)
    pq.write_table(pa.table({"t": ["a\0b", "c"], "y": [1, 2]}), path)
    with pytest.raises(InvalidData, match="NUL"):
        import_file(workspace, path)
    deep = b'{"a": ' + b"[" * 200_000 + b"]" * 200_000 + b', "b": 1}\n'
    for line in (deep, b'{"a": "\\ud800", "b": 1}\n', b'{"a": "x\xff", "b": 1}\n'):
        with pytest.raises(InvalidData, match="Line 2 is not JSON|not UTF-8"):
            table_of(workspace, tmp_path, b'{"a": "x", "b": 2}\n' + line)
    assert not list((workspace.folder / "data").iterdir())


def test_what_stands_late_in_a_file_costs_one_more_pass(
    workspace: Workspace, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    passes = 0

    def counted(*given: Any) -> Any:
        nonlocal passes
        passes += 1
        return sources.batches(*given)

    monkeypatch.setattr(importing, "batches", counted)
    rows = [",".join(f"{i + j / 7:.5f}" for j in range(30)) for i in range(60_000)]
    odd = ",".join(["oops" if j % 2 else "9007199254740993" for j in range(30)])
    table = table_of(workspace, tmp_path, "\n".join([",".join(f"c{j}" for j in range(30)), *rows, odd]).encode())
    assert passes <= 4  # a look at the beginning and a pass, the second pass, and one that finds ids among numbers
    assert "('oops')" in table.column("c1").note
    assert table.column("c0").type == "text"


FULL = """
import sys
from pathlib import Path
from pellux.core.errors import WorkspaceError
from pellux.service.problems.datasets import import_file
from pellux.service.workspace import Workspace

workspace = Workspace(Path(sys.argv[1]))
try:
    import_file(workspace, Path(sys.argv[2]))
except WorkspaceError as error:
    print(error.message)
print(len(list((workspace.folder / "data").iterdir())))
"""


def test_a_disk_too_full_for_the_table_is_said(tmp_path: Path) -> None:
    """On a disk of its own: writing into a mapped file without room for it would end the process by a signal."""
    small = tmp_path / "small"
    small.mkdir()
    data = write_csv(tmp_path / "given.csv", {f"c{i}": [i % 7 for i in range(40_000)] for i in range(20)})
    shell = f'mount -t tmpfs -o size=6m tmpfs {small} && exec {sys.executable} -c "$0" {small}/w {data}'
    done = subprocess.run(["unshare", "-rm", "sh", "-c", shell, FULL], capture_output=True, text=True, timeout=60)
    if "unshare" in done.stderr or "mount" in done.stderr:
        pytest.skip("no file systems of their own here")
    assert done.returncode == 0, done.stderr
    assert "is full. The file was not imported." in done.stdout
    assert done.stdout.endswith("\n0\n")


def test_an_import_that_died_leaves_nothing(tmp_path: Path) -> None:
    folder = tmp_path / "w"
    Workspace(folder).close()
    (folder / "data" / "incoming-abc").mkdir()
    workspace = Workspace(folder)
    workspace.hold_engine()
    workspace.close()
    assert not list((folder / "data").iterdir())


def test_a_folder_of_data_is_made_whole_again(workspace: Workspace, tmp_path: Path) -> None:
    path = write_csv(tmp_path / "one.csv", mixed_columns())
    table = import_file(workspace, path)
    (table.folder / "numbers.npy").unlink()
    with pytest.raises(FileGone, match="Import the same data file once more"):
        _ = Table.open(table.folder).numbers
    assert len(import_file(workspace, path).numbers) == 240


def test_missing_file_and_folder(workspace: Workspace, tmp_path: Path) -> None:
    with pytest.raises(InvalidData, match="no data file"):
        import_file(workspace, tmp_path / "nowhere.csv")
    with pytest.raises(InvalidData, match="is a folder"):
        import_file(workspace, tmp_path)


LARGE = """
import sys, threading, time
from pathlib import Path
from pellux.service.problems import datasets
from pellux.service.problems.datasets import ReadingRequest, import_file, read_again
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
