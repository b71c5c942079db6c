"""The one door through which runs come into being, and the ledger that tells of it."""

from __future__ import annotations

import ast
from dataclasses import replace
from pathlib import Path
from typing import Any, get_args

import pytest
from pydantic import TypeAdapter, ValidationError

import pellux
from pellux.core.errors import NotFound
from pellux.store import ledger
from pellux.store.database import Database
from pellux.store.ledger import New
from pellux.store.problems import add_problem
from pellux.store.records import NewTrial
from pellux.store.runs import BASELINES, FACE_OFF, KINDS, SEARCH, NewRun, create_run, get_search, running, searches_of

ROOT = Path(pellux.__file__).parent
NONE_STOPPING = {"rule": "none"}
ENTRY = TypeAdapter(ledger.LedgerEntry)


@pytest.fixture
def database(tmp_path: Path) -> Database:
    return Database(tmp_path / "pellux.db")


def run_of(problem: int, **changes: object) -> NewRun:
    whole = NewRun(
        kind="search", problem_id=problem, plan={"trials": 3}, stopping=NONE_STOPPING, workers=2, created_at=5.0, versions={}
    )  # fmt: skip
    return replace(whole, **changes)  # type: ignore[arg-type]


def problem_in(database: Database) -> int:
    with database.write() as session:
        return add_problem(session, name="P", created_at=1.0, brief={}, brief_hash="b", objective="two numbers")


def test_nothing_else_makes_a_run() -> None:
    makers = set()
    for path in ROOT.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text("utf-8"))):
            if not isinstance(node, ast.Call):
                continue
            called, given = ast.unparse(node.func), [ast.unparse(part) for part in node.args]
            if called.endswith("models.Search") or (called in ("add", "insert") and {"models.Search", "Search"} & set(given)):
                makers.add(path.relative_to(ROOT).as_posix())
    assert makers == {"store/runs.py"}


@pytest.mark.parametrize("kind", KINDS)
def test_a_run_comes_with_its_trials_and_its_entry(database: Database, kind: ledger.RunKind) -> None:
    problem = problem_in(database)
    trial = NewTrial(number=0, origin="baseline", learner="", configuration={"x": 0.0})
    with database.write() as session:
        made = create_run(session, run_of(problem, kind=kind, trials=[trial]))
        with database.read() as other:
            assert searches_of(other, problem) == [], "nobody sees it before it is committed"
    with database.read() as session:
        found = get_search(session, made)
        assert (found.kind, found.state, found.stopping, found.number) == (
            kind,
            "running",
            NONE_STOPPING,
            int(kind not in (BASELINES, FACE_OFF)),
        )
        assert [one.id for one in running(session, problem)] == [made]
        told = [entry for entry in ledger.after(session, 0, made, 10) if entry[2] == "search"]
    assert len(told) == 1
    assert database.hub.wait(told[0][0] - 1, 0), "readers of the stream are woken"


def test_what_is_taken_back_was_never_told(database: Database) -> None:
    problem = problem_in(database)
    with database.read() as session:
        newest = ledger.newest(session)
    with pytest.raises(RuntimeError, match="no more"), database.write() as session:
        create_run(session, run_of(problem))
        raise RuntimeError("no more")
    with database.read() as session:
        assert ledger.newest(session) == newest
        with pytest.raises(NotFound, match="There is no search 1"):
            get_search(session, 1)
    assert not database.hub.wait(newest, 0)


def test_searches_are_numbered_within_their_problem(database: Database) -> None:
    one, other = problem_in(database), problem_in(database)
    with database.write() as session:
        for problem in (one, other, one):
            create_run(session, run_of(problem))
        create_run(session, run_of(one, kind="baselines"))
    with database.read() as session:
        assert [s.number for s in searches_of(session, one, kinds=[SEARCH])] == [2, 1]
        assert [s.number for s in searches_of(session, other)] == [1]


def test_every_kind_of_entry_is_checked_by_its_own_schema() -> None:
    assert ENTRY.json_schema()["discriminator"]["mapping"].keys() == set(get_args(ledger.Kind))
    good: dict[str, Any] = {"id": 1, "at": 2.0, "kind": "remarks", "search_id": None, "data": {"problem_id": 1, "trial_id": None}}
    read: Any = ENTRY.validate_python(good)
    assert read["data"]["problem_id"] == 1
    for bad in ({**good, "kind": "weather"}, {**good, "kind": "points"}, {**good, "data": {}}, {**good, "at": "noon"}):
        with pytest.raises(ValidationError):
            ENTRY.validate_python(bad)


def test_entries_come_in_order_and_narrowed_to_a_search(database: Database) -> None:
    problem = problem_in(database)
    with database.write() as session:
        first, second = (create_run(session, run_of(problem)) for _ in range(2))
        ledger.append(session, [New(6.0, None, "remarks", ledger.RemarksChanged(problem_id=problem, trial_id=None))])
    with database.read() as session:
        every = ledger.after(session, 0, None, 100)
        assert [e[0] for e in every] == sorted(e[0] for e in every)
        assert [e[2] for e in ledger.after(session, 0, second, 100)] == ["problem", "search", "remarks"]
        assert [e[0] for e in ledger.after(session, every[0][0], None, 1)] == [every[1][0]]
        assert first != second
