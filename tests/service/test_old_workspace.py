"""A workspace of version 0.1 opens, shows the same decision, and goes on with what was paused."""

from __future__ import annotations

import hashlib
import json
import tarfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from pellux.service.engine.engine import Engine, prepare
from pellux.service.workspace import Workspace
from pellux.web.app import create_app

pytestmark = pytest.mark.slow
FIXTURES = Path(__file__).parents[1] / "store/fixtures"
SHOWN: dict[str, Any] = json.loads((FIXTURES / "workspace-of-0.1.json").read_text("utf-8"))
RENAMED = {"error": "standard_error", "Thrifty descent": "Gain per second", "pruned": "ended_early", "waiting": "due"}
STATES = {"pruned": "ended early", "waiting": "due", "timeout": "too long", "memory": "too large"}


@pytest.fixture(scope="module")
def engine(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Engine]:
    folder = tmp_path_factory.mktemp("old") / "w"
    with tarfile.open(FIXTURES / "workspace-of-0.1.tar.xz") as packed:
        packed.extractall(folder, filter="data")
    workspace = Workspace(folder)
    found = Engine(workspace)
    prepare()
    yield found
    found.close()
    workspace.close()


def get(engine: Engine, path: str) -> Any:
    answer = create_app(engine).test_client().get(f"/api/v1{path}", headers={"Host": "127.0.0.1:8420"})
    assert answer.status_code == 200, answer.get_data(as_text=True)
    return answer.get_json()


def renamed(value: Any) -> Any:
    """What 0.1 showed, under today's names."""
    if isinstance(value, dict):
        return {RENAMED.get(key, key): renamed(v) for key, v in value.items()}
    return (
        [renamed(v) for v in value]
        if isinstance(value, list)
        else STATES.get(value, RENAMED.get(value, value))
        if isinstance(value, str)
        else value
    )


def differences(before: Any, after: Any, at: str = "") -> list[str]:
    """Where what is shown now differs from what was shown; what is new beside it does not count."""
    if isinstance(before, dict) and isinstance(after, dict):
        return [d for k, v in before.items() for d in differences(v, after.get(k, "(gone)"), f"{at}.{k}")]
    if isinstance(before, list) and isinstance(after, list) and len(before) == len(after):
        return [d for i, v in enumerate(before) for d in differences(v, after[i], f"{at}[{i}]")]
    same = before == pytest.approx(after) if isinstance(before, float) and isinstance(after, int | float) else before == after
    return [] if same else [f"{at}: {before!r} is now {after!r}"]


def _take_chosen(shown: Any, rule: str) -> Any:
    """Take the finalist that a rule suggests, and the suggestion, out of what is shown."""
    [suggestion] = [s for s in shown["suggestions"] if s["rule"] == rule]
    shown["suggestions"].remove(suggestion)
    [chosen] = [f for f in shown["finalists"] if f["trial"]["id"] == suggestion["trial_id"]]
    shown["finalists"].remove(chosen)
    return chosen


def test_it_shows_the_same_decision_and_the_same_finalists(engine: Engine) -> None:
    decision = renamed({k: v for k, v in SHOWN["decision"].items() if k != "record"})
    now = get(engine, "/decisions/1")
    then_there = {file["name"] for file in decision["files"]}
    now["files"] = [file for file in now["files"] if file["name"] in then_there]  # there is more to take away since
    assert differences(decision, now) == []
    # What was signed stays as it was signed, to the letter.
    record = get(engine, "/decisions/1")["record"]
    assert record == SHOWN["decision"]["record"]
    told = json.dumps(record, sort_keys=True, separators=(",", ":"), ensure_ascii=False)
    assert hashlib.sha256(told.encode()).hexdigest() == get(engine, "/decisions/1")["fingerprint"], "as docs/decision.md says"
    # Since then: the mean ratio of test to training rows instead of 1 / (k - 1), and seconds by the rows that were predicted.
    # Of trials that are as quick, but for noise, one standard error takes the better one: it has another finalist now.
    then, now_shown = renamed(SHOWN["finalists"]), get(engine, "/problems/1/finalists")
    quick_then, quick_now = (_take_chosen(shown, "one standard error") for shown in (then, now_shown))
    assert quick_now["trial"]["mean"] >= quick_then["trial"]["mean"]
    assert quick_now["fit_seconds"] <= 1.25 * quick_then["fit_seconds"]
    moved = differences(then, now_shown)
    assert {line.partition(":")[0].rpartition(".")[2] for line in moved} <= {
        "p_value", "p_adjusted", "better", "same", "worse", "prediction_seconds"
    }  # fmt: skip
    for line in moved:
        before, now = (float(word) for word in line.partition(": ")[2].split(" is now "))
        assert now == pytest.approx(before, rel=0.02 if "seconds" in line else 1e-4, abs=1e-5), line


@pytest.mark.parametrize("number", ["1", "2", "3"])
def test_it_shows_the_same_searches(engine: Engine, number: str) -> None:
    shown = renamed(SHOWN["searches"][number])
    del shown["parameters"]  # the JSON form of its space, which is compared as text
    now = get(engine, f"/searches/{shown['id']}")
    # Since then: the best baseline of the problem instead of the learner's own.
    baselines = [renamed(SHOWN["searches"][one])["baseline"] for one in "123"]
    assert differences({**shown, "baseline": max(baselines, key=lambda one: one["score"])}, now) == []


def test_a_paused_search_goes_on_to_its_end(engine: Engine) -> None:
    before = get(engine, "/searches/3")
    assert before["state"] == "paused"
    known = {t["number"]: t for t in get(engine, "/searches/3/trials?limit=500")["trials"] if t["state"] == "scored"}
    assert known
    client, budget = create_app(engine).test_client(), max(known) + 4
    for path, wish in (("state", {"state": "running"}), ("budget", {"trials": budget})):
        change = client.put(f"/api/v1/searches/3/{path}", json=wish, headers={"Host": "127.0.0.1:8420"})
        assert change.status_code == 200, change.get_data(as_text=True)
    assert engine.join(3, 120)
    after = get(engine, "/searches/3")
    assert after["state"] == "finished"
    trials = {t["number"]: t for t in get(engine, "/searches/3/trials?limit=500")["trials"]}
    assert len(trials) == budget + 1 < before["budget_trials"] + 1
    assert {number: trials[number] for number in known} == known, "what was scored is not touched"
